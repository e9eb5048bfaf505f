"""The measurements at a size at which their figures mean nothing: one that nobody runs rots."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

ROOT = Path(__file__).parents[1]
OF_A_PROGRAM = ("scene", "pages", "plan", "scrub", "kills")  # they look at a running program, the last one hard


def figures_of(names: tuple[str, ...], **given: str) -> dict[str, list[str]]:
    """Run them to their end; returns the lines of figures of each. `given`: settings."""
    plain = {key: value for key, value in os.environ.items() if not key.startswith("LANTERN_")}
    done = subprocess.run(
        [sys.executable, "-m", "bench", *names],
        capture_output=True,
        text=True,
        check=False,
        cwd=ROOT,
        env=plain | {"LANTERN_BENCH_SMALL": "1"} | given,
    )
    assert done.returncode == 0, done.stdout[-2000:] + done.stderr[-3000:]
    found: dict[str, list[str]] = {}
    name = ""
    for line in done.stdout.splitlines():
        name = line if line in names else name
        if line.startswith("  "):
            found.setdefault(name, []).append(line)
    return found
