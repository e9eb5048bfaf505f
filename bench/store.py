"""A database of its own for a measurement, durable as in use, with nothing in it."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator, Mapping
from contextlib import contextmanager
from pathlib import Path

from lantern.cluster import Cluster


@contextmanager
def store() -> Iterator[None]:
    """Start it, bring its schema up, and point this process to it; stop it at the end."""
    from lantern.db.base import engine
    from lantern.db.migrate import migrate

    with tempfile.TemporaryDirectory(prefix="lantern-bench-", ignore_cleanup_errors=True) as name:
        folder = Path(name)
        folder.chmod(0o755)
        cluster = Cluster(folder)
        cluster.start()
        _point({"LANTERN_DATABASE_URL": cluster.url, "LANTERN_STATE_DIR": name, "LANTERN_ENGINE_SECRET": "bench"})
        try:
            migrate()
            yield
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
