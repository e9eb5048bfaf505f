"""Weekly hours against published nights and the time-zone data, minute by minute."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta
from zoneinfo import ZoneInfo

import pytest
from pydantic import ValidationError

from checks import check
from lantern.core.logic.timetable import Hours, Timetable, merged

ZONE = ZoneInfo("Europe/Amsterdam")


def table(*hours: tuple[int, int, int], zone: str = "Europe/Amsterdam") -> Timetable:
    return Timetable(name="t", zone=zone, hours=tuple(Hours(day=d, start_min=a, end_min=b) for d, a, b in hours))


def at(text: str, zone: ZoneInfo = ZONE) -> datetime:
    return datetime.fromisoformat(text).replace(tzinfo=zone)


def test_an_interval_across_midnight_belongs_to_its_start_day() -> None:
    inputs, expected = check("I06")
    friday = table((4, 22 * 60, 6 * 60))
    assert [friday.is_active(at(t)) for t in inputs["times"]] == expected


def test_nights_on_which_the_clocks_change() -> None:
    inputs, expected = check("I07")
    zone = inputs["zone"]
    nightly = table(*((d, 22 * 60, 6 * 60) for d in range(7)), zone=zone)
    hours = []
    for noon in ("2025-03-29T12:00", "2025-10-25T12:00"):
        start = at(noon, ZoneInfo(zone))
        [(a, b)] = nightly.spans(start, start + timedelta(hours=23))
        hours.append((b - a).total_seconds() / 3600)
    assert hours == expected


@pytest.mark.parametrize("day", ["2025-03-29T20:00", "2025-10-25T20:00", "2025-06-01T20:00"])
@pytest.mark.parametrize(("start", "end"), [(1320, 360), (90, 180), (0, 1440), (150, 240)])
def test_every_minute_agrees_with_the_wall_clock(day: str, start: int, end: int) -> None:
    """A minute is inside if its wall clock is, by the zone's own data; start and end minutes of skipped or doubled hours apart."""
    timetable = table(*((d, start, end) for d in range(7)))
    first = at(day).astimezone(UTC)
    for minute in range(12 * 60):
        moment = first + timedelta(minutes=minute)
        wall = moment.astimezone(ZONE)
        clock = wall.hour * 60 + wall.minute
        inside = start <= clock < end if start < end else clock >= start or clock < end
        doubled = wall.replace(fold=0).utcoffset() != wall.replace(fold=1).utcoffset()
        if doubled and (120 <= start < 180 or 120 < end <= 180):
            continue  # the first reading of the clock starts, the second ends: see the tests below
        assert timetable.is_active(moment) == inside, wall


def test_a_start_that_does_not_exist_is_the_first_instant_that_does() -> None:
    timetable = table((6, 150, 300))  # Sunday 02:30-05:00; the clock jumps from 02:00 to 03:00
    [(start, end)] = timetable.spans(at("2025-03-30T00:00"), at("2025-03-30T12:00"))
    assert start == datetime(2025, 3, 30, 1, 0, tzinfo=UTC)
    assert end == at("2025-03-30T05:00")


def test_of_a_doubled_hour_the_first_starts_and_the_second_ends() -> None:
    timetable = table((6, 150, 165))  # 02:30-02:45 comes twice on 26 October 2025
    [(start, end)] = timetable.spans(at("2025-10-26T00:00"), at("2025-10-26T12:00"))
    assert start == datetime(2025, 10, 26, 0, 30, tzinfo=UTC)
    assert end == datetime(2025, 10, 26, 1, 45, tzinfo=UTC)


def test_empty_means_never_and_says_so() -> None:
    assert table().summary == "never: this timetable has no hours"
    assert not table().is_active(at("2025-06-01T12:00"))
    assert table().spans(at("2025-06-01T00:00"), at("2025-06-08T00:00")) == []


def test_summary_counts_overlaps_once() -> None:
    assert table((0, 60, 180), (0, 120, 240)).summary == "3 h a week"
    assert table(*((d, 0, 1440) for d in range(7))).summary == "always"
    assert [(s.start_min, s.end_min) for s in merged(table((6, 1380, 60)).hours)] == [(0, 60), (6 * 1440 + 1380, 10080)]


def test_half_open() -> None:
    timetable = table((0, 60, 120))
    assert timetable.is_active(at("2025-06-02T01:00:00"))
    assert not timetable.is_active(at("2025-06-02T02:00:00"))


@pytest.mark.parametrize("hours", [(0, 60, 60), (7, 0, 60), (0, 1440, 60), (0, -1, 60), (0, 0, 1441)])
def test_hours_that_make_no_sense_are_refused(hours: tuple[int, int, int]) -> None:
    with pytest.raises(ValidationError):
        table(hours)


def test_unknown_zone_is_refused() -> None:
    with pytest.raises(ValidationError, match="no time zone"):
        table(zone="Europe/Skerrow")
