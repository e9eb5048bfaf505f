"""Coroutines in tests."""

from __future__ import annotations

import asyncio
from collections.abc import Callable, Coroutine
from concurrent.futures import ThreadPoolExecutor
from typing import Any, TypeVar

T = TypeVar("T")


def in_a_loop(work: Callable[[], Coroutine[Any, Any, T]]) -> T:
    """Run in a thread of its own: the browser's tests leave a loop running in the thread of a worker's tests."""
    with ThreadPoolExecutor(1) as thread:
        return thread.submit(lambda: asyncio.run(work())).result()
