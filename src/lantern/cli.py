"""The command line. Exit codes: 0 done, 1 a finding or a failed run, 2 bad input (its faults on standard error)."""

from __future__ import annotations

import typer

from lantern.commands import judge, run, standin, store

app = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False)
for commands in (judge.app, run.app, store.app):
    app.add_typer(commands)
app.add_typer(standin.app, name="standin")


if __name__ == "__main__":
    app()
