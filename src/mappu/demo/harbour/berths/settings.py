"""What the environment decides."""

from functools import lru_cache

from pydantic import Field
from pydantic_settings import BaseSettings


class HarbourSettings(BaseSettings):
    """Read by main at start."""

    database_url: str = Field("sqlite:///berths.db", max_length=200)
    quay_count: int = Field(4, ge=1, le=12)


class PilotageSettings(BaseSettings):
    """Where pilots are asked for."""

    desk_url: str = Field(min_length=8, max_length=200)
    attempts: int = Field(3, ge=1, le=5)


settings = HarbourSettings()


@lru_cache
def pilotage() -> PilotageSettings:
    return PilotageSettings()
