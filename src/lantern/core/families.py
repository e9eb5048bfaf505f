"""The families there are: found by listing the packages of the core, so that nothing names them."""

from __future__ import annotations

from types import ModuleType

import lantern.core
from lantern.core.family import AnyFamily
from lantern.core.listing import modules_named


def found_in(package: ModuleType) -> list[AnyFamily]:
    """The families of a package's sub-packages, by their names. Raises `ValueError` where two kinds have one name."""
    families: list[AnyFamily] = [module.FAMILY for module in modules_named("family", package).values()]
    names = [kind.name for family in families for kind in family.kinds]
    twice = {name for name in names if names.count(name) > 1}
    if twice:
        raise ValueError(f"two kinds of one name: {', '.join(sorted(twice))}")
    return families


FAMILIES: dict[str, AnyFamily] = {family.name: family for family in found_in(lantern.core)}
