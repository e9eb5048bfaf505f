"""The register of detector kinds: the union of the families'. Pages, commands, rehearsal and live engine ask here."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic.json_schema import models_json_schema

from lantern.core.events import Detector
from lantern.core.families import FAMILIES
from lantern.core.family import AnyFamily
from lantern.core.faults import Fault, Refused
from lantern.core.kind import AnyKind
from lantern.core.modelled import read_model
from lantern.core.sweepable import Sweepable
from lantern.core.watch import AnyWatch

KINDS: dict[str, AnyKind] = {kind.name: kind for family in FAMILIES.values() for kind in family.kinds}
_FAMILY_OF = {kind.name: family for family in FAMILIES.values() for kind in family.kinds}


def kind_of(name: str) -> AnyKind:
    """Return the kind of that name. Raises `Refused` with the kinds there are."""
    kind = KINDS.get(name)
    if kind is None:
        raise Refused([Fault("kind", f"there is no detector kind {name!r}", f"one of {', '.join(KINDS)}")])
    return kind


def family_of(kind_name: str) -> AnyFamily:
    """Return the family that a kind belongs to. Raises `Refused` for an unknown kind."""
    return _FAMILY_OF[kind_of(kind_name).name]


def detector_of(document: Mapping[str, Any], *, where: str = "detector") -> Detector:
    """Return a detector's document as the model of its kind. Raises `Refused` with each key that is wrong."""
    name = document.get("kind")
    if not isinstance(name, str) or name not in KINDS:
        said = "is missing" if name is None else f"there is no detector kind {name!r}"
        raise Refused([Fault(f"{where}: kind", said, f"one of {', '.join(KINDS)}")])
    return read_model(KINDS[name].detector, document, where=where)


def detector_schema() -> dict[str, Any]:
    """Return the JSON Schema of a detector's file: one form a family, told apart by `kind`."""
    forms: dict[type[Detector], list[str]] = {}
    for kind in KINDS.values():
        forms.setdefault(kind.detector, []).append(kind.name)
    _, schema = models_json_schema([(form, "validation") for form in forms], ref_template="#/$defs/{model}")
    for form, names in forms.items():
        schema["$defs"][form.__name__]["properties"]["kind"] = {"enum": names, "title": "Kind"}
    whole = Detector.model_json_schema()
    common = {name: value for name, value in whole["properties"].items() if name != "regions"}
    common["kind"] = {"enum": list(KINDS), "title": "Kind"}
    schema |= {"type": "object", "properties": common, "required": whole["required"]}
    return schema | {"title": "Detector", "anyOf": [{"$ref": f"#/$defs/{form.__name__}"} for form in forms]}


def judge(detector: Detector, signal: str, value: Any) -> Sweepable:
    """Return the detector held against what a take holds: `value`, of that signal. Raises `Refused` if its kind reads no such."""
    kind = kind_of(detector.kind)
    kind.check(detector, signal)
    return family_of(kind.name).judge(kind.typed(detector), kind, value)


def watch(detector: Detector, facts: Mapping[str, Any]) -> AnyWatch:
    """Return the detector as it runs live on a device of which `facts` are known."""
    kind = kind_of(detector.kind)
    return family_of(kind.name).watch(kind.typed(detector), kind, facts)
