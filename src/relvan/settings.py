"""Reads what can be set from outside, as `RELVAN_*` variables or in a `.env` file. Each setting is
described in docs/guide/settings.md.
"""

import platform
from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict

# what is set in Setup since it belongs to the seller, with where it stands there
MOVED_TO_SETUP = {
    "RELVAN_CURRENCY": "Firm",
    "RELVAN_LOCALE": "Firm",
    "RELVAN_TIME_ZONE": "Firm",
    "RELVAN_SCALE_URL": "Devices",
}


class Settings(BaseSettings):
    """The settings of whoever runs the server, whose defaults use SQLite in the data folder. What
    the seller decides is set in Setup."""

    model_config = SettingsConfigDict(env_prefix="RELVAN_", env_file=".env", extra="ignore")

    data_dir: Path = Path("var/relvan")
    database_url: str = ""
    queue_url: str = ""
    secret_key: str = ""
    base_url: str = "http://127.0.0.1:8100"
    private_addresses: bool = False
    demo: bool = False
    demo_token: str = ""
    worker_name: str = Field(default=platform.node() or "worker", min_length=1, max_length=60)
    threads: int = Field(default=4, ge=1, le=64)
    largest_picture_mb: int = Field(default=10, ge=1, le=100)

    @property
    def database(self) -> str:
        """The URL of the database: a file in the data folder unless another is named."""
        return self.database_url or f"sqlite:///{(self.data_dir / 'relvan.db').absolute()}"

    @property
    def files(self) -> Path:
        """The folder of pictures and labels."""
        return self.data_dir / "files"
