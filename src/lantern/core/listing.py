"""What is found by listing folders, so that nothing names it: modules of one name, each in a folder of its own."""

from __future__ import annotations

import importlib
import importlib.util
import pkgutil
from types import ModuleType


def modules_named(name: str, package: ModuleType) -> dict[str, ModuleType]:
    """Return the modules `name` in the folders of a package, by folder and in the order of these; not every one has it."""
    folders = sorted(each.name for each in pkgutil.iter_modules(package.__path__) if each.ispkg)
    full = {folder: f"{package.__name__}.{folder}.{name}" for folder in folders}
    return {folder: importlib.import_module(at) for folder, at in full.items() if importlib.util.find_spec(at)}
