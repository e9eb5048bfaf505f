"""Writes a take of each made-up signal into a folder, one below it each: `python write_takes.py FOLDER`."""

from __future__ import annotations

import sys
from pathlib import Path

HERE = Path(__file__).parent
sys.path[:0] = [str(HERE.parent), str(HERE)]

import program  # noqa: E402 - found beside this


def write_takes(folder: Path) -> None:
    from lantern.core.badges.examples import fixes
    from lantern.core.echoes.examples import sweeps
    from lantern.core.likenesses.examples import probes
    from takes_by_signal import put_down

    from lantern.signals.register import signal_of

    put_down(folder / "badges", signal_of("fixes"), fixes(), device="B1")
    put_down(folder / "echoes", signal_of("echoes"), sweeps(), device="E1")
    put_down(folder / "likenesses", signal_of("likenesses"), probes(), device="V1")


if __name__ == "__main__":
    program.bring()
    write_takes(Path(sys.argv[1]))
