"""Ending tasks for good."""

from __future__ import annotations

import asyncio
from collections.abc import Iterable
from typing import Any

ASK_AGAIN_S = 0.25


async def end(tasks: Iterable[asyncio.Task[Any]]) -> None:
    """Cancel tasks until each has ended; what they raise is theirs.

    Once is not enough below Python 3.12: a cancel that falls on the moment in which an `asyncio.wait_for` is done is
    swallowed there (cpython issue 86296), the task goes on, and whoever waits for its end waits for ever. Modbus
    clients wait so.
    """
    left = {task for task in tasks if not task.done()}
    while left:
        for task in left:
            task.cancel()
        _, left = await asyncio.wait(left, timeout=ASK_AGAIN_S)
