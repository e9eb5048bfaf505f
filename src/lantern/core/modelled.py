"""Models of what users write, and JSON documents read as such, with every fault named by its key."""

from __future__ import annotations

import json
from collections.abc import Mapping
from typing import Any, TypeVar

from pydantic import BaseModel, ConfigDict, ValidationError
from pydantic_core import ErrorDetails

from lantern.core.faults import Fault, Refused

Model = TypeVar("Model", bound=BaseModel)


class Strict(BaseModel):
    """A frozen model that takes no key that it does not know, and only finite numbers."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)


def read_model(model: type[Model], document: Mapping[str, Any], *, where: str) -> Model:
    """Return the document as a model; strings are not taken for numbers. Raises `Refused` with a fault a key."""
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
