"""The rooms of the application: every folder with a module `stage`, found by listing. Nothing names them."""

from __future__ import annotations

import importlib
import importlib.util
import pkgutil
from pathlib import Path

import lantern
import lantern.benches
import lantern.signals
from lantern.web.frame import Room, Stage


def _found() -> dict[str, Room]:
    packages = [module.name for module in pkgutil.iter_modules(lantern.__path__) if module.ispkg]
    names = [name for name in packages if importlib.util.find_spec(f"lantern.{name}.stage") is not None]
    return {name: importlib.import_module(f"lantern.{name}.stage").STAGE for name in names}


ROOMS = _found()  # by the name of their folder
STAGES = sorted((room for room in ROOMS.values() if isinstance(room, Stage)), key=lambda stage: stage.place)


def static_folders() -> dict[str, Path]:
    """Return the folders of scripts and styles by their address below `/static/`, the deeper before those that they lie in; the
    shell's (`web`) are all the rest.

    What a folder of the program has to show lies in its `static`; so it is in the rooms of signals and of benches.
    """
    found = {folder.parent.name: folder for folder in Path(lantern.__path__[0]).glob("*/static")}
    for package in (lantern.signals, lantern.benches):
        name = package.__name__.removeprefix("lantern.")
        for path in package.__path__:
            found |= {f"{name}/{folder.parent.name}": folder for folder in Path(path).glob("*/static")}
    shell = {"web": found.pop("web")}
    return dict(sorted(found.items(), key=lambda each: -each[0].count("/"))) | shell
