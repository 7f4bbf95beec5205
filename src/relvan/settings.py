"""Reads what can be set from outside, as `RELVAN_*` variables or in a `.env` file. Each setting is
described in docs/guide/settings.md.
"""

import platform
from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """The settings, whose defaults use SQLite in the data folder."""

    model_config = SettingsConfigDict(env_prefix="RELVAN_", env_file=".env", extra="ignore")

    data_dir: Path = Path("var/relvan")
    database_url: str = ""
    queue_url: str = ""
    secret_key: str = ""
    base_url: str = "http://127.0.0.1:8100"
    private_addresses: bool = False
    scale_url: str = ""
    locale: str = "en_IE"
    time_zone: str = "Europe/Dublin"
    currency: str = "EUR"
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
