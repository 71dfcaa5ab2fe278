"""What can be set from outside, through the environment."""

from __future__ import annotations

from pydantic_settings import BaseSettings, SettingsConfigDict


class Settings(BaseSettings):
    """Settings, each from ``ELMPEG_<NAME>``."""

    model_config = SettingsConfigDict(env_prefix="ELMPEG_")

    data: str = "var"
    """Folder of the database."""
    demo: bool = False
    """Whether the sign-in page shows the demo's people and password."""
    address: str = ""
    """Where people reach the shop, as “https://pegs.example”; links that are handed on begin with it."""
    patience_s: float = 3.0
    """After how long a page that is opened, or a photograph that is traced, says that it is being worked out."""
