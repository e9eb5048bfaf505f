"""Two states of a detector that were made from one: what only one side changed is taken from it, the rest is chosen."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any, Literal

from lantern.core.events import Detector, Region
from lantern.core.faults import Fault, Refused
from lantern.core.kinds import kind_of

Side = Literal["theirs", "own"]
NAME, TIMETABLE, ORDER = "name", "timetable", "order of the regions"
DIAL, REGION = "dial ", "region "


@dataclass(frozen=True)
class Part:
    """A dial, a region, the name, the timetable, what only its family has, or the order of the regions, where it is not alike in all three states. A region
    that is not there is None. `take`: the side that alone changed it (or both alike); None: it must be chosen.
    """

    key: str
    base: Any
    theirs: Any
    own: Any

    @property
    def take(self) -> Side | None:
        if self.theirs in (self.base, self.own):
            return "own"
        return "theirs" if self.own == self.base else None


def parts(base: Detector, theirs: Detector, own: Detector) -> list[Part]:
    """Return what is not alike in all three, dials as they are with defaults filled in."""
    states = [_parts_of(state) for state in (base, theirs, own)]
    keys = dict.fromkeys(key for state in states for key in state)
    found = [Part(key, *(state.get(key) for state in states)) for key in keys]
    common = [_common_order(state, (base, theirs, own)) for state in (base, theirs, own)]
    found.append(Part(ORDER, *common))
    return [part for part in found if not part.base == part.theirs == part.own]


def _parts_of(state: Detector) -> dict[str, Any]:
    dials = kind_of(state.kind).read_dials(state).model_dump()
    return {
        NAME: state.name,
        TIMETABLE: state.timetable,
        **{f"{DIAL}{name}": value for name, value in dials.items()},
        **{name: getattr(state, name) for name in _own(state)},
        **{f"{REGION}{region.name}": region for region in state.regions},
    }


def _own(state: Detector) -> list[str]:
    """Return what only detectors of its family hold."""
    return [name for name in type(state).model_fields if name not in Detector.model_fields]


def _common_order(state: Detector, states: tuple[Detector, ...]) -> tuple[str, ...]:
    """The order of those regions that all have: a path takes them in it."""
    common = set.intersection(*({region.name for region in each.regions} for each in states))
    return tuple(region.name for region in state.regions if region.name in common)


def merged(base: Detector, theirs: Detector, own: Detector, choices: Mapping[str, Side]) -> Detector:
    """One state of both. Raises `Refused` for a part that must be chosen and is not."""
    sides: dict[str, Side] = {}
    for part in parts(base, theirs, own):
        side = part.take or choices.get(part.key)
        if side not in ("theirs", "own"):
            raise Refused([Fault(f"merge: {part.key}", "was changed by both, and none is chosen", "theirs or own")])
        sides[part.key] = side
    states = {"theirs": theirs, "own": own}
    dials = kind_of(own.kind).read_dials(theirs).model_dump()
    own_dials = kind_of(own.kind).read_dials(own).model_dump()
    dials |= {name: own_dials[name] for name in dials if sides.get(f"{DIAL}{name}") == "own"}
    return own.model_copy(
        update={
            "name": states[sides.get(NAME, "own")].name,
            "timetable": states[sides.get(TIMETABLE, "own")].timetable,
            "dials": dials,
            "regions": _regions(theirs, own, sides),
            **{name: getattr(states[sides.get(name, "own")], name) for name in _own(own)},
        }
    )


def _regions(theirs: Detector, own: Detector, sides: Mapping[str, Side]) -> tuple[Region, ...]:
    """Return the regions in the order of the side that was taken, those that only the other has after them."""
    held = {
        side: {region.name: region for region in state.regions} for side, state in (("theirs", theirs), ("own", own))
    }
    first, second = (own, theirs) if sides.get(ORDER) == "own" else (theirs, own)
    names = dict.fromkeys(region.name for state in (first, second) for region in state.regions)
    chosen = [held[sides.get(f"{REGION}{name}", "own")].get(name) for name in names]
    return tuple(region for region in chosen if region is not None)
