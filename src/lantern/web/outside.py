"""Files that a page brings and that are read at once: in a process of their own, as long as whoever brought them waits."""

from __future__ import annotations

import asyncio
import threading
from collections.abc import Callable
from contextlib import suppress
from typing import TypeVar

from fastapi import HTTPException, Request
from starlette.concurrency import run_in_threadpool

from lantern.apart import GivenUp, bounds_of_a_file, read_apart

T = TypeVar("T")
LOOK_S = 0.25
GONE = 499  # nobody hears it


async def read_outside(request: Request, read: Callable[[bytes], T], *, name: str) -> T:
    """Return what `read` makes of the request's body. Raises `Refused`; the reader ends when the page gives up."""
    return await read_given(request, read, await request.body(), name=name)


async def read_given(request: Request, read: Callable[[bytes], T], data: bytes, *, name: str) -> T:
    """Return what `read` makes of bytes that came with a request, as `read_outside` does of its body."""
    gone = threading.Event()

    async def watch() -> None:
        while not await request.is_disconnected():
            await asyncio.sleep(LOOK_S)
        gone.set()

    def work() -> T:
        return read_apart(read, data, name=name, bounds=bounds_of_a_file(), wanted=lambda: not gone.is_set())

    watching = asyncio.create_task(watch())
    try:
        return await run_in_threadpool(work)
    except GivenUp:
        raise HTTPException(GONE, f"{name} is not read any more: whoever brought it is gone.") from None
    finally:
        watching.cancel()
        with suppress(asyncio.CancelledError):
            await watching
