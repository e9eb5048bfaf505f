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
        raise Refused([key_fault(where, detail) for detail in _meant(error.errors())]) from error


def _meant(details: list[ErrorDetails]) -> list[ErrorDetails]:
    """Return the faults without those of a union's other branches: where one branch went on into the value, that it is
    no text is not the fault.
    """
    inner = {detail["loc"][:n] for detail in details for n in range(1, len(detail["loc"]))}

    def is_of_another_branch(detail: ErrorDetails) -> bool:
        *parent, branch = detail["loc"]
        others = (loc for loc in inner if loc[:-1] == tuple(parent) and loc[-1] != branch)
        return detail["type"] == "string_type" and branch == "str" and any(others)

    kept = [detail for detail in details if not (detail["loc"] and is_of_another_branch(detail))]
    return kept or details


TOLD_BY, BRANCH = "told_by_", "§"  # of unions whose branches a key tells apart


def key_fault(where: str, detail: ErrorDetails) -> Fault:
    *above, last = detail["loc"] or ("",)
    # a branch of a union is named by its model, which is nothing that anybody wrote
    written = [
        str(part) for part in above if not (isinstance(part, str) and (part[:1].isupper() or part[:1] == BRANCH))
    ]
    key = ".".join([*written, *([] if str(last)[:1] == BRANCH else [str(last)])])
    place = f"{where}: {key}" if key else where
    message = detail["msg"].removeprefix("Value error, ")
    if detail["type"].startswith(TOLD_BY):
        key = detail["type"].removeprefix(TOLD_BY)
        return Fault(f"{place}.{key}", repr(detail["input"].get(key))[:80], message)
    if detail["type"] == "missing":
        return Fault(place, "is missing", "a value: " + message)
    if detail["type"] == "extra_forbidden":
        return Fault(place, "is not a known key", "only keys of the format (lantern schema prints them)")
    shown = repr(detail["input"])
    return Fault(place, f"{shown if len(shown) <= 80 else shown[:77] + '...'}", message[:1].lower() + message[1:])
