"""Every table, so that migrations, relationships and the removal of a site see all of them.

Found by listing: each folder that stores something has a module `tables`; nothing else names them.
"""

from __future__ import annotations

import importlib
import importlib.util
import pkgutil
from functools import cache

import lantern
import lantern.benches


@cache
def load() -> None:
    """Import the tables of every folder."""
    for package in (lantern, lantern.benches):
        for module in pkgutil.iter_modules(package.__path__):
            name = f"{package.__name__}.{module.name}.tables"
            if module.ispkg and importlib.util.find_spec(name) is not None:
                importlib.import_module(name)
