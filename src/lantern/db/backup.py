"""The whole of an installation as one file, by the database's own tools: written, checked, and put back all or nothing."""

from __future__ import annotations

import os
import re
import subprocess
from collections.abc import Callable
from contextlib import suppress
from datetime import UTC, datetime
from pathlib import Path
from urllib.parse import unquote, urlsplit

import psycopg
import structlog

from lantern.cluster import BIN, DATABASE, Cluster
from lantern.core.faults import Fault, LanternError, Refused
from lantern.db.migrate import check_schema, newest_schema, plain_url, schema_now

log = structlog.get_logger()
FRESH, FORMER = "lantern_restored", "lantern_former"
ENDS_WITH_BACKUP = (
    "user_session",
    "login_attempt",
    "take_export",
)  # whoever was logged in or waited for files asks again
LEFT_OUT = "--exclude-table-data=take_export_part"  # files that can be made again


class BackupError(LanternError):
    """A backup could not be written, or what was written cannot be read back."""


def back_up(address: str, target: Path) -> int:
    """Write the database at `address` (as the driver takes it) to a file and read all of it back; returns its size in bytes.

    The file appears under its name only once it was checked. Raises `BackupError`.
    """
    fresh = target.with_name(target.name + ".new")
    try:
        target.parent.mkdir(parents=True, exist_ok=True)
        _run("pg_dump", address, "--format=custom", "--no-owner", LEFT_OUT, f"--file={fresh}")
        _run("pg_restore", None, "--file=/dev/null", str(fresh))
        with fresh.open("rb") as written:
            os.fsync(written.fileno())
        fresh.replace(target)
    except OSError as error:
        raise BackupError(f"{target}: {error.strerror}. No backup was made.") from error
    finally:
        with suppress(OSError):
            fresh.unlink()
    return target.stat().st_size


def backup_before_migrating(state_dir: Path) -> Path | None:
    """If the database has an older schema than this program, back it up first; returns where. Raises `NewerSchemaError`."""
    found = schema_now()
    if found is None or found == newest_schema():
        return None
    at = datetime.now(UTC).strftime("%Y%m%dT%H%M%SZ")
    target = state_dir / "backups" / f"schema-{found}-{at}.lantern"
    back_up(plain_url(), target)
    log.info("backed up before migrating", file=str(target))
    print(f"The data is brought from schema {found} to {newest_schema()}; a backup lies in {target}.", flush=True)  # noqa: T201
    return target


def schema_in(source: Path) -> str | None:
    """The schema's revision of a backup. Raises `Refused` for what is no backup, `NewerSchemaError`."""
    if not source.is_file():
        raise Refused([Fault(str(source), "is no file", "a backup made by lantern backup")])
    try:
        text = _run("pg_restore", None, "--data-only", "--table=alembic_version", "--file=-", str(source))
    except BackupError as error:
        raise Refused([Fault(str(source), str(error), "a backup made by lantern backup")]) from error
    found = re.search(r"^COPY .*alembic_version .*\n(\S+)$", text, re.MULTILINE)
    if found is None:
        raise Refused([Fault(str(source), "holds no data of this program", "a backup made by lantern backup")])
    check_schema(found.group(1))
    return found.group(1)


def holds_data(cluster: Cluster) -> bool:
    """Would a restore overwrite something?"""
    with psycopg.connect(cluster.address(DATABASE)) as connection:
        for table in ("site", "user_account"):
            there = connection.execute("SELECT to_regclass(%s) IS NOT NULL", [table]).fetchone()
            if there and there[0] and connection.execute(f"SELECT 1 FROM {table} LIMIT 1".encode()).fetchone():  # noqa: S608 - our own names
                return True
    return False


def restore(cluster: Cluster, source: Path, before: Callable[[str], None] = lambda address: None) -> None:
    """Put a backup in the place of the database, once it is read whole; if it cannot be, nothing changes. `before`: what is done
    with it, at its address, before it is in place; asked where it has this program's schema.

    The program must not run. Raises `Refused`, `BackupError`.
    """
    schema = schema_in(source)
    with psycopg.connect(cluster.address("postgres"), autocommit=True) as connection:
        for name in (FRESH, FORMER):
            connection.execute(f'DROP DATABASE IF EXISTS "{name}"'.encode())  # of a restore that was cut off
        connection.execute(f'CREATE DATABASE "{FRESH}"'.encode())
        try:
            options = ("--exit-on-error", "--single-transaction", "--no-owner", f"--dbname={FRESH}")
            _run("pg_restore", cluster.address(FRESH), *options, str(source))
            _end_log_ins(cluster.address(FRESH))
            if schema == newest_schema():
                before(cluster.address(FRESH))
        except Exception:
            connection.execute(f'DROP DATABASE "{FRESH}"'.encode())
            raise
        with connection.transaction():
            connection.execute(f'ALTER DATABASE "{DATABASE}" RENAME TO "{FORMER}"'.encode())
            connection.execute(f'ALTER DATABASE "{FRESH}" RENAME TO "{DATABASE}"'.encode())
        connection.execute(f'DROP DATABASE "{FORMER}"'.encode())


def _end_log_ins(address: str) -> None:
    with psycopg.connect(address) as connection:
        for table in ENDS_WITH_BACKUP:
            there = connection.execute("SELECT to_regclass(%s) IS NOT NULL", [table]).fetchone()
            if there and there[0]:
                connection.execute(f"DELETE FROM {table}".encode())  # noqa: S608 - our own names


def _run(tool: str, address: str | None, *options: str) -> str:
    """One of the database's tools; what it printed. The password goes by the environment, where nobody else sees it."""
    environment = {"PATH": "/usr/bin:/bin", "LC_ALL": "C.UTF-8"}
    if address is not None:
        parts = urlsplit(address)
        environment |= {"PGHOST": str(parts.hostname), "PGPORT": str(parts.port), "PGUSER": str(parts.username)}
        environment |= {"PGPASSWORD": unquote(parts.password or ""), "PGDATABASE": parts.path.lstrip("/")}
    command = [str(BIN / tool), *options]
    done = subprocess.run(command, env=environment, capture_output=True, text=True, errors="replace", check=False)  # noqa: S603 - our own command
    if done.returncode != 0:
        said = done.stderr.strip().splitlines()
        raise BackupError(f"{tool} failed: {said[-1] if said else f'code {done.returncode}'}")
    return done.stdout
