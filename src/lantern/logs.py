"""The log files: who writes to them, and how they are put aside before they grow too large."""

from __future__ import annotations

import logging
import shutil
from logging.handlers import WatchedFileHandler
from pathlib import Path
from typing import Any

import structlog

KEPT = 4


class PatientFile(WatchedFileHandler):
    """A log file whose place cannot be written to loses lines, and stops nobody."""

    def emit(self, record: logging.LogRecord) -> None:
        try:
            super().emit(record)
        except OSError:
            self.handleError(record)


def logs_to(path: Path) -> None:
    """Append to a file from here on, in this process and those it forks; to a new one once this one was put aside."""
    timed: list[Any] = [
        structlog.stdlib.add_log_level,
        structlog.processors.TimeStamper(fmt="iso"),
        structlog.processors.format_exc_info,
    ]
    rendered: Any = structlog.processors.KeyValueRenderer(key_order=["timestamp", "level", "event"])
    last: list[Any] = [structlog.stdlib.ProcessorFormatter.remove_processors_meta, rendered]
    handler = PatientFile(path, encoding="utf-8")
    handler.setFormatter(structlog.stdlib.ProcessorFormatter(processors=last, foreign_pre_chain=timed))
    logging.raiseExceptions = False
    logging.basicConfig(handlers=[handler], level=logging.WARNING, force=True)
    logging.getLogger("lantern").setLevel(logging.INFO)
    structlog.configure(
        processors=[*timed, structlog.stdlib.ProcessorFormatter.wrap_for_formatter],
        logger_factory=structlog.stdlib.LoggerFactory(),
        wrapper_class=structlog.stdlib.BoundLogger,
    )


def put_aside(path: Path, most_bytes: int, *, held_open: bool = False) -> bool:
    """If it has grown too large: NAME becomes NAME.1, that NAME.2, and so on. Returns whether it did.

    Held open: by somebody who will not look for a new file (the database server), so that it is copied and emptied.
    """
    if not path.exists() or path.stat().st_size <= most_bytes:
        return False
    for number in range(KEPT - 1, 0, -1):
        older = path.with_name(f"{path.name}.{number}")
        if older.exists():
            older.replace(path.with_name(f"{path.name}.{number + 1}"))
    newest = path.with_name(f"{path.name}.1")
    if held_open:
        shutil.copyfile(path, newest)
        with path.open("r+b") as emptied:
            emptied.truncate()
    else:
        path.replace(newest)
    return True
