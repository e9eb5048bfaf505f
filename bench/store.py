"""A database of its own for a measurement, durable as in use, with nothing in it."""

from __future__ import annotations

import atexit
import os
import tempfile
import time
from collections.abc import Iterator, Mapping
from contextlib import ExitStack, contextmanager
from pathlib import Path

import psycopg

from bench.figures import SMALL
from lantern.cluster import Cluster


@contextmanager
def store() -> Iterator[None]:
    """Start it, bring its schema up, and point this process to it; stop it at the end. At a small size one server is enough for all,
    with a database for each, which need not be durable.
    """
    from lantern.db.base import engine

    if not SMALL:
        with _server() as cluster:
            _point({"LANTERN_DATABASE_URL": cluster.url})
            yield
            engine().dispose()
        return
    if not _running:
        _running.append(_shared.enter_context(_server()))
        atexit.register(_shared.close)
    base, template = _running[0].url.rsplit("/", 1)
    name = f"b{time.monotonic_ns()}"
    with psycopg.connect(f"{base.replace('+psycopg', '')}/postgres", autocommit=True) as connection:
        connection.execute(f'CREATE DATABASE "{name}" TEMPLATE "{template}"'.encode())
    _point({"LANTERN_DATABASE_URL": f"{base}/{name}"})
    yield
    engine().dispose()


_shared = ExitStack()
_running: list[Cluster] = []


@contextmanager
def _server() -> Iterator[Cluster]:
    """A server with a database that has the schema and nothing in it; nobody is connected to that."""
    from lantern.db.base import engine
    from lantern.db.migrate import migrate

    with tempfile.TemporaryDirectory(prefix="lantern-bench-", ignore_cleanup_errors=True) as name:
        folder = Path(name)
        folder.chmod(0o755)
        cluster = Cluster(folder, durable=not SMALL)
        cluster.start()
        _point({"LANTERN_DATABASE_URL": cluster.url, "LANTERN_STATE_DIR": name, "LANTERN_ENGINE_SECRET": "bench"})
        try:
            migrate()
            engine().dispose()
            yield cluster
        finally:
            engine().dispose()
            cluster.stop()


def beside(state: Path) -> None:
    """Point this process to the database of a program that runs in a folder."""
    from lantern.supervisor import running_database

    _point(running_database(state))


def _point(environment: Mapping[str, str]) -> None:
    from lantern.db.base import engine
    from lantern.settings import settings

    os.environ |= environment
    settings.cache_clear()
    engine.cache_clear()
