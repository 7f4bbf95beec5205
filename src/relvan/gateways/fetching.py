"""Fetches a file from a web address that a person gave: only over http(s), from no private network,
and up to a size.
"""

import socket
from urllib.parse import urljoin, urlsplit

import httpx

from relvan.core.refusal import refuse
from relvan.gateways.calling import TIMEOUT, OutsideTrouble, check_address, trusted_roots

MOST_HOPS = 4


def fetch_picture(address: str, *, private_allowed: bool, most_bytes: int) -> bytes:
    """Returns the content behind an address. Each address on the way is checked, redirects as well.

    Raises:
        Refused: if the address leads into a private network, or the file is too large or missing.
        OutsideTrouble: if it should be tried again later.
    """
    for _ in range(MOST_HOPS):
        check_address(address.partition("?")[0].partition("#")[0], private_allowed=private_allowed)
        answer = _get(address, most_bytes)
        if isinstance(answer, bytes):
            return answer
        address = urljoin(address, answer)
    raise refuse(
        "address",
        f"“{address[:100]}” leads from one address to another without end.",
        "",
        "address",
    )


def _get(address: str, most_bytes: int) -> bytes | str:
    """Returns the content, or the address to which it redirects."""
    name = urlsplit(address).hostname
    try:
        with httpx.stream(
            "GET", address, timeout=TIMEOUT, follow_redirects=False, verify=trusted_roots()
        ) as answer:
            if answer.is_redirect:
                return str(answer.headers.get("location", ""))
            if answer.status_code == 429 or answer.status_code >= 500:
                raise OutsideTrouble(f"{name} answered {answer.status_code}")
            if not answer.is_success:
                message = f"{name} answered {answer.status_code}: there is no picture."
                raise refuse("address", message, "Check the address.", "address")
            content = bytearray()
            for piece in answer.iter_bytes():
                content += piece
                if len(content) > most_bytes:
                    message = f"The picture has more than {most_bytes // 1_000_000} MB."
                    raise refuse("too-large", message, "Save it smaller.", "address")
            return bytes(content)
    except (httpx.HTTPError, httpx.InvalidURL, socket.gaierror) as error:
        raise OutsideTrouble(f"{name} cannot be reached: {type(error).__name__}") from error
