"""Command that registers one frame to another by pairs: no database, no running program."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from lantern.commands.told import line, told

app = typer.Typer()


@app.command()
def register(
    pairs: Annotated[Path, typer.Option("--pairs", help="CSV with the columns of the model")],
    model: Annotated[str, typer.Option("--model", help="rigid, similarity, rotation or ground")] = "rigid",
) -> None:
    """Print, as JSON, how one frame lies in another, how far each pair misses, and what to think of it."""
    from lantern.core.faults import Fault, Refused
    from lantern.core.registration.report import MODELS, registered
    from lantern.formats.pairs import read_pairs

    with told():
        if model not in MODELS:
            raise Refused([Fault("--model", repr(model)[:40], f"one of {', '.join(MODELS)}")])
        if not pairs.is_file():
            raise Refused([Fault(str(pairs), "is no file", f"a CSV file: {','.join(MODELS[model].columns)}")])
        found = registered(model, read_pairs(pairs, MODELS[model].columns, where=pairs.name))
        sys.stdout.buffer.write(line(found))
