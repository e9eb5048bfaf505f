"""What goes wrong with detectors and their lists: not carried, alone, off, out of the picture; lists that nobody asks."""

from __future__ import annotations

from collections.abc import Iterator
from datetime import date
from itertools import combinations
from typing import Any

import shapely

from lantern.core.faults import Refused
from lantern.core.kinds import kind_of
from lantern.core.preflight.checked import Checked
from lantern.core.preflight.finding import Found, rule
from lantern.core.register.carrying import carries
from lantern.core.site import SiteDetector

AREAS = ("polygon", "box")
MOST_NEAR = 2000  # entries of one list that are held against each other


def _at(detector: SiteDetector) -> str:
    return f"detectors[{detector.name}]"


@rule("Its device cannot do this: it would never raise, or drop what else runs there.")
def not_carried(checked: Checked) -> Iterator[Found]:
    for detector in checked.working:
        unit = checked.register.units.get(detector.device or "")
        if unit is None:
            continue
        verdict = carries(unit, checked.work_of(detector), checked.register, types=checked.types)
        if verdict.answer == "no":
            remedy = verdict.cures[0].text if verdict.cures else "another device"
            yield Found("error", _at(detector), f"{unit.code} cannot carry it: {verdict.why}", remedy)


@rule("It is there, and its device is gone.")
def device_retired(checked: Checked) -> Iterator[Found]:
    for detector in checked.site.detectors:
        if not detector.retired and checked.is_retired(detector.device):
            yield Found(
                "error", _at(detector), f"its device {detector.device} is retired", "another device, or retire it too"
            )


@rule("It is tuned, and what it raises is told to nobody.")
def detector_alone(checked: Checked) -> Iterator[Found]:
    heard = {cause.detector for _, cause in checked.causes if cause.detector}
    for detector in checked.working:
        if detector.name not in heard and _raises(detector):
            yield Found("warning", _at(detector), "no link and no compound listens to it", "a link")


def _raises(detector: SiteDetector) -> bool:
    """Return whether it raises anything; one that only counts is asked, and not listened to."""
    return kind_of(detector.kind).raises


@rule("It is on the site and does not run: left off after a test?")
def detector_off(checked: Checked) -> Iterator[Found]:
    for detector in checked.working:
        if not detector.enabled:
            yield Found("warning", _at(detector), "does not run", "let it run, or retire it")


@rule("Numbers that nobody touched are those of the last site.")
def defaults_left(checked: Checked) -> Iterator[Found]:
    for detector in checked.working:
        kind = kind_of(detector.kind)
        try:
            dials = kind.read_dials(detector.plain)
        except Refused:
            continue
        if dials == type(dials)():
            yield Found("note", _at(detector), "all its dials stand as they come", "tune it on a take")


@rule("What lies out of the picture is seen by nobody.")
def region_out_of_picture(checked: Checked) -> Iterator[Found]:
    for detector in checked.working:
        device = checked.devices.get(detector.device or "")
        width, height = (device.ability.get(key) for key in ("width", "height")) if device is not None else (None, None)
        if not width or not height:
            continue
        for region in detector.regions:
            if region.shape == "sector" or len(region.points) < 2:
                continue
            if all(not (0 <= x <= float(width) and 0 <= y <= float(height)) for x, y in region.points):
                what = f"its region {region.name} lies out of the picture of {width:g} by {height:g}"
                yield Found("error", _at(detector), what, "within the picture")


@rule("A region without an area holds nothing.")
def region_of_no_area(checked: Checked) -> Iterator[Found]:
    for detector in checked.working:
        for region in detector.regions:
            if region.shape in AREAS and _area(region.shape, region.points) <= 0:
                yield Found("error", _at(detector), f"its region {region.name} has no area", "corners that span one")
            if region.shape == "line" and len(set(region.points)) < 2:
                yield Found("error", _at(detector), f"its line {region.name} has no length", "two ends")


def _area(shape: str, points: Any) -> float:
    if shape == "box":
        (x0, y0), (x1, y1) = points[0], points[-1]
        return float(abs((x1 - x0) * (y1 - y0)))
    return float(shapely.Polygon(points).area) if len(points) > 2 else 0.0


@rule("It looks for something, and all of the picture is masked or nothing is watched.")
def nothing_watched(checked: Checked) -> Iterator[Found]:
    for detector in checked.working:
        if detector.regions and all(region.role == "mask" for region in detector.regions):
            yield Found("error", _at(detector), "all its regions are masks", "one that is watched")


# ---- lists ----


def _entries(held: Any) -> list[dict[str, Any]]:
    return [each for each in held.model_dump(mode="json").get("entries") or () if isinstance(each, dict)]


@rule("It is kept up to date, and no detector asks it.")
def list_unused(checked: Checked) -> Iterator[Found]:
    named = {name for detector in checked.working for name in checked.list_names(detector)}
    for held in checked.site.lists:
        if held.name not in named and _entries(held):
            yield Found("warning", f"lists[{held.name}]", "no detector asks it", "bind it to a reader")


@rule("A list without entries knows nobody.")
def list_empty(checked: Checked) -> Iterator[Found]:
    named = {name for detector in checked.working for name in checked.list_names(detector)}
    for held in checked.site.lists:
        document = held.model_dump(mode="json")
        if held.name in named and "entries" in document and not _entries(held):
            yield Found("error", f"lists[{held.name}]", "is asked, and has no entries", "entries")


@rule("Who left years ago still gets in.")
def list_without_end(checked: Checked) -> Iterator[Found]:
    for held in checked.site.lists:
        entries = _entries(held)
        endless = [each for each in entries if not each.get("until")]
        if entries and endless:
            yield Found(
                "note", f"lists[{held.name}]", f"{len(endless)} of {len(entries)} entries have no end date", "end dates"
            )


@rule("What has ended opens nothing any more.")
def list_ended(checked: Checked) -> Iterator[Found]:
    today = date.today().isoformat()
    for held in checked.site.lists:
        entries = _entries(held)
        if entries and all(str(each.get("until") or "9999") < today for each in entries):
            yield Found("warning", f"lists[{held.name}]", "all its entries have ended", "new dates, or take it away")


@rule("Two that one misread letter apart are told apart by chance.")
def entries_near(checked: Checked) -> Iterator[Found]:
    for held in checked.site.lists:
        texts = sorted({"".join(str(each.get("text") or "").upper().split()) for each in _entries(held)} - {""})
        if len(texts) > MOST_NEAR:
            continue
        pair = next((two for two in combinations(texts, 2) if _near(*two)), None)
        if pair is not None:
            what = f"{pair[0]} and {pair[1]} differ in one place"
            yield Found("warning", f"lists[{held.name}]", what, "no misread letter forgiven there, or one of them")


def _near(one: str, other: str) -> bool:
    """Return whether one letter is another, is missing, or two neighbours have changed places."""
    if len(one) > len(other):
        one, other = other, one
    at = next((n for n, (a, b) in enumerate(zip(one, other, strict=False)) if a != b), len(one))
    if len(one) < len(other):
        return len(other) - len(one) == 1 and one[at:] == other[at + 1 :]
    swapped = one[at : at + 2] == other[at : at + 2][::-1] and one[at + 2 :] == other[at + 2 :]
    return one[at + 1 :] == other[at + 1 :] or swapped


RULES = (
    not_carried, device_retired, detector_alone, detector_off, defaults_left, region_out_of_picture, region_of_no_area,
    nothing_watched, list_unused, list_empty, list_without_end, list_ended, entries_near,
)  # fmt: skip
