"""Timetables as iCalendar: days of a calendar in, a timetable out, read again by a library that works recurrences out by itself."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from dateutil.rrule import rrulestr
from icalendar import Calendar

from lantern.core.faults import Refused
from lantern.core.logic.timetable import Timetable
from lantern.formats.calendars import read_calendar, write_calendar

ZONE = "Europe/Lisbon"


def calendar(*events: str) -> bytes:
    body = "".join(f"BEGIN:VEVENT\r\n{event}\r\nEND:VEVENT\r\n" for event in events)
    return f"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nPRODID:-//test//EN\r\n{body}END:VCALENDAR\r\n".encode()


def test_whole_days_are_off_and_times_are_the_hours_of_their_day() -> None:
    """RFC 5545: DTEND of a whole day is the day after; a time in UTC is one of the timetable's zone."""
    data = calendar(
        "SUMMARY:Yule\r\nDTSTART;VALUE=DATE:20261224\r\nDTEND;VALUE=DATE:20261227",
        "SUMMARY:Inventory\r\nDTSTART:20260701T070000Z\r\nDTEND:20260701T110000Z",
        "SUMMARY:Night work\r\nDTSTART:20260703T200000\r\nDURATION:PT10H",
    )
    found = read_calendar(data, ZONE, where="a.ics")
    told = [(each.date.isoformat(), [str(h) for h in each.hours], each.note) for each in found]
    assert told == [
        ("2026-07-01", ["08:00-12:00"], "Inventory"),  # Lisbon is an hour ahead in summer
        ("2026-07-03", ["20:00-24:00"], "Night work"),
        ("2026-07-04", ["00:00-06:00"], "Night work"),
        ("2026-12-24", [], "Yule"),
        ("2026-12-25", [], "Yule"),
        ("2026-12-26", [], "Yule"),
    ]


@pytest.mark.parametrize(
    ("data", "word"),
    [
        (b"", "is no calendar"),
        (b"name,date\r\nYule,2026-12-24\r\n", "is no calendar"),
        (calendar("SUMMARY:Each week\r\nDTSTART;VALUE=DATE:20260101\r\nRRULE:FREQ=WEEKLY"), "Each week.*recurs"),
        (calendar("SUMMARY:Some day"), "has no DTSTART"),
    ],
)
def test_what_has_no_date_of_its_own_is_refused(data: bytes, word: str) -> None:
    with pytest.raises(Refused, match=word):
        read_calendar(data, ZONE, where="a.ics")


def test_what_goes_out_is_on_when_the_timetable_is() -> None:
    made = Timetable.model_validate(
        {
            "name": "Kiln, day",
            "zone": ZONE,
            "hours": [{"day": day, "start_min": 480, "end_min": 1020} for day in range(5)]
            + [{"day": 5, "start_min": 1320, "end_min": 360}],
            "dates": [
                {"date": "2026-03-04", "hours": [], "note": "closed"},
                {"date": "2026-03-07", "hours": [{"start_min": 600, "end_min": 660}], "note": "short"},
            ],
            "holidays": {"country": "PT"},
        }
    )
    zone = ZoneInfo(ZONE)
    spans = []
    for event in Calendar.from_ical(write_calendar(made, [2026])).walk("VEVENT"):
        start, length = event["DTSTART"].dt, event["DTEND"].dt - event["DTSTART"].dt
        starts = [start]
        if "RRULE" in event:
            rule = rrulestr(event["RRULE"].to_ical().decode(), dtstart=start.replace(tzinfo=None))
            skipped = {each.dt.replace(tzinfo=None) for each in event["EXDATE"].dts} if "EXDATE" in event else set()
            starts = [
                at.replace(tzinfo=zone)
                for at in rule.between(datetime(2026, 2, 20), datetime(2026, 4, 12), inc=True)
                if at not in skipped
            ]
        spans += [(at, at + length) for at in starts]
    at = datetime(2026, 3, 1, tzinfo=zone)
    assert made.hours_on(date(2026, 4, 3))[1]  # Good Friday
    while at < datetime(2026, 4, 10, tzinfo=zone):
        wall = at.replace(tzinfo=None)
        expected = any(a.replace(tzinfo=None) <= wall < b.replace(tzinfo=None) for a, b in spans)
        assert made.is_active(at) == expected, at
        at += timedelta(minutes=30)
