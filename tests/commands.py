"""The command line without a process of its own, whose start takes longer than most commands."""

from __future__ import annotations

import subprocess

from typer.testing import CliRunner

from lantern.cli import app


def lantern(*arguments: object) -> subprocess.CompletedProcess[str]:
    """Return what a command ends with and says. Raises what it does not catch itself."""
    done = CliRunner().invoke(app, [str(each) for each in arguments], prog_name="lantern")
    if done.exception is not None and not isinstance(done.exception, SystemExit):
        raise done.exception
    return subprocess.CompletedProcess(arguments, done.exit_code, done.stdout, done.stderr)
