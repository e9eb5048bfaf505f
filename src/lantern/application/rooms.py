"""The rooms of the application: every folder with a module `stage`, found by listing. Nothing names them."""

from __future__ import annotations

from pathlib import Path

import lantern
import lantern.benches
import lantern.signals
from lantern.core.listing import modules_named
from lantern.web.frame import Room, Stage

ROOMS: dict[str, Room] = {folder: module.STAGE for folder, module in modules_named("stage", lantern).items()}
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
