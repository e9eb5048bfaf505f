"""A made-up day of a head: its hours, the calls that its own takes suggest, the places of the plan; and what each of these gets."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import date, datetime, time, timedelta
from functools import cached_property
from typing import Any, Protocol, cast
from zoneinfo import ZoneInfo

import numpy as np
import shapely
from sqlalchemy.orm import Session

from lantern.core.company import Stands
from lantern.core.faults import Fault, Refused
from lantern.core.linking.orders import DEFAULT_PRIORITY
from lantern.core.logic.timetable import Timetable, zone_of
from lantern.core.optics.coverage import Wall, hiding
from lantern.core.ptz.days import Asked, Course, Day, Site, day_of, made_up
from lantern.core.ptz.duty import RANK_OF_ALL, Entry
from lantern.core.ptz.gaps import DIALS, Cure, Got, Spot, cures, got, px_per_m, who_had_it
from lantern.core.ptz.rounds import PRESET, Sheet
from lantern.core.ptz.standing import FRAME_PX, rest_of
from lantern.core.watch import Aim
from lantern.duty.looks import KEPT_DAYS
from lantern.duty.recorded import Recorded, recorded_days, recorded_of
from lantern.links.tables import timetables_of
from lantern.plan.actions import plan_model
from lantern.register.heads import sheet_of, steered_of
from lantern.register.tables import DeviceRow, pixels_of
from lantern.sites.tables import places_of, site_of
from lantern.tune.judging import subject
from lantern.tune.shown import judgeable
from lantern.tune.tables import detectors_of_device

DAY_S, MINUTE_S = 86_400.0, 60.0
MOST_SPOTS = 40
FAR_M = 300.0


class Calls(Protocol):
    """A detector held against a take that says how it had a head look."""

    def courses(self) -> list[tuple[float, Course]]: ...


@dataclass(frozen=True)
class Known:
    """All that a day of one head is worked out from. `begins`: local midnight."""

    site: Site
    spots: tuple[Spot, ...]
    walls: tuple[Wall, ...]
    frame_px: tuple[int, int]
    timetables: tuple[Timetable, ...]
    courses: tuple[tuple[float, Course], ...]
    caller: str
    begins: datetime
    sharp_after_s: Mapping[int, float] = field(default_factory=dict)  # by preset, where it was measured
    recorded: Recorded | None = (
        None  # a day that was, whose calls and hands another sheet is asked of; None: a made-up one
    )
    held: dict[Any, Any] = field(default_factory=dict, compare=False, repr=False)  # what the same numbers gave before

    def entries(self, sheet: Sheet, to_s: float = DAY_S) -> list[Entry]:
        if (sheet.hours, to_s) not in self.held:
            self.held[sheet.hours, to_s] = self._entries(sheet, to_s)
        found: list[Entry] = self.held[sheet.hours, to_s]
        return found

    def _entries(self, sheet: Sheet, to_s: float) -> list[Entry]:
        """Return what its hours have it do, minute by minute; of several that are on the first counts. Raises `Refused`."""
        by_name = {each.name: each for each in self.timetables}
        for at, row in enumerate(sheet.hours):
            if row.timetable not in by_name:
                expected = f"one of {', '.join(by_name) or 'none that there is'}"
                raise Refused([Fault(f"hours.{at}.timetable", f"there is no {row.timetable!r}", expected)])
        out: list[Entry] = []
        since, doing = 0.0, None
        for minute in range(int(to_s / MINUTE_S) + 1):
            t = minute * MINUTE_S
            now = self._now(sheet, by_name, t) if t < to_s else None
            if now != doing:
                if doing is not None:
                    out.append(Entry(from_s=since, to_s=t, do=doing))
                since, doing = t, now
        return out

    def _now(self, sheet: Sheet, by_name: dict[str, Timetable], t: float) -> str | None:
        at = self.begins + timedelta(seconds=t)
        return next((row.do for row in sheet.hours if by_name[row.timetable].is_active(at)), None)

    def calls(self, sheet: Sheet, to_s: float = DAY_S) -> Sequence[Asked]:
        if self.recorded is not None:
            return self.recorded.calls
        if (sheet.made_up, to_s) not in self.held:
            self.held[sheet.made_up, to_s] = self._calls(sheet, to_s)
        found: list[Asked] = self.held[sheet.made_up, to_s]
        return found

    def _calls(self, sheet: Sheet, to_s: float) -> list[Asked]:
        lengths, courses = [each for each, _ in self.courses], [each for _, each in self.courses]
        made = sheet.made_up
        rank = RANK_OF_ALL - DEFAULT_PRIORITY
        return made_up(courses, lengths, made.per_hour, do=self.caller, rank=rank, to_s=to_s, seed=made.seed)


@dataclass(frozen=True)
class Judged:
    """One sheet's day. `as_it_was`: the recorded day itself, whatever the sheet says."""

    known: Known
    sheet: Sheet
    as_it_was: bool = False

    @cached_property
    def day(self) -> Day:
        known, was = self.known, self.known.recorded
        if was is not None and self.as_it_was:
            return was.day
        from_s, to_s = (0.0, DAY_S) if was is None else (was.day.from_s, was.day.to_s)
        manual = () if was is None else was.manual
        calls, entries = known.calls(self.sheet), known.entries(self.sheet)
        return day_of(self.sheet, known.site, entries, calls, manual, from_s=from_s, to_s=to_s)

    @cached_property
    def got(self) -> list[Got]:
        known, day = self.known, self.day
        return got(day, known.spots, px_per_m(known.spots, day.aims, known.site.head, known.frame_px, known.walls))

    def strips(self, name: str) -> dict[str, list[tuple[float, float]]]:
        """Return by each number of the duty the longest time that a place would go unseen, over its values."""
        at = next(n for n, spot in enumerate(self.known.spots) if spot.name == name)
        alone = replace(self.known, spots=(self.known.spots[at],))
        return {
            key: [(value, Judged(alone, dial.change(self.sheet, value)).got[0].longest_s) for value in dial.values]
            for key, dial in DIALS.items()
        }

    def cures(self, name: str, strips: dict[str, list[tuple[float, float]]]) -> list[Cure]:
        wish = self.sheet.wishes.get(name)
        return cures(strips, self.sheet, wish) if wish is not None else []

    def who(self, each: Got) -> dict[str, float]:
        return who_had_it(self.day, each.from_s, each.to_s)


def known_of(session: Session, row: DeviceRow, on: date | None = None) -> Known:
    """Return what a day of a head is worked out from: a made-up one, or that of a date as it was recorded. Raises `Refused` where it stands
    nowhere, or is not registered, and for a date of which nothing is known.
    """
    pointing = steered_of(session, row).pointing
    if pointing is None or not pointing.is_known:
        what = "is not registered: nobody knows where its presets look" if pointing else "stands nowhere on the plan"
        raise Refused(
            [Fault(f"device {row.code}", what, "a place on the plan, and three places that it is driven onto")]
        )
    looks = {each.number: pointing.aim(each.pan, each.tilt, each.zoom) for each in pointing.turned.presets}
    rest = rest_of(Stands(row.extras.get("mount"), pixels_of(row)))
    plan = plan_model(session, row.site_id)
    zone = zone_of(site_of(session, row.site_id).zone)
    caller, courses = _courses(session, row)
    begins = midnight(on or datetime.now(zone).date(), zone)
    was = None if on is None else recorded_of(session, row.id, begins, sheet_of(row).release_s)
    return Known(
        Site(pointing.head, Aim(rest.pan_deg, rest.tilt_deg, 1.0), looks),
        tuple(spots_of(session, row.site_id)),
        tuple(plan.walls),
        pixels_of(row) or FRAME_PX,
        tuple(each.model for each in timetables_of(session, row.site_id)),
        tuple(courses),
        caller,
        begins,
        {each.number: each.sharp_after_s for each in pointing.turned.presets if each.sharp_after_s is not None},
        was,
    )


def midnight(on: date, zone: ZoneInfo) -> datetime:
    return datetime.combine(on, time(), zone)


def dates_known(session: Session, row: DeviceRow) -> list[date]:
    """Return the local days of which something was recorded, the newest first."""
    zone = zone_of(site_of(session, row.site_id).zone)
    today = datetime.now(zone).date()
    days = [midnight(today - timedelta(days=back), zone) for back in range(KEPT_DAYS)]
    return [each.date() for each in recorded_days(session, row.id, days)]


def blind(known: Known, sheet: Sheet) -> list[str]:
    """Return which presets that it stays at look at a wall: nobody sees the ground in the middle of their picture."""
    used = {stop.preset for each in sheet.rounds for stop in each.stops}
    for do in (sheet.idle, *(row.do for row in sheet.hours)):
        if do and do.startswith(PRESET):
            used.add(int(do.removeprefix(PRESET)))
    head, out = known.site.head, []
    eye = np.array([head.x_m, head.y_m, head.height_m])
    for number in sorted(used & set(known.site.looks)):
        look = known.site.looks[number]
        down = math.tan(math.radians(look.tilt_deg))
        away = min(head.height_m / down, FAR_M) if down > 0 else FAR_M
        pan = math.radians(look.pan_deg)
        middle = eye + np.array([math.sin(pan) * away, math.cos(pan) * away, -away * down])
        wall = hiding(known.walls, eye, middle)
        if wall is not None:
            near = shapely.distance(shapely.Point(eye[:2]), wall.stands)
            out.append(f"Preset {number} looks at a wall {near:.0f} m away, and not at the ground behind it.")
    return out


def spots_of(session: Session, site_id: int) -> list[Spot]:
    """Return what is to be seen: the middle of each place that is drawn, and each aim where it begins."""
    out: dict[str, Spot] = {}
    for place in places_of(session, site_id):
        corners = place.extras.get("polygon")
        if corners:
            middle = shapely.Polygon(corners).representative_point()
            out[place.name] = Spot(place.name, round(middle.x, 2), round(middle.y, 2))
    for aim in plan_model(session, site_id).aims:
        point = aim.points[0]
        out.setdefault(aim.name, Spot(aim.name, float(point[0]), float(point[1])))
    return list(out.values())[:MOST_SPOTS]


def _courses(session: Session, row: DeviceRow) -> tuple[str, list[tuple[float, Course]]]:
    """Return how its own detectors had it look on their newest takes, and the name of the first of these."""
    for detector in detectors_of_device(session, row.id):
        takes = judgeable(session, detector)
        if detector.retired or not takes:
            continue
        found = subject(session, detector.model, takes[0])
        if hasattr(found, "courses"):
            return detector.name, cast(Calls, found).courses()
    return "", []
