"""Long work as a row that pages follow: waiting, under way, and how it ended. One life cycle for whatever is done by a worker."""

from __future__ import annotations

import time
from collections.abc import Callable
from datetime import datetime
from typing import Any, ClassVar, TypeVar

import structlog
from sqlalchemy import update
from sqlalchemy.orm import Mapped, mapped_column

from lantern.core.faults import Fault, Refused
from lantern.db.base import StoreAwayError, now, transaction

log = structlog.get_logger()


class WorkRow:
    """The columns that every row of work has. It begins in one of `UNBEGUN`, is `BUSY`, and ends as done, refused,
    cancelled or failed.
    """

    UNBEGUN: ClassVar[tuple[str, ...]] = ("waiting",)
    BUSY: ClassVar[str] = "running"

    id: Any
    state: Mapped[str]
    done: Mapped[int] = mapped_column(default=0)
    total: Mapped[int] = mapped_column(default=0)
    faults: Mapped[list[Any]] = mapped_column(default=list)
    cancel: Mapped[bool] = mapped_column(default=False)
    attempts: Mapped[int] = mapped_column(default=0)  # how often a worker took it up
    created: Mapped[datetime] = mapped_column(default=now)

    @property
    def open(self) -> bool:
        return self.state in (*self.UNBEGUN, self.BUSY)

    def ask_to_end(self) -> None:
        """The worker kills what is under way. What is not begun ends at once."""
        self.cancel = True
        if self.state in self.UNBEGUN:
            self.finish("cancelled")

    def finish(self, state: str, faults: list[dict[str, Any]] | None = None) -> None:
        """Say how it ended."""
        self.state, self.faults = state, faults or []


TELL_EVERY_S = 0.25
Tell = Callable[[int, int], None]  # (done, of how much)


def teller(table: type[WorkRow], row_id: int) -> Tell:
    """Return what stores how far it has come, in a transaction of its own, so that the page sees it; but not at every word."""
    last = 0.0

    def tell(done: int, total: int) -> None:
        nonlocal last
        if time.monotonic() - last < TELL_EVERY_S and done < total:
            return
        last = time.monotonic()
        with transaction() as session:
            session.execute(update(table).where(table.id == row_id).values(done=done, total=total))

    return tell


Row = TypeVar("Row", bound=WorkRow)
Record = Callable[[Row], None]  # writes what came of it into its row


def refuse(row: WorkRow, error: Refused) -> None:
    row.finish("refused", [fault.as_dict() for fault in error.faults])


def carry_out(
    table: type[Row],
    row_id: int,
    work: Callable[[Row], Record[Row] | None],
    *,
    refused: Callable[[Row, Refused], None] = refuse,
) -> None:
    """Do the work of a row; whatever happens, the row says so. `work` gets it as it was at the beginning, and returns what is to
    be recorded at the end. A row that is not to be done any more is left alone.
    """
    with transaction() as session:
        row = session.get(table, row_id, with_for_update=True)
        if row is None or row.state not in ("waiting", table.BUSY):
            return
        row.state = table.BUSY
        session.flush()
        session.expunge(row)
    end = _done(table, row_id, row, work, refused)
    with transaction() as session:
        held = session.get(table, row_id)
        if held is not None:
            end(held)


def _done(
    table: type[Row],
    row_id: int,
    row: Row,
    work: Callable[[Row], Record[Row] | None],
    refused: Callable[[Row, Refused], None],
) -> Record[Row]:
    """Do it; returns what says in the row how it ended."""
    try:
        record = work(row)
    except Refused as error:
        cause = error
        return lambda held: refused(held, cause)
    except StoreAwayError:
        raise
    except Exception:
        log.exception("work failed", table=table.__name__, id=row_id)
        fault = Fault("program", "an error of the program, not of what was asked", "a look at the log").as_dict()
        return lambda held: held.finish("failed", [fault])

    def end(held: Row) -> None:
        held.finish("done")
        if record is not None:
            record(held)

    return end
