"""The command line. Exit codes: 0 done, 1 a finding or a failed run, 2 bad input (its faults on standard error)."""

from __future__ import annotations

import importlib
import importlib.util
import pkgutil

import typer

import lantern.benches
from lantern.commands import judge, promise, run, standin, store

app = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False)
for commands in (judge.app, promise.app, run.app, store.app):
    app.add_typer(commands)
app.add_typer(standin.app, name="standin")
for room in sorted(pkgutil.iter_modules(lantern.benches.__path__), key=lambda each: each.name):
    own = f"{lantern.benches.__name__}.{room.name}.commands"  # of a family, where it has any
    if room.ispkg and importlib.util.find_spec(own) is not None:
        app.add_typer(importlib.import_module(own).app)


if __name__ == "__main__":
    app()
