"""Parts that end are started again: at once, then ever later, and it is said."""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Callable
from pathlib import Path

import pytest

from lantern.processes import Part, Processes, cause_of, end_left_overs, pause_s, standing


@pytest.mark.parametrize(
    ("soon_ended", "recent_ends", "wait_s"),
    [(0, 1, 0), (1, 1, 0), (2, 2, 0.25), (3, 3, 0.5), (5, 5, 2), (20, 20, 30), (0, 10, 0), (0, 11, 0.25), (0, 14, 2)],
)
def test_the_first_end_is_met_at_once_and_more_of_them_ever_later(
    soon_ended: int, recent_ends: int, wait_s: float
) -> None:
    assert pause_s(soon_ended, recent_ends) == wait_s


def test_who_has_run_for_a_while_starts_with_a_clean_slate() -> None:
    part = Part("web", lambda: 1)
    for now in (0.1, 0.2, 0.3):
        part.ended("it failed", now)
    assert part.due == pytest.approx(0.3 + 0.5)
    assert part.standing(0.3)["keeps_ending"]
    part.began = 200.0
    part.ended("it failed", 300.0)
    assert part.due == 300.0
    assert not part.standing(300.0)["keeps_ending"]


def until(processes: Processes, condition: Callable[[], bool]) -> None:
    deadline = time.monotonic() + 30
    while not condition():
        assert time.monotonic() < deadline, processes.parts
        processes.look()
        time.sleep(0.01)


def sleeps() -> None:
    time.sleep(300)


def test_a_part_comes_back_alone_and_the_others_go_on(tmp_path: Path) -> None:
    processes = Processes(tmp_path)
    processes.add("one", sleeps)
    processes.add("other", sleeps)
    first, other = processes.parts["one"].pid, processes.parts["other"].pid
    os.kill(first, signal.SIGKILL)
    until(processes, lambda: processes.parts["one"].pid not in (0, first))
    assert processes.parts["other"].pid == other
    assert [(p["name"], p["starts"], p["cause"]) for p in standing(tmp_path)] == [
        ("one", 2, "it was ended by SIGKILL"),
        ("other", 1, ""),
    ]
    processes.end("one", "other", within_s=10)
    assert not processes.parts


def test_a_part_that_keeps_failing_is_said_and_waits_longer(tmp_path: Path) -> None:
    processes = Processes(tmp_path)
    processes.add("broken", lambda: os._exit(3))
    until(processes, lambda: processes.parts["broken"].recent_ends(time.monotonic()) >= 3)
    [said] = standing(tmp_path)
    assert said["keeps_ending"]
    assert said["cause"] == "it ended with code 3"
    until(processes, lambda: processes.parts["broken"].due > time.monotonic())  # a slow machine ends it late


def test_who_does_not_end_is_killed(tmp_path: Path) -> None:
    def deaf() -> None:
        signal.signal(signal.SIGTERM, signal.SIG_IGN)
        (tmp_path / "deaf").touch()
        sleeps()

    processes = Processes(tmp_path)
    processes.add("deaf", deaf)
    pid = processes.parts["deaf"].pid
    until(processes, (tmp_path / "deaf").exists)
    processes.end("deaf", within_s=0.3)
    with pytest.raises(ProcessLookupError):
        os.kill(pid, 0)


def test_what_an_earlier_program_left_is_waited_for_only_where_it_is_ours(tmp_path: Path) -> None:
    (tmp_path / "parts.pid").write_text(f"1\n{2**22 - 1}\nnonsense\n")
    end_left_overs(tmp_path, 0.1)  # not a list of ours
    (tmp_path / "parts.pid").write_text("1\n")
    end_left_overs(tmp_path, 0.1)
    assert Path("/proc/1").exists()  # it is not of this program, and left alone


def test_a_descriptor_that_is_to_be_closed_is(tmp_path: Path) -> None:
    with (tmp_path / "lock").open("w") as lock:
        descriptor = lock.fileno()

        def looks() -> None:
            try:
                os.fstat(descriptor)
            except OSError:
                os._exit(0)
            os._exit(7)

        processes = Processes(tmp_path, closing=[descriptor])
        processes.add("looks", looks)
        until(processes, lambda: bool(processes.parts["looks"].ends))
        assert processes.parts["looks"].cause == "it ended with code 0"


def test_causes_in_words() -> None:
    assert cause_of(9) == "it was ended by SIGKILL"
    assert cause_of(256) == "it ended with code 1"
    assert standing(Path("/nowhere")) == []
