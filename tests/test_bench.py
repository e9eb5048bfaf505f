"""Every measurement runs to its end, at a size at which its figures mean nothing: one that nobody runs rots."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[1]


def test_each_measurement_runs_to_its_end() -> None:
    from bench.__main__ import ALL

    plain = {key: value for key, value in os.environ.items() if not key.startswith("LANTERN_")}
    command = [sys.executable, "-m", "bench"]
    done = subprocess.run(
        command, capture_output=True, text=True, check=False, cwd=ROOT, env=plain | {"LANTERN_BENCH_SMALL": "1"}
    )
    assert done.returncode == 0, done.stdout[-2000:] + done.stderr[-3000:]
    said = done.stdout.splitlines()
    figures = {name: said[said.index(name) + 1 :] for name in ALL}
    assert all(lines and lines[0].startswith("  ") for lines in figures.values())
    assert sum(line.startswith("  ") for line in said) > 60
