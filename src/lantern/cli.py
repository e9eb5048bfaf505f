"""The command line. Exit codes: 0 done, 1 a finding or a failed run, 2 bad input (its faults on standard error)."""

from __future__ import annotations

import typer

import lantern.benches
from lantern.commands import judge, promise, ptz, register, run, standin, store, whole
from lantern.core.listing import modules_named

app = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False)
for commands in (judge.app, promise.app, ptz.app, register.app, run.app, store.app, whole.app):
    app.add_typer(commands)
app.add_typer(standin.app, name="standin")
for own in modules_named("commands", lantern.benches).values():  # of families, where they have any
    app.add_typer(own.app)


if __name__ == "__main__":
    app()
