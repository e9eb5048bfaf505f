"""JSON documents to models, with every fault named by its key."""

from __future__ import annotations

import json
from collections.abc import Mapping
from pathlib import Path
from typing import Any, TypeVar

import orjson
from pydantic import BaseModel, ValidationError
from pydantic_core import ErrorDetails

from lantern.core.events import Detector
from lantern.core.faults import Fault, Refused
from lantern.core.site import Site
from lantern.formats.border import border
from lantern.formats.limits import DEFAULT

Model = TypeVar("Model", bound=BaseModel)


def read_bytes(path: Path, *, most: int = DEFAULT.document_bytes) -> bytes:
    """All of a file that is held in memory as a whole, such as a document. Raises `Refused`."""
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
    """Validate; a fault a key. Strings are not taken for numbers."""
    with border(where, "a JSON object of the format"):
        try:
            return model.model_validate_json(json.dumps(document))
        except ValidationError as error:
            raise Refused([key_fault(where, detail) for detail in error.errors()]) from error


def key_fault(where: str, detail: ErrorDetails) -> Fault:
    key = ".".join(str(part) for part in detail["loc"])
    place = f"{where}: {key}" if key else where
    message = detail["msg"].removeprefix("Value error, ")
    if detail["type"] == "missing":
        return Fault(place, "is missing", "a value: " + message)
    if detail["type"] == "extra_forbidden":
        return Fault(place, "is not a known key", "only keys of the format (lantern schema prints them)")
    shown = repr(detail["input"])
    return Fault(place, f"{shown if len(shown) <= 80 else shown[:77] + '...'}", message[:1].lower() + message[1:])


def read_site(path: Path) -> Site:
    """A `lantern-site/1` file."""
    return site_of(read_json(read_bytes(path), where=path.name), where=path.name)


def site_of(document: Mapping[str, Any], *, where: str) -> Site:
    """A site's document, checked whole. Raises `Refused`."""
    site = read_model(Site, document, where=where)
    try:
        site.check()
    except Refused as error:
        raise Refused(
            [Fault(f"{where}: {fault.where}", fault.what, fault.expected) for fault in error.faults]
        ) from None
    return site


def read_detector(path: Path) -> Detector:
    """A `lantern-detector/1` file."""
    return read_model(Detector, read_json(read_bytes(path), where=path.name), where=path.name)
