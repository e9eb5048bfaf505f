"""What all commands have in common: how a refusal is told, and how the running program is reached."""

from __future__ import annotations

import os
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import TYPE_CHECKING, Any

import orjson
import typer

from lantern.core.faults import LanternError, Refused

if TYPE_CHECKING:
    from sqlalchemy.orm import Session

STATE_DIR = Path(os.environ.get("LANTERN_STATE_DIR", ".lantern"))


@contextmanager
def told() -> Iterator[None]:
    """Bad input ends with exit code 2 and every fault on a line of its own."""
    try:
        yield
    except Refused as error:
        for fault in error.faults:
            print(fault, file=sys.stderr)
        raise typer.Exit(2) from error
    except LanternError as error:
        print(error, file=sys.stderr)
        raise typer.Exit(1) from error
    except OSError as error:
        print(f"{error.filename or 'The machine'}: {error.strerror or error}", file=sys.stderr)
        raise typer.Exit(1) from error


def line(document: Any) -> bytes:
    return orjson.dumps(document, option=orjson.OPT_APPEND_NEWLINE)


def say_left(names: Sequence[str]) -> None:
    """Print what a file manager left beside the take, and was skipped."""
    for name in names:
        print(f"{name}: skipped, left there by a file manager", file=sys.stderr)


@contextmanager
def running_store() -> Iterator[Session]:
    """The store of the program that runs from this folder, in one transaction."""
    from lantern.settings import settings
    from lantern.supervisor import running_database

    os.environ |= running_database(STATE_DIR)
    settings.cache_clear()
    from lantern.db.base import transaction

    with transaction() as session:
        yield session
