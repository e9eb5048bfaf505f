"""A database of its own for a measurement, durable as in use, with nothing in it."""

from __future__ import annotations

import os
import tempfile
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

from lantern.cluster import Cluster


@contextmanager
def store() -> Iterator[None]:
    """Start it, bring its schema up, and point this process to it; stop it at the end."""
    from lantern.db.base import engine
    from lantern.db.migrate import migrate
    from lantern.settings import settings

    with tempfile.TemporaryDirectory(prefix="lantern-bench-", ignore_cleanup_errors=True) as name:
        folder = Path(name)
        folder.chmod(0o755)
        cluster = Cluster(folder)
        cluster.start()
        os.environ |= {"LANTERN_DATABASE_URL": cluster.url, "LANTERN_STATE_DIR": name, "LANTERN_ENGINE_SECRET": "bench"}
        settings.cache_clear()
        engine.cache_clear()
        try:
            migrate()
            yield
        finally:
            engine().dispose()
            cluster.stop()
