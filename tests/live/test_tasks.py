"""A task that is told to end ends, even where the first cancel is lost."""

from __future__ import annotations

import asyncio

from lantern.live.tasks import end
from loops import in_a_loop


def test_a_cancel_that_is_swallowed_is_said_again() -> None:
    """As `asyncio.wait_for` does below Python 3.12 when both fall on one moment (cpython issue 86296)."""
    swallowed = 0

    async def deaf() -> None:
        nonlocal swallowed
        while True:
            try:
                await asyncio.sleep(60)
            except asyncio.CancelledError:
                swallowed += 1
                if swallowed == 3:
                    raise

    async def run() -> None:
        tasks = [asyncio.create_task(deaf()), asyncio.create_task(asyncio.sleep(60))]
        await asyncio.sleep(0)
        await end(tasks)
        assert all(task.cancelled() for task in tasks)

    in_a_loop(run)
    assert swallowed == 3


def test_what_has_ended_or_failed_is_no_trouble() -> None:
    async def fails() -> None:
        raise ValueError

    async def run() -> None:
        tasks = [asyncio.create_task(fails()), asyncio.create_task(asyncio.sleep(0))]
        await asyncio.wait(tasks)
        await end(tasks)
        await end([])
        assert isinstance(tasks[0].exception(), ValueError)

    in_a_loop(run)
