"""What goes wrong with compounds: parts that cannot happen, hours that never meet, one that nothing listens to."""

from __future__ import annotations

from collections.abc import Iterator

from lantern.core.logic.causes import Cause
from lantern.core.preflight.checked import Checked
from lantern.core.preflight.finding import Found, rule


def _hours(checked: Checked, cause: Cause) -> str | None:
    if cause.compound:
        return next((each.timetable for each in checked.compounds if each.name == cause.compound), None)
    what, name = ("detector", cause.detector) if cause.detector else ("input", cause.input)
    return checked.hours.get((what, name or ""))


def _named(cause: Cause) -> str:
    return cause.detector or cause.input or cause.compound or ""


@rule("It raises nothing as long as one of its parts cannot.")
def part_cannot_happen(checked: Checked) -> Iterator[Found]:
    for compound in checked.compounds:
        for at, part in enumerate(compound.parts):
            if not checked.is_empty(_hours(checked, part)):
                continue
            of_no_use = compound.kind in ("all", "sequence") or at == 0
            word = "error" if of_no_use else "warning"
            what = f"its part {_named(part)} is on at no hour"
            yield Found(word, f"compounds[{compound.name}]", what, "hours of that part")  # type: ignore[arg-type]


@rule("All of it must come together, and these never run together.")
def parts_never_meet(checked: Checked) -> Iterator[Found]:
    for compound in checked.compounds:
        hours = [_hours(checked, part) for part in compound.parts]
        if compound.kind != "all" or any(checked.is_empty(each) for each in hours):
            continue
        if not checked.meet(hours):
            what = f"{', '.join(sorted({each for each in hours if each}))} are never on together"
            yield Found("error", f"compounds[{compound.name}]", what, "hours that meet")


@rule("The same part twice is waited for twice.")
def part_twice(checked: Checked) -> Iterator[Found]:
    for compound in checked.compounds:
        twice = next((part for at, part in enumerate(compound.parts) if part in compound.parts[:at]), None)
        if twice is not None:
            what = f"{_named(twice)} is a part of it twice"
            yield Found("warning", f"compounds[{compound.name}]", what, "each part once")


@rule("It is worked out, and nothing comes of it.")
def compound_unused(checked: Checked) -> Iterator[Found]:
    heard = {cause.compound for _, cause in checked.causes if cause.compound}
    for compound in checked.compounds:
        if compound.name not in heard:
            yield Found("warning", f"compounds[{compound.name}]", "no link and no compound listens to it", "a link")


@rule("It waits longer than what it waits for stands: an instant is asked once, at its end.")
def waits_too_long(checked: Checked) -> Iterator[Found]:
    for compound in checked.compounds:
        if compound.kind == "unless" and compound.wait_s > LONG_WAIT_S:
            what = f"waits {compound.wait_s:g} s before it raises"
            yield Found(
                "warning", f"compounds[{compound.name}]", what, f"{LONG_WAIT_S:g} s at most, or somebody is gone"
            )


LONG_WAIT_S = 120.0  # common practice, no source
RULES = (part_cannot_happen, parts_never_meet, part_twice, compound_unused, waits_too_long)
