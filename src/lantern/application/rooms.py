"""The rooms of the application: every folder with a module `stage`, found by listing. Nothing names them."""

from __future__ import annotations

import importlib
import importlib.util
import pkgutil
from pathlib import Path

import lantern
from lantern.web.frame import Room, Stage


def _found() -> dict[str, Room]:
    packages = [module.name for module in pkgutil.iter_modules(lantern.__path__) if module.ispkg]
    names = [name for name in packages if importlib.util.find_spec(f"lantern.{name}.stage") is not None]
    return {name: importlib.import_module(f"lantern.{name}.stage").STAGE for name in names}


ROOMS = _found()  # by the name of their folder
STAGES = sorted((room for room in ROOMS.values() if isinstance(room, Stage)), key=lambda stage: stage.place)


def static_of(name: str) -> Path | None:
    """Return the folder of a room's scripts and styles, if it has one."""
    folder = Path(lantern.__path__[0]) / name / "static"
    return folder if folder.is_dir() else None
