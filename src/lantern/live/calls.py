"""How other processes ask the engine: at its address, with the secret of this start."""

from __future__ import annotations

import httpx

from lantern.settings import settings


def engine_url(path: str) -> str:
    return settings().engine_url + path


def credentials() -> dict[str, str]:
    return {"Authorization": f"Bearer {settings().engine_secret}"}


def ask_engine(method: str, path: str, *, timeout_s: float = 5.0) -> httpx.Response:
    """Raises `httpx.HTTPError` where the engine is silent."""
    return httpx.request(method, engine_url(path), headers=credentials(), timeout=timeout_s)
