"""The families there are: found by listing the packages of the core, so that nothing names them."""

from __future__ import annotations

import importlib
import importlib.util
import pkgutil
from types import ModuleType

import lantern.core
from lantern.core.family import Family


def found_in(package: ModuleType) -> list[Family]:
    """The families of a package's sub-packages, by their names. Raises `ValueError` where two kinds have one name."""
    families = []
    for module in sorted(pkgutil.iter_modules(package.__path__), key=lambda each: each.name):
        if module.ispkg:
            name = f"{package.__name__}.{module.name}.family"
            if importlib.util.find_spec(name) is not None:
                families.append(importlib.import_module(name).FAMILY)
    names = [kind.name for family in families for kind in family.kinds]
    twice = {name for name in names if names.count(name) > 1}
    if twice:
        raise ValueError(f"two kinds of one name: {', '.join(sorted(twice))}")
    return families


FAMILIES: dict[str, Family] = {family.name: family for family in found_in(lantern.core)}
