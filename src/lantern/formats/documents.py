"""JSON documents to models, with every fault named by its key."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any

import orjson

from lantern.core import modelled
from lantern.core.events import Detector
from lantern.core.faults import Fault, Refused
from lantern.core.kinds import detector_of
from lantern.core.modelled import Model
from lantern.core.register.device_type import DeviceType
from lantern.core.site import Site
from lantern.formats.border import border
from lantern.formats.device_types import shipped_types
from lantern.formats.limits import DEFAULT


def read_bytes(path: Path, *, most: int = DEFAULT.document_bytes) -> bytes:
    """Return all of a file that is held in memory as a whole, such as a document. Raises `Refused`."""
    with border(str(path), "a file that exists and may be read"), path.open("rb") as stream:
        data = stream.read(most + 1)
    if len(data) > most:
        raise Refused([Fault(str(path), f"larger than {most} bytes", "a smaller file (the limit is a setting)")])
    return data


def read_json(data: bytes, *, where: str) -> Mapping[str, Any]:
    try:
        document = orjson.loads(data)
    except orjson.JSONDecodeError as error:
        raise Refused([Fault(f"{where}, line {error.lineno}", f"not JSON: {error.msg}", "a JSON object")]) from error
    if not isinstance(document, dict):
        raise Refused([Fault(where, f"a {type(document).__name__}", "a JSON object")])
    return document


def read_model(model: type[Model], document: Mapping[str, Any], *, where: str) -> Model:
    """Return the document as a model. Raises `Refused` with a fault a key, or if it is nested too deep."""
    with border(where, "a JSON object of the format"):
        return modelled.read_model(model, document, where=where)


def detector_in(document: Mapping[str, Any], *, where: str = "detector") -> Detector:
    """Return a detector's document as the model of its kind. Raises `Refused`."""
    with border(where, "a JSON object of the format"):
        return detector_of(document, where=where)


def site_of(document: Mapping[str, Any], *, where: str) -> Site:
    """A site's document, checked whole. Raises `Refused`."""
    site = read_model(Site, document, where=where)
    if taken := sorted(each.name for each in site.types if each.name in shipped_types()):
        raise Refused(
            [Fault(f"{where}: types", f"{name!r} ships with the program", "a name of its own") for name in taken]
        )
    try:
        site.check()
    except Refused as error:
        raise Refused(
            [Fault(f"{where}: {fault.where}", fault.what, fault.expected) for fault in error.faults]
        ) from None
    return site


def type_of(document: Mapping[str, Any], *, where: str) -> DeviceType:
    """Return an entry of the register, checked. Raises `Refused` with each key that is wrong, and where its name ships."""
    model = read_model(DeviceType, document, where=where)
    if model.name in shipped_types():
        raise Refused([Fault(f"{where}: name", f"{model.name!r} ships with the program", "a name of its own")])
    return model


def type_in(data: bytes) -> DeviceType:
    """Return what a file of one type holds. Raises `Refused` as `type_of`."""
    return type_of(read_json(data, where="type"), where="type")


def read_detector(path: Path) -> Detector:
    """A `lantern-detector/1` file."""
    return detector_in(read_json(read_bytes(path), where=path.name), where=path.name)
