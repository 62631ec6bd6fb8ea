"""Where things are: read from the environment (MISTLINE_...), with defaults for one machine."""

import socket
import tempfile
from functools import lru_cache
from pathlib import Path

from pydantic import SecretStr
from pydantic_settings import BaseSettings, SettingsConfigDict

__all__ = ["ROOT", "Settings", "settings"]

ROOT = Path(__file__).resolve().parents[2]


class Settings(BaseSettings):
    """All settings of the application.

    `database_url` empty means a private cluster below `data`; `media_url` empty means a folder below it. `machine` is
    what this one is called where several work; `cache`, `cache_bytes` and `store_patience` (seconds) matter where the
    media store is no folder.
    """

    model_config = SettingsConfigDict(env_prefix="MISTLINE_")

    data: Path = ROOT / "var"
    database_url: str = ""
    media_url: str = ""
    host: str = "127.0.0.1"
    port: int = 8765
    allowed_hosts: list[str] = []
    key: SecretStr = SecretStr("")
    connectors: Path | None = None
    machine: str = socket.gethostname()
    cache: Path | None = None
    cache_bytes: int = 20 * 2**30
    store_patience: float = 60
    web: Path = ROOT / "web" / "dist"
    reader_memory_bytes: int = 6 * 2**30
    reader_seconds: float = 120
    model_seconds: float = 90
    take_seconds: float = 4 * 3600
    timing_lane: Path = Path(tempfile.gettempdir()) / "mistline-timing-lane.lock"

    @property
    def connectors_folder(self) -> Path:
        """Where remote services are described."""
        return self.connectors or self.data / "connectors"

    @property
    def cache_folder(self) -> Path:
        """Where copies of files of a distant media store lie."""
        return self.cache or self.data / "cache"

    @property
    def media(self) -> str:
        """URL of the media store."""
        return self.media_url or (self.data / "media").as_uri()


@lru_cache
def settings() -> Settings:
    """Return the settings of this process, read once."""
    return Settings()
