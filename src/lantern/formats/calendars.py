"""Timetables as iCalendar (RFC 5545): events of a calendar become dates of their own, and a timetable goes out as events that recur."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterator, Sequence
from datetime import UTC, date, datetime, time, timedelta
from typing import Any

from icalendar import Calendar, Event

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.logic.timetable import MINUTES_A_DAY, OfDate, Stretch, Timetable, zone_of
from lantern.formats.limits import MIB

MOST_BYTES, MOST_DAYS = 5 * MIB, 2000
BY_DAY = ("MO", "TU", "WE", "TH", "FR", "SA", "SU")
A_MONDAY = date(2024, 1, 1)  # the week on which recurring events begin
PRODUCT = "-//rust-lantern//timetable//EN"


def read_calendar(data: bytes, zone: str, *, where: str) -> tuple[OfDate, ...]:
    """Return the days of a calendar. An event of whole days is a day on which it is off; one with times has these as the hours of its day.
    Raises `Refused` for what is no calendar, and for events that recur: they have no date of their own.
    """
    if len(data) > MOST_BYTES:
        raise Refused([Fault(where, f"{len(data) / MIB:.0f} MB", f"{MOST_BYTES // MIB} MB at most")])
    try:
        calendar = Calendar.from_ical(data)
    except (ValueError, IndexError, KeyError, UnicodeDecodeError) as error:
        what = f"is no calendar: {str(error)[:100]}"
        raise Refused([Fault(where, what, "an iCalendar file (.ics, RFC 5545)")]) from error
    faults = FaultList()
    notes: dict[date, list[str]] = defaultdict(list)
    hours: dict[date, list[Stretch]] = defaultdict(list)
    for number, event in enumerate(calendar.walk("VEVENT"), 1):
        name = str(event.get("SUMMARY", "")).strip()
        at = f"{where}, event {number}" + (f" ({name[:40]})" if name else "")
        if "RRULE" in event or "RDATE" in event:
            faults.add(at, "recurs", "one event for each date: most programs export a calendar so")
            continue
        begins = getattr(event.get("DTSTART"), "dt", None)
        if begins is None:
            faults.add(at, "has no DTSTART", "when it begins")
            continue
        for day, stretch in _days(begins, _end(event, begins), zone):
            notes[day].append(name)
            if stretch is not None:
                hours[day].append(stretch)
        if len(notes) > MOST_DAYS:
            faults.add(where, f"more than {MOST_DAYS} days", "a calendar of a few years")
            break
    faults.refuse_if_any()
    return tuple(
        OfDate(date=day, hours=tuple(hours[day]), note=", ".join(dict.fromkeys(filter(None, names)))[:200])
        for day, names in sorted(notes.items())
    )


def _end(event: Any, begins: date) -> date:
    if "DTEND" in event:
        ends: date = event["DTEND"].dt
        return ends
    if "DURATION" in event:
        lasts: timedelta = event["DURATION"].dt
        return begins + lasts
    return begins + timedelta(days=1) if not isinstance(begins, datetime) else begins


def _days(begins: date, ends: date, zone: str) -> Iterator[tuple[date, Stretch | None]]:
    """Yield the days of an event, with its hours there; None: the whole day."""
    if not isinstance(begins, datetime) or not isinstance(ends, datetime):
        day = begins
        while day < ends:
            yield day, None
            day += timedelta(days=1)
        return
    local = zone_of(zone)
    first, last = (each.astimezone(local) if each.tzinfo else each.replace(tzinfo=local) for each in (begins, ends))
    start, day = first.hour * 60 + first.minute, first.date()
    while day < last.date():
        yield day, Stretch(start_min=start, end_min=MINUTES_A_DAY)
        day, start = day + timedelta(days=1), 0
    end = last.hour * 60 + last.minute
    if end > start:
        yield day, Stretch(start_min=start, end_min=end)


def write_calendar(timetable: Timetable, years: Sequence[int]) -> bytes:
    """Return a timetable as a calendar: an event a week for its hours, without the days that have their own, and an event for each
    stretch of these, and for each of its hours by the sun. `years`: of which holidays and hours by the sun are written out.
    """
    calendar = Calendar()
    calendar.add("prodid", PRODUCT)
    calendar.add("version", "2.0")
    calendar.add("x-wr-calname", timetable.name)
    zone = zone_of(timetable.zone)
    own = {each.date: (each.hours, each.note) for each in timetable.dates}
    if timetable.holidays is not None:
        for year in years:
            for day in _all_days(year):
                if day not in own and (name := timetable.holidays.name_of(day)):
                    own[day] = (timetable.holidays.hours, name)
    for number, hours in enumerate(timetable.hours):
        first = A_MONDAY + timedelta(days=hours.day)
        event = _event(
            f"w{number}", timetable.name, first, Stretch(start_min=hours.start_min, end_min=hours.end_min), zone
        )
        event.add("rrule", {"freq": "weekly", "byday": BY_DAY[hours.day]})
        skipped = [day for day in sorted(own) if day.weekday() == hours.day]
        if skipped:
            start = time(hours.start_min // 60, hours.start_min % 60)
            event.add("exdate", [datetime.combine(day, start, zone) for day in skipped])
        calendar.add_component(event)
    for day in (day for year in years for day in _all_days(year) if day not in own):
        for number, hours in enumerate(timetable.by_sun(day)):
            stretch = Stretch(start_min=hours.start_min, end_min=hours.end_min)
            calendar.add_component(_event(f"s{day:%Y%m%d}.{number}", timetable.name, day, stretch, zone))
    for day, (stretches, note) in sorted(own.items()):
        for number, stretch in enumerate(stretches):
            calendar.add_component(_event(f"d{day:%Y%m%d}.{number}", note or timetable.name, day, stretch, zone))
    return bytes(calendar.to_ical())


def _event(key: str, name: str, day: date, stretch: Stretch, zone: Any) -> Event:
    start = datetime.combine(day, time(stretch.start_min // 60, stretch.start_min % 60), zone)
    over = stretch.end_min <= stretch.start_min or stretch.end_min == MINUTES_A_DAY
    last, minutes = day + timedelta(days=1 if over else 0), stretch.end_min % MINUTES_A_DAY
    event = Event()
    event.add("uid", f"{key}@rust-lantern.invalid")
    event.add("dtstamp", datetime(2024, 1, 1, tzinfo=UTC))
    event.add("summary", name)
    event.add("dtstart", start)
    event.add("dtend", datetime.combine(last, time(minutes // 60, minutes % 60), zone))
    return event


def _all_days(year: int) -> Iterator[date]:
    day = date(year, 1, 1)
    while day.year == year:
        yield day
        day += timedelta(days=1)
