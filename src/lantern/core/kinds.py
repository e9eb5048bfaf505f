"""The register of detector kinds: the union of the families'. Pages, commands, rehearsal and live engine ask here."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from lantern.core.events import Detector
from lantern.core.families import FAMILIES
from lantern.core.family import Family
from lantern.core.faults import Fault, Refused
from lantern.core.judged import Judged
from lantern.core.kind import Kind
from lantern.core.watch import Watch

KINDS: dict[str, Kind] = {kind.name: kind for family in FAMILIES.values() for kind in family.kinds}
_FAMILY_OF = {kind.name: family for family in FAMILIES.values() for kind in family.kinds}


def kind_of(name: str) -> Kind:
    """Return the kind of that name. Raises `Refused` with the kinds there are."""
    kind = KINDS.get(name)
    if kind is None:
        raise Refused([Fault("kind", f"there is no detector kind {name!r}", f"one of {', '.join(KINDS)}")])
    return kind


def family_of(kind_name: str) -> Family:
    """Return the family that a kind belongs to. Raises `Refused` for an unknown kind."""
    return _FAMILY_OF[kind_of(kind_name).name]


def judge(detector: Detector, signal: str, value: Any) -> Judged:
    """Return the detector held against what a take holds: `value`, of that signal. Raises `Refused` if its kind reads no such."""
    kind = kind_of(detector.kind)
    kind.check(detector, signal)
    return family_of(kind.name).judge(detector, kind, value)


def watch(detector: Detector, facts: Mapping[str, Any]) -> Watch:
    """Return the detector as it runs live on a device of which `facts` are known."""
    kind = kind_of(detector.kind)
    return family_of(kind.name).watch(detector, kind, facts)
