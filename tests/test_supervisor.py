"""The whole program started as by `./lantern up`: one at a time, stopped clean, and nothing left however it ends."""

from __future__ import annotations

import os
import signal
import subprocess
import time
import urllib.request
from collections.abc import Callable, Iterator
from pathlib import Path

import pytest

from conftest import LANTERN, open_folder
from lantern.cluster import free_port

PATIENCE_S = 120.0


def until(condition: Callable[[], bool]) -> None:
    deadline = time.monotonic() + PATIENCE_S
    while not condition():
        assert time.monotonic() < deadline, "it did not happen in time"
        time.sleep(0.1)


def answers(port: int) -> bool:
    try:
        urllib.request.urlopen(f"http://127.0.0.1:{port}/health", timeout=1).close()
    except OSError:
        return False
    return True


def running() -> dict[int, int]:
    """Every process that is alive, and its parent. Only `stat` is read: to ask for a command line or an environment can wait without end for the memory of a process that is being taken down."""
    found = {}
    for entry in Path("/proc").glob("[0-9]*"):
        try:
            state, parent = (entry / "stat").read_text().rpartition(")")[2].split()[:2]
        except OSError:
            continue
        if state != "Z":
            found[int(entry.name)] = int(parent)
    return found


def family(of: int) -> set[int]:
    """A process and all that descend from it."""
    alive, found = running(), {of}
    while more := {pid for pid, parent in alive.items() if parent in found} - found:
        found |= more
    return found


@pytest.fixture
def state() -> Iterator[Path]:
    with open_folder() as folder:
        yield folder / "state"


def start(state: Path, port: int) -> subprocess.Popen[str]:
    environment = {k: v for k, v in os.environ.items() if not k.startswith("LANTERN_")} | {
        "LANTERN_STATE_DIR": str(state)
    }
    command = ["setpriv", "--pdeathsig", "TERM", str(LANTERN), "serve", "--port", str(port)]
    process = subprocess.Popen(command, env=environment, stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True)
    until(lambda: process.poll() is not None or answers(port))
    return process


def test_one_at_a_time_and_a_clean_stop(state: Path) -> None:
    port = free_port()
    first = start(state, port)
    second = start(state, free_port())
    assert second.wait(PATIENCE_S) == 1
    assert "running already" in (second.stdout.read() if second.stdout else "")
    members = family(first.pid)
    first.send_signal(signal.SIGINT)
    assert first.wait(PATIENCE_S) == 0
    assert "Stopped." in (first.stdout.read() if first.stdout else "")
    until(lambda: members.isdisjoint(running()))
    taken = start(state, port)  # and it starts again from what it left
    assert answers(port)
    taken.terminate()
    taken.wait(PATIENCE_S)


def test_killed_it_leaves_nothing_behind(state: Path) -> None:
    process = start(state, free_port())
    members = family(process.pid)
    assert len(members) > 3
    process.kill()
    process.wait(PATIENCE_S)
    until(lambda: members.isdisjoint(running()))
