"""The program with families that tests have made up beside its own: each is found in its folders, and nothing else knows it.

Run it as `lantern` is run: `python tests/made_up/program.py serve --port 8000`.
"""

from __future__ import annotations

from pathlib import Path

import lantern.benches
import lantern.core
import lantern.signals

HERE = Path(__file__).parent
FAMILIES = ("badges", "echoes", "likenesses")


def bring() -> None:
    """Let the program find them, before it looks for families, signals and benches."""
    for name in FAMILIES:
        for package in (lantern.core, lantern.signals, lantern.benches):
            package.__path__.append(str(HERE / name / package.__name__.removeprefix("lantern.")))


if __name__ == "__main__":
    bring()
    from lantern.cli import app

    app()
