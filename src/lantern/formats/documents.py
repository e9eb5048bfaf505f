"""JSON documents to models, with every fault named by its key."""

from __future__ import annotations

from collections.abc import Mapping
from pathlib import Path
from typing import Any, TypeVar

import orjson
from pydantic import BaseModel, ValidationError
from pydantic_core import ErrorDetails

from lantern.core.events import Detector
from lantern.core.faults import Fault, Refused

Model = TypeVar("Model", bound=BaseModel)


def read_bytes(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except OSError as error:
        raise Refused(
            [Fault(str(path), f"cannot be read: {error.strerror}", "a file that exists and may be read")]
        ) from error


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
    try:
        return model.model_validate_json(orjson.dumps(document))
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


def read_detector(path: Path) -> Detector:
    """A `lantern-detector/1` file."""
    return read_model(Detector, read_json(read_bytes(path), where=path.name), where=path.name)
