"""Days that are not like their weekday: dates over holidays over weekdays; what began the day before runs out."""

from __future__ import annotations

from datetime import UTC, date, datetime, timedelta
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lantern.core.logic.timetable import Timetable

ZONE = ZoneInfo("Europe/Amsterdam")
NIGHT = [{"day": day, "start_min": 22 * 60, "end_min": 6 * 60} for day in range(7)]


def timetable(**more: Any) -> Timetable:
    return Timetable.model_validate({"name": "night", "zone": "Europe/Amsterdam", "hours": NIGHT, **more})


def on(made: Timetable, text: str) -> bool:
    return made.is_active(datetime.fromisoformat(text).replace(tzinfo=ZONE))


def test_a_date_of_its_own_stands_over_its_weekday_and_the_tail_before_it_runs_out() -> None:
    """domain.md I: explicit date over holiday over weekday; a tail crossing into a holiday still runs."""
    made = timetable(dates=[{"date": "2026-12-24"}])
    assert on(made, "2026-12-24T05:59")  # began on the 23rd
    assert not on(made, "2026-12-24T23:00")
    assert not on(made, "2026-12-25T05:00")  # it would have begun on the 24th
    assert on(made, "2026-12-25T22:00")


def test_hours_of_a_date_and_of_holidays() -> None:
    """25 December, 27 April (Koningsdag) and 5 May of a fifth year are holidays in the Netherlands (general knowledge, from memory)."""
    hours = [{"start_min": 480, "end_min": 720}]
    made = timetable(holidays={"country": "NL", "hours": hours}, dates=[{"date": "2026-04-27", "note": "open"}])
    assert on(made, "2025-12-25T08:00")
    assert not on(made, "2025-12-25T23:00")
    assert not on(made, "2026-04-27T08:00")  # the date stands over the holiday
    assert made.hours_on(date(2026, 4, 27)) == ((), "open")
    _, name = made.hours_on(date(2025, 12, 25))
    assert name != ""
    assert on(made, "2025-12-27T23:00")


def test_never_and_always_are_said_of_the_whole() -> None:
    empty = Timetable(name="x")
    assert empty.is_never
    assert empty.summary == "never: this timetable has no hours"
    once = Timetable.model_validate(
        {"name": "x", "dates": [{"date": "2026-01-01", "hours": [{"start_min": 0, "end_min": 60}]}]}
    )
    assert not once.is_never
    assert once.summary == "0 h a week, 1 date of their own"


@pytest.mark.parametrize(
    ("more", "word"),
    [
        ({"dates": [{"date": "2026-01-01"}, {"date": "2026-01-01"}]}, "twice"),
        ({"dates": [{"date": "2026-02-30"}]}, "date"),
        ({"dates": [{"date": "2026-02-01", "hours": [{"start_min": 5, "end_min": 5}]}]}, "is empty"),
        ({"holidays": {"country": "QQ"}}, "no holidays of 'QQ'"),
        ({"holidays": {"country": "PT", "part": "ZZ"}}, "PT has no part 'ZZ'"),
    ],
)
def test_what_cannot_be_meant_is_refused(more: dict[str, Any], word: str) -> None:
    with pytest.raises(ValueError, match=word):
        timetable(**more)


def test_what_has_no_other_days_is_written_as_ever() -> None:
    assert set(timetable().model_dump(mode="json")) == {"name", "zone", "hours"}


DAYS = st.dates(date(2026, 1, 1), date(2026, 1, 28))
SPAN = st.tuples(st.integers(0, 1439), st.integers(1, 1440)).filter(lambda each: each[0] != each[1])


def as_hours(span: tuple[int, int]) -> dict[str, int]:
    return {"start_min": span[0], "end_min": span[1]}


@given(
    st.dictionaries(DAYS, st.lists(SPAN, max_size=2), max_size=6),
    st.lists(st.tuples(st.integers(0, 6), SPAN), max_size=5),
    st.lists(st.integers(0, 28 * 1440 - 1), max_size=40),
)
@settings(max_examples=150, deadline=None)
def test_every_minute_as_a_plain_reading_has_it(
    own: dict[date, list[tuple[int, int]]], week: list[tuple[int, tuple[int, int]]], minutes: list[int]
) -> None:
    made = Timetable.model_validate(
        {
            "name": "x",
            "hours": [{"day": day, **as_hours(span)} for day, span in week],
            "dates": [{"date": day, "hours": [as_hours(span) for span in spans]} for day, spans in own.items()],
        }
    )

    def begun(day: date) -> list[tuple[int, int]]:
        return own[day] if day in own else [span for of, span in week if of == day.weekday()]

    for minute in minutes:
        at = datetime(2026, 1, 1, tzinfo=UTC) + timedelta(minutes=minute)
        of_day = at.hour * 60 + at.minute
        today = any(a <= of_day < (b if b > a else 1440) for a, b in begun(at.date()))
        before = any(b < a and of_day < b for a, b in begun(at.date() - timedelta(days=1)))
        assert made.is_active(at) == (today or before)
