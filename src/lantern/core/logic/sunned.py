"""Hours by the sun: from so long before or after it rises or sets, on some weekdays, until it does another time."""

from __future__ import annotations

from datetime import date, datetime, timedelta
from functools import lru_cache
from typing import Literal
from zoneinfo import ZoneInfo

from astral import Observer
from astral.sun import sunrise, sunset
from pydantic import BaseModel, ConfigDict, Field, field_validator

Turn = Literal["sunrise", "sunset"]
MOST_OFF_MIN = 360
MINUTES_A_DAY = 24 * 60
WEEK = tuple(range(7))


class Fallback(BaseModel):
    """What stands on a day on which the sun does not rise or not set: these hours; minutes after midnight, over it where the end is first."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    start_min: int = Field(ge=0, lt=MINUTES_A_DAY)
    end_min: int = Field(gt=0, le=MINUTES_A_DAY)


class SunHours(BaseModel):
    """From `start_min` after the sun rises or sets (negative: before) to `end_min` after it does next, on weekdays (0 is Monday). `fallback`:
    where a day has no such event (polar day and night); None: it is off then.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    days: tuple[int, ...] = Field(default=WEEK, min_length=1, max_length=7)
    start: Turn = "sunset"
    start_min: int = Field(default=0, ge=-MOST_OFF_MIN, le=MOST_OFF_MIN)
    end: Turn = "sunrise"
    end_min: int = Field(default=0, ge=-MOST_OFF_MIN, le=MOST_OFF_MIN)
    fallback: Fallback | None = None

    @field_validator("days")
    @classmethod
    def _weekdays(cls, days: tuple[int, ...]) -> tuple[int, ...]:
        if len(set(days)) < len(days) or not set(days) <= set(WEEK):
            raise ValueError("days: each of 0 (Monday) to 6 once at most")
        return tuple(sorted(days))

    def on(self, day: date, latitude: float, longitude: float, zone: ZoneInfo) -> tuple[int, int] | None:
        """Return start and end in minutes of wall time after that day's midnight, an end before the start being on the next day; to the
        minute, which is finer than refraction lets anybody know. None: it is off.
        """
        if day.weekday() not in self.days:
            return None
        begins = turn(self.start, day, latitude, longitude, zone)
        same_day = self.end == self.start and self.end_min > self.start_min
        rises_first = (self.start, self.end) == ("sunrise", "sunset")
        ends = turn(self.end, day if same_day or rises_first else day + timedelta(days=1), latitude, longitude, zone)
        if begins is None or ends is None:
            return None if self.fallback is None else (self.fallback.start_min, self.fallback.end_min)
        first = begins + timedelta(minutes=self.start_min)
        last = ends + timedelta(minutes=self.end_min)
        if not timedelta(0) < last - first < timedelta(days=1) or first.date() != day:
            return None  # offsets that leave nothing of it, or of another day
        end = _minutes(last) if _minutes(last) or last.date() == day else MINUTES_A_DAY
        return None if _minutes(first) == end else (_minutes(first), end)

    def __str__(self) -> str:
        return f"{_said(self.start, self.start_min)} to {_said(self.end, self.end_min)}"


def _said(what: Turn, minutes: int) -> str:
    if not minutes:
        return what
    return f"{abs(minutes)} min {'after' if minutes > 0 else 'before'} {what}"


def _minutes(at: datetime) -> int:
    return at.hour * 60 + at.minute


@lru_cache(maxsize=8192)
def turn(what: Turn, day: date, latitude: float, longitude: float, zone: ZoneInfo) -> datetime | None:
    """Return when the sun rises or sets on a local day, in local time to the minute, by astral (its upper edge on the horizon, zenith 90.833
    degrees); None: it does not.
    """
    ask = sunrise if what == "sunrise" else sunset
    try:
        found: datetime = ask(Observer(latitude, longitude), date=day, tzinfo=zone)
    except ValueError:  # it stays above or below all day
        return None
    if found.date() != day:
        return None
    return (found + timedelta(seconds=30)).replace(second=0, microsecond=0)
