"""Encrypts what must not be read from a stolen database: channel tokens and webhook secrets."""

import base64
import hashlib
import os
import secrets
from pathlib import Path

from cryptography.fernet import Fernet, InvalidToken

from relvan.core.refusal import refuse


class SecretBox:
    """Encrypts with Fernet (AES-128-CBC with HMAC-SHA256), under a key from the settings, else from
    a file of its own."""

    def __init__(self, secret_key: str, data_dir: Path) -> None:
        text = secret_key or _kept_key(data_dir / "secret.key")
        self._fernet = Fernet(base64.urlsafe_b64encode(hashlib.sha256(text.encode()).digest()))

    def seal(self, text: str) -> str:
        """Encrypts a text."""
        return self._fernet.encrypt(text.encode()).decode()

    def open(self, sealed: str) -> str:
        """Decrypts a text; refused when the key is not the one that it was encrypted with."""
        try:
            return self._fernet.decrypt(sealed.encode()).decode()
        except InvalidToken:
            raise refuse(
                "secret-key",
                "A kept secret cannot be opened with this secret key.",
                "Set RELVAN_SECRET_KEY as it was, or connect the channel again.",
            ) from None


def _kept_key(path: Path) -> str:
    path.parent.mkdir(parents=True, exist_ok=True)
    try:
        handle = os.open(path, os.O_WRONLY | os.O_CREAT | os.O_EXCL, 0o600)
    except FileExistsError:
        return path.read_text()
    with os.fdopen(handle, "w") as file:
        file.write(secrets.token_urlsafe(48))
    return path.read_text()
