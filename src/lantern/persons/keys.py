"""The data keys of whatever may have to be erased for good: outside the database and its backups, in a file of their own.

A key that is destroyed makes all that was sealed by it unreadable, in old backups too. A copy of this file would undo that; if it
is lost, nothing that was sealed can be read again. Beside the keys lies the journal of who was erased, so that an older backup
which still has them is cleared of them before anybody may log in.
"""

from __future__ import annotations

import os
import secrets
import sqlite3
from collections.abc import Collection, Iterator, Sequence
from contextlib import contextmanager
from functools import lru_cache
from pathlib import Path
from uuid import UUID, uuid4

from lantern.core.faults import LanternError
from lantern.settings import settings

KEY_BYTES = 32  # AES-256
WAIT_S = 10.0
AT_ONCE = 500  # of a question
FILE = "keys.sqlite"
TABLES = """
CREATE TABLE IF NOT EXISTS data_key (id BLOB PRIMARY KEY, key BLOB NOT NULL) WITHOUT ROWID;
CREATE TABLE IF NOT EXISTS erased (id BLOB PRIMARY KEY) WITHOUT ROWID;
"""


class KeyStoreError(LanternError):
    """The keys cannot be read or written."""


class KeyStore:
    """Keys by their ids. Every call is a transaction of its own: it can be used from any thread and process of this machine."""

    def __init__(self, folder: Path) -> None:
        self._path = folder / FILE
        try:
            folder.mkdir(parents=True, exist_ok=True, mode=0o700)
            os.close(os.open(self._path, os.O_CREAT | os.O_RDWR, 0o600))  # what lies beside it gets the same rights
        except OSError as error:
            raise KeyStoreError(
                f"{folder}: {error.strerror}. Without its keys the program stores no pictures."
            ) from error
        with self._open() as held:
            held.executescript(TABLES)

    def made(self, count: int = 1) -> list[tuple[UUID, bytes]]:
        """Return so many new keys with their ids; they are on the disk when it returns."""
        fresh = [(uuid4(), secrets.token_bytes(KEY_BYTES)) for _ in range(count)]
        with self._open() as held:
            held.executemany("INSERT INTO data_key VALUES (?, ?)", [(name.bytes, key) for name, key in fresh])
        return fresh

    def of(self, names: Collection[UUID]) -> dict[UUID, bytes]:
        """Return those of the keys that there are."""
        found: dict[UUID, bytes] = {}
        with self._open() as held:
            for some in _parts([name.bytes for name in names]):
                query = f"SELECT id, key FROM data_key WHERE id IN ({','.join('?' * len(some))})"  # noqa: S608 - question marks
                found |= {UUID(bytes=name): key for name, key in held.execute(query, some)}
        return found

    def destroy(self, names: Collection[UUID]) -> None:
        """What was sealed by these keys cannot be read any more, by anybody. The file is overwritten where they stood."""
        with self._open() as held:
            held.executemany("DELETE FROM data_key WHERE id = ?", [(name.bytes,) for name in names])
        self._settle()

    def note_erased(self, person: UUID) -> None:
        """Remember, outside the database, that somebody was erased."""
        with self._open() as held:
            held.execute("INSERT OR IGNORE INTO erased VALUES (?)", (person.bytes,))

    def erased(self) -> set[UUID]:
        with self._open() as held:
            return {UUID(bytes=name) for (name,) in held.execute("SELECT id FROM erased")}

    @contextmanager
    def _open(self) -> Iterator[sqlite3.Connection]:
        """Yield a connection; what was done is written at the end, whole. Raises `KeyStoreError`."""
        try:
            held = sqlite3.connect(self._path, timeout=WAIT_S)
            try:
                held.execute("PRAGMA journal_mode = WAL")
                held.execute("PRAGMA synchronous = FULL")
                held.execute("PRAGMA secure_delete = ON")
                with held:
                    yield held
            finally:
                held.close()
        except sqlite3.Error as error:
            raise KeyStoreError(f"{self._path}: {error}. Nothing was sealed or opened.") from error

    def _settle(self) -> None:
        """Write the log of changes into the file and empty it: what was deleted stands in neither."""
        with self._open() as held:
            held.commit()
            held.execute("PRAGMA wal_checkpoint(TRUNCATE)")


def _parts(names: Sequence[bytes]) -> Iterator[Sequence[bytes]]:
    for first in range(0, len(names), AT_ONCE):
        yield names[first : first + AT_ONCE]


def key_folder() -> Path:
    """Return where the keys lie: beside the folder of the state, not in it, for a copy of that folder must not hold them."""
    held, state = settings().key_dir, settings().state_dir.resolve()
    return held if held is not None else state.with_name(f"{state.name}-keys")


def key_store() -> KeyStore:
    """Return this installation's."""
    return _store_in(key_folder())


@lru_cache
def _store_in(folder: Path) -> KeyStore:
    return KeyStore(folder)
