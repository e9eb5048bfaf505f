"""Work in a process of its own, which can be ended from outside whatever it is doing, and whose end harms nobody."""

from __future__ import annotations

import asyncio
import mmap
import os
import signal
import sys
import tempfile
from collections.abc import Awaitable, Callable
from contextlib import suppress
from pathlib import Path

import structlog

from lantern.bounds import Bounds, limit_memory
from lantern.db.base import StoreAwayError, engine
from lantern.formats.progress import telling
from lantern.processes import cause_of, ends_with_parent

log = structlog.get_logger()
ASK_S = 0.4  # whether it is still wanted
STAT = "/proc/{}/stat"
TICKS_A_SECOND = os.sysconf("SC_CLK_TCK")
STORE_AWAY = os.EX_TEMPFAIL


class Cancelled(Exception):
    """It was no longer wanted, and was ended."""


class Died(Exception):
    """It ended by itself before it was done; the message says how."""


class Stuck(Exception):
    """It worked and worked and did not get on, and was ended."""


class Pulse:
    """Beats of a child, counted where its parent sees them."""

    def __init__(self) -> None:
        self._shared = mmap.mmap(-1, 8)

    def beat(self) -> None:
        self._shared[:] = (self.count + 1).to_bytes(8, "little")

    @property
    def count(self) -> int:
        return int.from_bytes(self._shared[:], "little")


async def run_in_child(
    work: Callable[[Path], None], wanted: Callable[[], Awaitable[bool]], bounds: Bounds = Bounds()
) -> None:
    """Fork, do `work` there in a folder that is gone afterwards, and wait.

    The process must have no threads: a fork copies none, but what they hold stays locked. The child ends with its parent.
    Raises `Cancelled`, `Stuck`, `Died`, `StoreAwayError`.
    """
    pulse = Pulse()
    with tempfile.TemporaryDirectory(prefix="lantern-job-", ignore_cleanup_errors=True) as folder:
        pid = _fork(work, Path(folder), bounds, pulse)
        ended = False
        try:
            status = await _watched(pid, wanted, bounds, pulse)
            ended = True
        finally:
            if not ended:
                with suppress(ProcessLookupError):
                    os.kill(pid, signal.SIGKILL)
                os.waitpid(pid, 0)
        if os.WIFEXITED(status) and os.WEXITSTATUS(status) == STORE_AWAY:
            raise StoreAwayError("the store went away while it was done")
        if status != 0:
            raise Died(cause_of(status))


async def _watched(pid: int, wanted: Callable[[], Awaitable[bool]], bounds: Bounds, pulse: Pulse) -> int:
    """Its wait status, once it ends by itself. Raises `Cancelled` as soon as it is no longer wanted, `Stuck`."""
    loop, gone = asyncio.get_running_loop(), asyncio.Event()
    beats, used_s = 0, 0.0
    descriptor = os.pidfd_open(pid)
    loop.add_reader(descriptor, gone.set)
    try:
        while not gone.is_set():
            with suppress(TimeoutError):
                async with asyncio.timeout(ASK_S):
                    await gone.wait()
            if gone.is_set():
                break
            if not await wanted():
                raise Cancelled
            if pulse.count != beats:
                beats, used_s = pulse.count, _processor_s(pid)
            elif _processor_s(pid) - used_s > bounds.silent_s:
                raise Stuck(f"{bounds.silent_s:g} s of processor time without getting on")
    finally:
        loop.remove_reader(descriptor)
        os.close(descriptor)
    return os.waitpid(pid, 0)[1]


def _processor_s(pid: int) -> float:
    """Return how much processor time it has used, in s."""
    try:
        fields = Path(STAT.format(pid)).read_text().rpartition(")")[2].split()
    except OSError:
        return 0.0
    return (int(fields[11]) + int(fields[12])) / TICKS_A_SECOND


def _fork(work: Callable[[Path], None], folder: Path, bounds: Bounds, pulse: Pulse) -> int:
    sys.stdout.flush()
    parent = os.getpid()
    pid = os.fork()
    if pid:
        return pid
    code = 1
    try:
        ends_with_parent(parent, signal.SIGKILL)
        os.setpgid(0, 0)
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, signal.SIG_DFL)
        signal.set_wakeup_fd(-1)  # the parent's loop is not ours
        engine().dispose(close=False)  # nor are its connections
        if bounds.memory_bytes is not None:
            limit_memory(bounds.memory_bytes)
        with telling(pulse.beat):
            work(folder)
        code = 0
    except StoreAwayError:
        code = STORE_AWAY
    except BaseException:
        log.exception("job failed")
    finally:
        os._exit(code)
