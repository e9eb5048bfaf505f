"""Every measurement that needs no running program runs to its end."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest
from bench.program import _started

from measurements import OF_A_PROGRAM, figures_of


def test_each_measurement_runs_to_its_end() -> None:
    from bench.__main__ import ALL

    alone = tuple(name for name in ALL if name not in OF_A_PROGRAM)
    figures = figures_of(alone)
    assert tuple(figures) == alone
    assert sum(map(len, figures.values())) > 40


def test_a_program_that_does_not_start_says_why(tmp_path: Path) -> None:
    said = tmp_path / "said.txt"
    said.write_text("one\nThe port is taken.\n")
    ended = subprocess.Popen([sys.executable, "-c", "raise SystemExit(3)"])
    ended.wait()
    with pytest.raises(RuntimeError, match=r"(?s)ended with code 3.*The port is taken"):
        _started(ended, "http://127.0.0.1:9/health", [said, tmp_path / "none.log"])
    with subprocess.Popen([sys.executable, "-c", "import time; time.sleep(60)"]) as asleep:
        with pytest.raises(RuntimeError, match=r"(?s)did not answer within 0 s .*The port is taken"):
            _started(asleep, "http://127.0.0.1:9/health", [said], wait_s=0)
        asleep.kill()
