"""Run apart, with the made-up families beside those of the program: they hold what every family must, and the commands know them."""

from __future__ import annotations

import json
import sys
from pathlib import Path

import pytest

HERE = Path(__file__).parent
sys.path[:0] = [str(HERE.parent), str(HERE)]

import program  # noqa: E402 - found beside this

program.bring()
sys.path += [str(HERE / name) for name in program.FAMILIES]  # their examples lie beside them
KINDS = ("echo", "crowd", "likeness")


def prove(folder: Path) -> None:
    """A take of their own signal is judged on the command line."""
    from lantern.core.echoes.examples import AHEAD, sweeps
    from lantern.core.likenesses.examples import GATE, probes
    from takes_by_signal import put_down
    from typer.testing import CliRunner

    from lantern.cli import app
    from lantern.signals.register import signal_of

    def said(command: str, *options: str) -> str:
        done = CliRunner().invoke(app, [command, *options])
        assert done.exit_code == 0, done.output
        return done.stdout

    document = folder / "ahead.json"
    document.write_text(AHEAD.model_dump_json())
    take = put_down(folder / "soundings", signal_of("echoes"), sweeps(), device="E1")
    [line] = said("evaluate", "--take", str(take), "--detector", str(document)).splitlines()
    assert json.loads(line)["raised_s"] == 6.0  # heard from 5 s on, for a second
    gate = folder / "gate.json"
    gate.write_text(GATE.model_dump_json())
    take = put_down(folder / "probes", signal_of("likenesses"), probes(), device="V1")
    (folder / "marks.csv").write_text("start_s,end_s,label,detector,note\n")
    marks = ("--marks", str(folder / "marks.csv"))
    rows = said("sweep", "--take", str(take), "--detector", str(gate), *marks, "--dial", "least_score").splitlines()
    assert len(rows) > 4, rows
    sys.stdout.write("an echo at 6 s, and a curve\n")


if __name__ == "__main__":
    conforms = [str(HERE.parent / "test_families.py"), "-o", "addopts=--import-mode=importlib -q"]
    conforms += ["-k", " or ".join((*KINDS, "every_kind"))]
    sys.exit(pytest.main(conforms) or prove(Path(sys.argv[1])))
