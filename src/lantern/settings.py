"""Settings, from the environment (prefix `LANTERN_`); `./lantern` and the supervisor set what a start needs."""

from __future__ import annotations

from functools import lru_cache
from pathlib import Path

from pydantic import Field
from pydantic_settings import BaseSettings, SettingsConfigDict

from lantern.formats.limits import GIB, MIB, Limits


class Settings(BaseSettings):
    model_config = SettingsConfigDict(env_prefix="LANTERN_")

    database_url: str = Field(default="", description="postgresql+psycopg://... ; set by the supervisor")
    state_dir: Path = Field(default=Path(".lantern"), description="where this installation keeps its state")
    secret: str = Field(default="", description="signs the session cookie; kept in the state folder")
    engine_url: str = Field(default="", description="where the live engine takes frames")
    standins_url: str = Field(default="", description="control of the stand-ins; empty where there are none")
    upload_bytes: int = Field(default=8 * GIB, gt=0, description="largest upload")
    unpacked_bytes: int = Field(default=8 * GIB, gt=0, description="largest take, unpacked")
    demo_share: float = Field(
        default=1.0, gt=0, le=1, description="how much of each demo take is simulated (tests use less)"
    )
    unpacked_ratio: float = Field(default=200.0, gt=1, description="most that an input may grow beyond 100 MiB")

    @property
    def limits(self) -> Limits:
        return Limits(self.unpacked_bytes, self.unpacked_ratio, 100 * MIB)


@lru_cache
def settings() -> Settings:
    return Settings()
