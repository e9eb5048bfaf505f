"""Hours by the sun: against published times, by a plain look at the sun's height, and over clock changes."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from icalendar import Calendar
from pydantic import ValidationError

from checks import check
from lantern.core.logic.sunned import SunHours, turn
from lantern.core.logic.timetable import Timetable
from lantern.core.sun import height_deg
from lantern.formats.calendars import write_calendar

BERLIN, NEWCASTLE = (52.52, 13.405), (54.6, -1.6)


def table(zone: str = "UTC", place: tuple[float, float] = NEWCASTLE, hours: Any = (), **sun: Any) -> Timetable:
    document = {"name": "t", "zone": zone, "hours": hours, "sun": [sun], "latitude": place[0], "longitude": place[1]}
    return Timetable.model_validate(document)


@pytest.mark.parametrize("name", ["I08", "I09"])
def test_sunrise_and_sunset_are_those_of_meeus_equations(name: str) -> None:
    given_, expected = check(name)
    day, place = date.fromisoformat(given_["date"]), (given_["lat_deg"], given_["lon_E_deg"])
    found = [turn(what, day, *place, ZoneInfo("UTC")) for what in ("sunrise", "sunset")]  # type: ignore[arg-type]
    assert [each.hour * 60 + each.minute for each in found if each is not None] == expected  # within two minutes


def test_a_published_almanac_day() -> None:
    """2 January 2015, 07:22 and 16:48 (pvlib, tests/test_solarposition.py: almanac values of the US Naval Observatory for Golden, 39.742 N,
    105.18 W, as the design's list of open data quotes them; place from memory).
    """
    zone = ZoneInfo("America/Denver")
    day = date(2015, 1, 2)
    for what, (hour, minute) in (("sunrise", (7, 22)), ("sunset", (16, 48))):
        found = turn(what, day, 39.742, -105.18, zone)  # type: ignore[arg-type]
        assert found is not None
        assert found.date() == day
        assert abs((found - datetime(2015, 1, 2, hour, minute, tzinfo=zone)).total_seconds()) <= 120


def test_where_it_does_not_set_the_fallback_stands_or_it_is_off() -> None:
    given_, expected = check("I10")
    assert expected is None
    place, day = (given_["lat_deg"], given_["lon_E_deg"]), date.fromisoformat(given_["date"])
    assert turn("sunset", day, *place, ZoneInfo("UTC")) is None
    noon = datetime(2025, 6, 21, 12, tzinfo=UTC)
    assert table(place=place).spans(noon - timedelta(days=1), noon + timedelta(days=1)) == []
    held = table(place=place, fallback={"start_min": 22 * 60, "end_min": 4 * 60})
    assert held.is_active(datetime(2025, 6, 21, 23, tzinfo=UTC))
    assert held.is_active(datetime(2025, 6, 22, 3, tzinfo=UTC))
    assert not held.is_active(noon)


@settings(max_examples=60, deadline=None)
@given(
    st.dates(date(2020, 1, 1), date(2030, 12, 31)),
    st.integers(0, 1439),
    st.sampled_from([NEWCASTLE, BERLIN, (-33.9, 151.2)]),
)
def test_from_sunset_to_sunrise_is_when_the_sun_is_down(day: date, minute: int, place: tuple[float, float]) -> None:
    """By its height, half a degree of refraction and half its width below the horizon; nobody knows it to the last minutes."""
    zone = {NEWCASTLE: "Europe/London", BERLIN: "Europe/Berlin"}.get(place, "Australia/Sydney")
    at = datetime(day.year, day.month, day.day, tzinfo=UTC) + timedelta(minutes=minute)
    height = height_deg(at, *place)
    if abs(height + 0.833) < 0.6:
        return
    assert table(zone, place).is_active(at) == (height < -0.833)
    by_day = table(zone, place, start="sunrise", end="sunset")
    assert by_day.is_active(at) == (height > -0.833)


def test_minutes_before_and_after_weekdays_and_weekly_hours_beside_it() -> None:
    zone = ZoneInfo("Europe/London")
    day = date(2026, 12, 2)  # a Wednesday
    sunset, sunrise = turn("sunset", day, *NEWCASTLE, zone), turn("sunrise", day + timedelta(days=1), *NEWCASTLE, zone)
    assert sunset is not None
    assert sunrise is not None
    held = table(
        "Europe/London", start_min=-30, end_min=15, days=[2], hours=[{"day": 2, "start_min": 720, "end_min": 780}]
    )
    since = datetime(2026, 12, 1, tzinfo=zone)
    assert held.spans(since, since + timedelta(days=5)) == [
        (datetime(2026, 12, 2, 12, tzinfo=zone), datetime(2026, 12, 2, 13, tzinfo=zone)),
        (sunset - timedelta(minutes=30), sunrise + timedelta(minutes=15)),
    ]
    assert held.summary == "1 h a week, and 30 min before sunset to 15 min after sunrise"
    assert held.sun_on(day) == [f"{sunset - timedelta(minutes=30):%H:%M}-{sunrise + timedelta(minutes=15):%H:%M}"]
    assert held.sun_on(day + timedelta(days=1)) == ["off"]


def test_what_leaves_nothing_is_off_and_a_date_of_its_own_stands_over_the_sun() -> None:
    nothing = table(start="sunrise", start_min=360, end="sunset", end_min=-360)  # a winter's day is shorter
    assert nothing.sun_on(date(2026, 12, 21)) == ["off"]
    late = table(start="sunset", start_min=10, end="sunset", end_min=40)
    [span] = late.spans(datetime(2026, 12, 21, tzinfo=UTC), datetime(2026, 12, 22, tzinfo=UTC))
    assert span[1] - span[0] == timedelta(minutes=30)
    own = Timetable.model_validate(late.model_dump(mode="json") | {"dates": [{"date": "2026-12-21", "hours": []}]})
    assert own.spans(datetime(2026, 12, 21, tzinfo=UTC), datetime(2026, 12, 22, tzinfo=UTC)) == []


def test_without_it_a_timetable_is_written_as_ever_and_without_a_place_it_is_refused() -> None:
    assert set(Timetable(name="t").model_dump(mode="json")) == {"name", "zone", "hours"}
    with pytest.raises(ValidationError, match="need latitude and longitude"):
        Timetable.model_validate({"name": "t", "sun": [{}]})
    for wrong in ({"days": []}, {"days": [0, 0]}, {"days": [7]}, {"start_min": 400}, {"start": "noon"}):
        with pytest.raises(ValidationError):
            SunHours.model_validate(wrong)


def test_a_week_and_a_calendar_have_it_too() -> None:
    """At the equinox day and night are alike, but for refraction and the sun's width: 12 h 10 min or so of light."""
    held = table("Europe/London")
    lasts = [span.length_min for span in held.of_week()]
    assert sum(lasts) / 7 == pytest.approx(12 * 60 - 10, abs=8)
    winter = sum(span.length_min for span in held.of_week(date(2026, 12, 21)))
    assert winter > 7 * 16 * 60  # at 54.6 degrees north the shortest day has seven hours and a quarter
    events = list(Calendar.from_ical(write_calendar(held, [2026])).walk("VEVENT"))
    assert len(events) == 365
    [one] = [each for each in events if each.get("dtstart").dt.date() == date(2026, 12, 21)]
    sunset = turn("sunset", date(2026, 12, 21), *NEWCASTLE, ZoneInfo("Europe/London"))
    assert one.get("dtstart").dt == sunset
