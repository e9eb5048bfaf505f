"""What names something by its name goes along when that is called otherwise: links, compounds, what is expected."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any, Literal

from lantern.core.linking.links import CAUSES

Sort = Literal["detector", "input", "compound", "output", "device", "timetable"]
Names = Mapping[str, str]  # new by old
Document = dict[str, Any]


def in_compound(body: Document, what: Sort, names: Names) -> Document:
    """Return a compound's document with the new names."""
    out = _keyed(body, "timetable", names) if what == "timetable" else body
    return out | {"parts": [_keyed(part, what, names) for part in body["parts"]]} if what in CAUSES else out


def in_link(body: Document, what: Sort, names: Names) -> Document:
    """Return a link's document with the new names."""
    if what in ("output", "device"):
        return body | {"effects": [_in_effect(each, what, names) for each in body["effects"]]}
    return _keyed(body, what, names)


def _in_effect(effect: Document, what: Sort, names: Names) -> Document:
    out = _keyed(effect, what, names)
    if what == "device" and "devices" in effect:
        out = out | {"devices": [names.get(each, each) for each in effect["devices"]]}
    return out


def in_expectation(body: Document, what: Sort, names: Names) -> Document:
    """Return an expectation's document with the new names."""
    if what in CAUSES:
        return body | {"when": _keyed(body["when"], what, names)}
    if what not in ("output", "device"):
        return body
    return body | {key: [_in_must(each, what, names) for each in body.get(key, ())] for key in ("must", "must_not")}


def _in_must(must: Document, what: Sort, names: Names) -> Document:
    switches = must.get("do", "switch") == "switch"
    return _keyed(must, "on", names) if switches == (what == "output") else must


def _keyed(body: Document, key: str, names: Names) -> Document:
    return body | {key: names[body[key]]} if body.get(key) in names else body
