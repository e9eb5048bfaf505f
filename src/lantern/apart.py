"""Outside bytes that the pages take at once, read in a process of their own: what a file does to its reader it does to nobody else.

The reader is a function of this program; what it takes and returns is pickled, for both ends are ours. It may take so much processor
time and memory, runs behind all else, and ends as soon as nobody waits for it.
"""

from __future__ import annotations

import os
import pickle
import signal
import subprocess
import sys
import threading
import time
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from tempfile import TemporaryFile
from typing import IO, Any, TypeVar

from lantern.bounds import Bounds, limit_memory, limit_processor
from lantern.core.faults import Fault, Refused
from lantern.formats.border import border
from lantern.processes import cause_of, ends_with_parent

T = TypeVar("T")
Wanted = Callable[[], bool]
AT_ONCE = 2
LOOK_S, LONGEST_S = 0.25, 600.0
BEHIND = 10  # niceness: a dial that somebody drags goes first
COMMAND = (sys.executable, "-m", "lantern.apart")

_turns = threading.BoundedSemaphore(AT_ONCE)


class GivenUp(Exception):
    """Nobody waits for it any more."""


def bounds_of_a_file() -> Bounds:
    """What the reader of a file may take."""
    from lantern.settings import settings  # the other end is given its bounds, and needs no settings

    return Bounds(settings().import_silent_s, settings().import_memory_bytes)


def read_apart(read: Callable[..., T], *given: Any, name: str, bounds: Bounds, wanted: Wanted = lambda: True) -> T:
    """Return what `read(*given)` returns. `name`: of the file, for what is said of it.

    Raises `Refused` as the reader does, and where it took more than it may; `GivenUp` soon after it is no longer wanted.
    """
    with _turn(wanted), TemporaryFile() as call:
        pickle.dump((read, given, name, bounds), call)
        call.seek(0)
        with _started(call) as process:
            try:
                answer = _answer_of(process, wanted)
            finally:
                process.kill()
    if process.returncode or not answer:
        raise Refused([_fault(process.returncode, name, bounds)])
    value, faults = pickle.loads(answer)  # noqa: S301 - it is our own process
    if faults:
        raise Refused(faults)
    found: T = value
    return found


@contextmanager
def _turn(wanted: Wanted) -> Iterator[None]:
    while not _turns.acquire(timeout=LOOK_S):
        if not wanted():
            raise GivenUp
    try:
        yield
    finally:
        _turns.release()


def _started(call: IO[bytes]) -> subprocess.Popen[bytes]:
    return subprocess.Popen(  # noqa: S603 - this program
        COMMAND, stdin=call, stdout=subprocess.PIPE, start_new_session=True
    )


def _answer_of(process: subprocess.Popen[bytes], wanted: Wanted) -> bytes:
    began = time.monotonic()
    while True:
        try:
            return process.communicate(timeout=LOOK_S)[0]
        except subprocess.TimeoutExpired:
            if not wanted():
                raise GivenUp from None
            if time.monotonic() - began > LONGEST_S:  # it takes no time and does not end either
                process.kill()


def _fault(code: int, name: str, bounds: Bounds) -> Fault:
    if -code in (signal.SIGXCPU, signal.SIGKILL):
        return Fault(
            name, f"took {bounds.silent_s:g} s of processor time and was not read yet", "a smaller or simpler file"
        )
    if -code in (signal.SIGABRT, signal.SIGTRAP, signal.SIGSEGV, signal.SIGBUS, signal.SIGILL):
        return Fault(name, "needs more memory than a reader may take, or ends it", "a smaller or simpler file")
    return Fault(
        name, f"ended its reader ({cause_of(-code if code < 0 else code << 8)})", "another file; the log says more"
    )


# ---- the other end ---------------------------------------------------------------------------------------------------


def _serve() -> None:
    """Read one file as the other end asks, and answer."""
    ends_with_parent(os.getppid(), signal.SIGKILL)
    sink = os.fdopen(os.dup(1), "wb")
    os.dup2(2, 1)  # what a library prints is no answer
    os.nice(BEHIND)
    read, given, name, bounds = pickle.load(sys.stdin.buffer)  # noqa: S301 - from our own process
    limit_processor(bounds.silent_s)
    if bounds.memory_bytes is not None:
        limit_memory(bounds.memory_bytes)
    answer: tuple[Any, list[Fault]]
    try:
        with border(name):
            answer = read(*given), []
    except Refused as refused:
        answer = None, list(refused.faults)
    with sink:
        pickle.dump(answer, sink)


if __name__ == "__main__":
    _serve()
