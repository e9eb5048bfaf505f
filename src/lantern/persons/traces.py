"""Where a name stands: in every text, document and sample of a site, found by listing the tables, so that none is left out."""

from __future__ import annotations

import json
import re
from collections.abc import Iterable
from typing import Any

from sqlalchemy import Engine, String, Table, cast, func, literal, update
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Session

from lantern.db.base import engine
from lantern.db.belonging import rows_of_site, tables_of_site
from lantern.persons.tables import ErasureRow, GalleryRow, PersonRow
from lantern.recordings.actions import change_parts
from lantern.signals.register import SIGNALS
from lantern.signals.signal import AnySignal
from lantern.takes.exports import drop_exports_of
from lantern.takes.store import replace_value, value_of_take
from lantern.takes.tables import takes_of_signal

STILL_NEEDED = (ErasureRow, GalleryRow, PersonRow)  # by whoever erases: cleared by them
LEAST_LETTERS = 3
EDGE, EDGE_AFTER = r"(?<![[:alnum:]_-])", r"(?![[:alnum:]_-])"
STATISTICS = "pg_catalog.pg_statistic"  # it samples what stands in columns


def replaced(session: Session, site_id: int, old: str, new: str) -> dict[str, int]:
    """Put another name in place of one, wherever it stands on a site; return in how many rows of each table it stood.

    A name of so few letters, or without a figure, that it may be a word of its own is replaced where it stands alone, and not
    within sentences.
    """
    counts: dict[str, int] = {}
    for table in tables_of_site():
        if any(table is each.__table__ for each in STILL_NEEDED):
            continue
        found = sum(_in_column(session, table, column, site_id, old, new) for column in table.columns)
        if found:
            counts[table.name] = found
    for signal in SIGNALS.values():
        found = _in_samples(session, site_id, signal, old, new)
        if found:
            counts["frame_block"] = counts.get("frame_block", 0) + found
    session.flush()
    session.expire_all()
    return counts


def _in_column(session: Session, table: Table, column: Any, site_id: int, old: str, new: str) -> int:
    """Return in how many rows of a column it stood: of texts as it is, of documents as it is written in JSON."""
    is_document = isinstance(column.type, JSONB)
    if not (is_document or isinstance(column.type, String)):
        return 0
    told, instead = (json.dumps(text, ensure_ascii=False)[1:-1] for text in (old, new)) if is_document else (old, new)
    pattern = _pattern(told, old, quoted=is_document)
    kept = f'"{instead}"' if is_document and not _is_distinct(old) else instead
    text = cast(column, String)
    fresh: Any = func.regexp_replace(text, pattern, literal(kept.replace("\\", "\\\\")), "g")
    where = (rows_of_site(table, site_id), text.op("~")(pattern))
    done = session.execute(update(table).where(*where).values({column: cast(fresh, JSONB) if is_document else fresh}))
    return int(done.rowcount)  # type: ignore[attr-defined] # of an update


def _is_distinct(name: str) -> bool:
    return len(name) >= LEAST_LETTERS and any(c.isdigit() for c in name) and any(c.isalpha() for c in name)


def _pattern(told: str, name: str, *, quoted: bool) -> str:
    escaped = re.sub(r"([^\w\s-])", r"\\\1", told)
    if _is_distinct(name):
        return f"{EDGE}{escaped}{EDGE_AFTER}"
    return f'"{escaped}"' if quoted else f"^{escaped}$"


def _in_samples(session: Session, site_id: int, signal: AnySignal, old: str, new: str) -> int:
    """Return in how many takes of the signal it stood; recordings that are no takes yet are cleared too."""
    if not signal.names_people:
        return 0
    many = 0
    for take in takes_of_signal(session, site_id, signal.name):
        changed = signal.renamed(value_of_take(session, take), old, new)
        if changed is not None:
            replace_value(session, take, changed)
            drop_exports_of(session, take.id)
            many += 1
    change_parts(session, site_id, signal.name, lambda piece: signal.renamed(piece, old, new))
    return many


def worded_tables() -> set[str]:
    """Return the tables of a site in which a name can stand as it is written: those with texts or documents."""
    return {
        table.name
        for table in tables_of_site()
        if any(isinstance(column.type, JSONB | String) for column in table.columns)
    }


def swept(tables: Iterable[str], database: Engine | None = None) -> None:
    """Write these tables anew without what was deleted, and let go of the log that still has it. Nothing else may be under way
    in this thread's transaction.
    """
    with (database or engine()).connect().execution_options(isolation_level="AUTOCOMMIT") as connection:
        for name in sorted(set(tables)):
            connection.exec_driver_sql(f'VACUUM (FULL, ANALYZE) "{name}"')  # our own tables
        connection.exec_driver_sql(f"VACUUM (FULL) {STATISTICS}")
        connection.exec_driver_sql("SELECT pg_switch_wal()")
        connection.exec_driver_sql("CHECKPOINT")
