"""Every table, so that migrations, relationships and the removal of a site see all of them.

Found by listing: each folder that stores something has a module `tables`; nothing else names them.
"""

from __future__ import annotations

from functools import cache

import lantern
import lantern.benches
from lantern.core.listing import modules_named


@cache
def load() -> None:
    """Import the tables of every folder."""
    for package in (lantern, lantern.benches):
        modules_named("tables", package)
