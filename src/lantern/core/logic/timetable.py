"""Weekly hours in a zone: when a link is armed.

An interval is half-open, in local wall time, and belongs to the day on which it starts; an end at or before the start is
on the next day (22:00-06:00). On a night when the clocks change, a wall time that does not exist becomes the first
instant that does; one that comes twice is the first as a start and the second as an end. No hours at all means never.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from typing import Self
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from pydantic import BaseModel, ConfigDict, Field, field_validator, model_validator

DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
MINUTES_A_DAY = 24 * 60


class Hours(BaseModel):
    """One interval: `day` 0 is Monday; minutes after midnight. `end_min` 1440 is the day's end."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    day: int = Field(ge=0, le=6)
    start_min: int = Field(ge=0, lt=MINUTES_A_DAY)
    end_min: int = Field(gt=0, le=MINUTES_A_DAY)

    @model_validator(mode="after")
    def _not_empty(self) -> Self:
        if self.start_min == self.end_min:
            raise ValueError(
                f"{DAYS[self.day]} {clock(self.start_min)}-{clock(self.end_min)} is empty or a whole day: write 00:00-24:00 for a whole day"
            )
        return self

    @property
    def crosses_midnight(self) -> bool:
        return self.end_min < self.start_min

    @property
    def length_min(self) -> int:
        return self.end_min - self.start_min + (MINUTES_A_DAY if self.crosses_midnight else 0)

    def __str__(self) -> str:
        return f"{DAYS[self.day][:3]} {clock(self.start_min)}-{clock(self.end_min)}"


def zone_of(name: str) -> ZoneInfo:
    """A time zone by its name. Raises ValueError."""
    try:
        return ZoneInfo(name)
    except (ZoneInfoNotFoundError, ValueError, OSError) as error:
        raise ValueError(f"there is no time zone {name!r}: a name such as Europe/Amsterdam") from error


class Timetable(BaseModel):
    """Weekly hours in a time zone. Empty hours are legal and mean never; `summary` says so."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    name: str = Field(min_length=1, max_length=120)
    zone: str = "UTC"
    hours: tuple[Hours, ...] = ()

    @field_validator("zone")
    @classmethod
    def _known_zone(cls, zone: str) -> str:
        zone_of(zone)
        return zone

    @property
    def summary(self) -> str:
        if not self.hours:
            return "never: this timetable has no hours"
        total = sum(h.length_min for h in merged(self.hours))
        if total >= 7 * MINUTES_A_DAY:
            return "always"
        return f"{total / 60:g} h a week"

    def is_active(self, at: datetime) -> bool:
        """Return whether this aware instant lies inside the hours."""
        return self.active_between(at, at)(at)

    def active_between(self, first: datetime, last: datetime) -> Callable[[datetime], bool]:
        """`is_active` for instants from `first` to `last`: the hours are laid out once for many of them."""
        spans = self.spans(first, last + timedelta(microseconds=1))
        starts = [start for start, _ in spans]

        def active(at: datetime) -> bool:
            k = bisect_right(starts, at) - 1
            return k >= 0 and at < spans[k][1]

        return active

    def spans(self, since: datetime, until: datetime) -> list[tuple[datetime, datetime]]:
        """The active stretches between two aware instants, in UTC, merged and in order."""
        if since.tzinfo is None or until.tzinfo is None:
            raise ValueError("instants must be aware of their zone")
        zone = ZoneInfo(self.zone)
        day = since.astimezone(zone).date() - timedelta(days=1)
        last = until.astimezone(zone).date()
        found: list[tuple[datetime, datetime]] = []
        while day <= last:
            for hours in self.hours:
                if hours.day == day.weekday():
                    found.append(_instants(hours, day, zone))
            day += timedelta(days=1)
        out: list[tuple[datetime, datetime]] = []
        for start, end in sorted(found):
            start, end = max(start, since.astimezone(UTC)), min(end, until.astimezone(UTC))
            if start >= end:
                continue
            if out and start <= out[-1][1]:
                out[-1] = (out[-1][0], max(out[-1][1], end))
            else:
                out.append((start, end))
        return out


@dataclass(frozen=True, slots=True)
class WeekSpan:
    """Minutes from Monday 00:00."""

    start_min: int
    end_min: int

    @property
    def length_min(self) -> int:
        return self.end_min - self.start_min


def merged(hours: tuple[Hours, ...]) -> list[WeekSpan]:
    """The hours as spans of one week, overlaps joined, Sunday's tail carried to Monday."""
    week = 7 * MINUTES_A_DAY
    pieces: list[tuple[int, int]] = []
    for h in hours:
        start = h.day * MINUTES_A_DAY + h.start_min
        end = start + h.length_min
        pieces.append((start, min(end, week)))
        if end > week:
            pieces.append((0, end - week))
    out: list[WeekSpan] = []
    for start, end in sorted(pieces):
        if out and start <= out[-1].end_min:
            out[-1] = WeekSpan(out[-1].start_min, max(out[-1].end_min, end))
        else:
            out.append(WeekSpan(start, end))
    return out


def clock(minutes: int) -> str:
    return f"{minutes // 60:02d}:{minutes % 60:02d}"


def _instants(hours: Hours, day: date, zone: ZoneInfo) -> tuple[datetime, datetime]:
    end_day = day + timedelta(days=1) if hours.crosses_midnight else day
    return _instant(day, hours.start_min, zone, second=False), _instant(end_day, hours.end_min, zone, second=True)


def _instant(day: date, minutes: int, zone: ZoneInfo, *, second: bool) -> datetime:
    if minutes == MINUTES_A_DAY:
        day, minutes = day + timedelta(days=1), 0
    wall = datetime.combine(day, time(minutes // 60, minutes % 60), tzinfo=zone)
    early, late = wall.replace(fold=0).astimezone(UTC), wall.replace(fold=1).astimezone(UTC)
    if early > late:  # inside the hour that is skipped: the clock jumps at the instant that both readings straddle
        return _jump_between(late, early, zone)
    return late if second else early


def _jump_between(low: datetime, high: datetime, zone: ZoneInfo) -> datetime:
    before = low.astimezone(zone).utcoffset()
    while high - low > timedelta(seconds=1):
        middle = low + (high - low) / 2
        if middle.astimezone(zone).utcoffset() == before:
            low = middle
        else:
            high = middle
    return high.replace(microsecond=0)
