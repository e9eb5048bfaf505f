"""Keeping the program's parts alive: each a process of its own, forked, watched, and started again when it ends.

At once, at first; then ever later, while the others go on. How they stand is written to a file that every page and `/health` read.
"""

from __future__ import annotations

import ctypes
import os
import signal
import sys
import time
from collections import deque
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import orjson
import structlog

log = structlog.get_logger()
PR_SET_PDEATHSIG = 1
SOON_S = 1.0  # who ends sooner has not even begun
FREE_ENDS, WITHIN_S = 10, 60.0  # so many ends within so long are met at once
SHORTEST_S, LONGEST_S = 0.25, 30.0
KEEPS_ENDING = 3  # ends within that time that are worth a word on every page
STANDING, PIDS = "parts.json", "parts.pid"


@dataclass
class Part:
    """One part: how it is started, which tells its process, and how it has fared."""

    name: str
    start: Callable[[], int]
    pid: int = 0
    began: float = 0.0
    due: float = 0.0
    starts: int = 0
    cause: str = ""
    ends: deque[float] = field(default_factory=lambda: deque(maxlen=FREE_ENDS * 2))
    soon_ended: int = 0

    def ended(self, cause: str, now: float) -> None:
        """Note it, and when to start again."""
        self.pid, self.cause = 0, cause
        self.ends.append(now)
        self.soon_ended = self.soon_ended + 1 if now - self.began < SOON_S else 0
        self.due = now + pause_s(self.soon_ended, self.recent_ends(now))

    def recent_ends(self, now: float) -> int:
        return sum(now - at < WITHIN_S for at in self.ends)

    def standing(self, now: float) -> dict[str, Any]:
        ends = self.recent_ends(now)
        return {
            "name": self.name,
            "running": self.pid != 0,
            "starts": self.starts,
            "ends": ends,
            "keeps_ending": ends >= KEEPS_ENDING,
            "cause": self.cause,
        }


def pause_s(soon_ended: int, recent_ends: int) -> float:
    """Return how long to wait with the next start, after so many ends in a row that came within a second, and so many
    within a minute.
    """
    too_many = max(soon_ended - 1, recent_ends - FREE_ENDS, 0)
    return 0.0 if too_many == 0 else min(SHORTEST_S * 2 ** (too_many - 1), LONGEST_S)


class Processes:
    """Forks parts and keeps them; `tell` writes how they stand."""

    def __init__(self, state_dir: Path, *, closing: Sequence[int] = ()) -> None:
        """`closing`: descriptors that no part may hold open."""
        self.parts: dict[str, Part] = {}
        self._file, self._pids = state_dir / STANDING, state_dir / PIDS
        self._closing = closing
        self._told: Any = None

    def add(self, name: str, run: Callable[[], None]) -> None:
        """A part that is forked from here and runs this."""
        self.parts[name] = Part(name, lambda: self._fork(name, run))
        self._start(self.parts[name])

    def adopt(self, name: str, start: Callable[[], int], pid: int) -> None:
        """A part that runs already, and how to start it again."""
        self.parts[name] = Part(name, start, pid, time.monotonic(), starts=1)
        self._write_pids()

    def look(self) -> None:
        """Note which parts have ended, start those that are due, tell how they stand."""
        now = time.monotonic()
        for part in self.parts.values():
            if part.pid:
                pid, status = os.waitpid(part.pid, os.WNOHANG)
                if pid:
                    cause = cause_of(status)
                    part.ended(cause, now)
                    log.error("part ended", part=part.name, cause=cause, again_in_s=round(part.due - now, 2))
            if not part.pid and part.due <= now:
                self._start(part)
        self.tell(now)

    def tell(self, now: float | None = None) -> None:
        standing = [part.standing(time.monotonic() if now is None else now) for part in self.parts.values()]
        if standing == self._told:
            return
        self._told = standing
        try:
            fresh = self._file.with_suffix(".new")
            fresh.write_bytes(orjson.dumps(standing))
            fresh.replace(self._file)
        except OSError as error:
            log.warning("nobody is told how the parts stand", error=str(error))

    def end(self, *names: str, within_s: float) -> None:
        """Ask parts to end and wait; who does not is killed."""
        ending = [part for part in self.parts.values() if part.name in names and part.pid]
        for part in ending:
            os.kill(part.pid, signal.SIGTERM)
        deadline = time.monotonic() + within_s
        while ending and time.monotonic() < deadline:
            ending = [part for part in ending if os.waitpid(part.pid, os.WNOHANG)[0] == 0]
            time.sleep(0.01)
        for part in ending:
            log.error("part does not end and is killed", part=part.name)
            os.kill(part.pid, signal.SIGKILL)
            os.waitpid(part.pid, 0)
        for name in names:
            self.parts.pop(name, None)

    def _start(self, part: Part) -> None:
        part.began, part.starts = time.monotonic(), part.starts + 1
        try:
            part.pid = part.start()
        except OSError as error:  # no more processes, a full disk
            part.ended(f"it cannot be started: {error.strerror}", part.began)
        self._write_pids()

    def _write_pids(self) -> None:
        try:
            self._pids.write_text("".join(f"{part.pid}\n" for part in self.parts.values() if part.pid))
        except OSError as error:
            log.warning("the parts' numbers are not written", error=str(error))

    def _fork(self, name: str, run: Callable[[], None]) -> int:
        sys.stdout.flush()
        parent = os.getpid()
        pid = os.fork()
        if pid:
            return pid
        code = 1
        try:
            ends_with_parent(parent)
            for descriptor in self._closing:
                os.close(descriptor)
            os.setpgid(0, 0)  # Ctrl-C reaches the supervisor, which ends the parts in order
            for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
                signal.signal(number, signal.SIG_DFL)
            run()
            code = 0
        except BaseException:
            log.exception("part failed", part=name)
        finally:
            os._exit(code)


def ends_with_parent(parent: int, by: signal.Signals = signal.SIGTERM) -> None:
    """Have the kernel end this process when its parent goes, however that goes."""
    ctypes.CDLL(None, use_errno=True).prctl(PR_SET_PDEATHSIG, by)
    if os.getppid() != parent:
        os._exit(1)


def cause_of(status: int) -> str:
    """A wait status in words."""
    code = os.waitstatus_to_exitcode(status)
    if code >= 0:
        return f"it ended with code {code}"
    return f"it was ended by {signal.Signals(-code).name}"


def end_left_overs(state_dir: Path, within_s: float) -> None:
    """Wait for the parts of a supervisor that was killed: the kernel has told them to end. Who does not is killed."""
    try:
        pids = [int(line) for line in (state_dir / PIDS).read_text().split()]
    except (OSError, ValueError):
        return
    deadline = time.monotonic() + within_s
    left = [pid for pid in pids if is_ours(pid)]
    while left and time.monotonic() < deadline:
        time.sleep(0.02)
        left = [pid for pid in left if is_ours(pid)]
    for pid in left:
        os.kill(pid, signal.SIGKILL)


def is_ours(pid: int) -> bool:
    """Return whether this process runs, and is one of this program."""
    try:
        state = Path(f"/proc/{pid}/stat").read_text().rpartition(")")[2].split()[0]
        return state != "Z" and b"lantern" in Path(f"/proc/{pid}/cmdline").read_bytes()
    except OSError:
        return False


def standing(state_dir: Path) -> list[dict[str, Any]]:
    """Return how the parts of the program stand, as its supervisor last wrote it; empty where none runs."""
    try:
        found = orjson.loads((state_dir / STANDING).read_bytes())
    except (OSError, orjson.JSONDecodeError):
        return []
    return found if isinstance(found, list) else []
