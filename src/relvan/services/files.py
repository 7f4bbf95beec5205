"""Files beside the database, each under a name made from its content or its owner."""

import os
import secrets
from pathlib import Path


class FileStore:
    """A folder of files; a file appears whole or not at all."""

    def __init__(self, folder: Path) -> None:
        self.folder = folder

    def path(self, name: str) -> Path:
        """Returns the path of a file by its name, such as `pictures/ab/abcd.png`."""
        return self.folder / name

    def keep(self, name: str, content: bytes) -> None:
        """Writes a file; writing the same file again changes nothing."""
        path = self.path(name)
        path.parent.mkdir(parents=True, exist_ok=True)
        temporary = path.with_name(f".{path.name}.{secrets.token_hex(4)}")
        with open(temporary, "wb") as file:
            file.write(content)
            file.flush()
            os.fsync(file.fileno())
        temporary.replace(path)
