"""The generic, made-up types of device that ship with the program, as files of the format that users bring (`lantern-type/1`)."""

from __future__ import annotations

from collections.abc import Mapping
from functools import cache
from importlib.resources import files

import orjson

from lantern.core.modelled import read_model
from lantern.core.register.device_type import DeviceType


@cache
def shipped_types() -> Mapping[str, DeviceType]:
    """Return all of them, by name."""
    found = sorted((files("lantern.formats") / "types").iterdir(), key=lambda file: file.name)
    named = [file for file in found if file.name.endswith(".json")]
    types = [read_model(DeviceType, orjson.loads(file.read_bytes()), where=file.name) for file in named]
    return {each.name: each for each in types}
