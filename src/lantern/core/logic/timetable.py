"""Weekly hours in a zone: when a link is armed.

Hours by the sun stand beside the weekday's. An interval is half-open, in local wall time, and belongs to the day on which it starts; an end at or before the start is
on the next day (22:00-06:00). Hours of a date stand over those of a holiday, these over the weekday's; what began the day
before still runs out. On a night when the clocks change, a wall time that does not exist becomes the first
instant that does; one that comes twice is the first as a start and the second as an end. No hours at all means never.
"""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Callable, Iterator
from dataclasses import dataclass
from datetime import UTC, date, datetime, time, timedelta
from functools import cached_property, lru_cache
from typing import Any, Self
from zoneinfo import ZoneInfo, ZoneInfoNotFoundError

from pydantic import (
    BaseModel,
    ConfigDict,
    Field,
    SerializerFunctionWrapHandler,
    field_validator,
    model_serializer,
    model_validator,
)

from lantern.core.logic.sunned import SunHours

DAYS = ("Monday", "Tuesday", "Wednesday", "Thursday", "Friday", "Saturday", "Sunday")
MINUTES_A_DAY = 24 * 60
EQUINOX = date(2026, 3, 20)  # of hours by the sun where no day is meant: between the longest and the shortest


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


class Stretch(BaseModel):
    """Hours of one day, whichever it is: minutes after midnight, an end before the start being on the next day."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    start_min: int = Field(ge=0, lt=MINUTES_A_DAY)
    end_min: int = Field(gt=0, le=MINUTES_A_DAY)

    @model_validator(mode="after")
    def _not_empty(self) -> Self:
        if self.start_min == self.end_min:
            raise ValueError(
                f"{clock(self.start_min)}-{clock(self.end_min)} is empty: write 00:00-24:00 for a whole day"
            )
        return self

    def on(self, day: date) -> Hours:
        return Hours(day=day.weekday(), start_min=self.start_min, end_min=self.end_min)

    def __str__(self) -> str:
        return f"{clock(self.start_min)}-{clock(self.end_min)}"


class OfDate(BaseModel):
    """What stands on one date instead of the weekday's hours; none: it is off all day."""

    model_config = ConfigDict(frozen=True, extra="forbid")

    date: date
    hours: tuple[Stretch, ...] = ()
    note: str = Field(default="", max_length=200)


class Holidays(BaseModel):
    """What stands on public holidays instead of the weekday's hours; none: it is off. `country`: its code of ISO 3166-1, `part`: of its
    subdivision, as ISO 3166-2 has it after the hyphen.
    """

    model_config = ConfigDict(frozen=True, extra="forbid")

    country: str = Field(min_length=2, max_length=3)
    part: str | None = Field(default=None, max_length=10)
    hours: tuple[Stretch, ...] = ()

    @model_validator(mode="after")
    def _known(self) -> Self:
        parts = holiday_countries().get(self.country)
        if parts is None:
            raise ValueError(f"no holidays of {self.country!r} are known: a country's code, such as PT")
        if self.part is not None and self.part not in parts:
            raise ValueError(f"{self.country} has no part {self.part!r}: one of {', '.join(parts) or 'none'}")
        return self

    def name_of(self, day: date) -> str:
        """Return which holiday a day is; empty: none."""
        return _holidays(self.country, self.part, day.year).get(day, "")


@lru_cache(maxsize=1)
def holiday_countries() -> dict[str, tuple[str, ...]]:
    """Return the countries whose holidays are known, by code, with their parts."""
    import holidays

    return {code: tuple(parts) for code, parts in sorted(holidays.list_supported_countries().items())}


@lru_cache(maxsize=200)
def _holidays(country: str, part: str | None, year: int) -> dict[date, str]:
    import holidays

    return dict(holidays.country_holidays(country, subdiv=part, years=year))


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
    dates: tuple[OfDate, ...] = Field(default=(), max_length=2000)
    holidays: Holidays | None = None
    sun: tuple[SunHours, ...] = Field(default=(), max_length=20, description="by the sun, beside the weekday's hours")
    latitude: float | None = Field(default=None, ge=-90, le=90, description="where the sun is looked at from")
    longitude: float | None = Field(default=None, ge=-180, le=180)

    @field_validator("zone")
    @classmethod
    def _known_zone(cls, zone: str) -> str:
        zone_of(zone)
        return zone

    @field_validator("dates")
    @classmethod
    def _each_once(cls, dates: tuple[OfDate, ...]) -> tuple[OfDate, ...]:
        days = [each.date for each in dates]
        twice = sorted({day for day in days if days.count(day) > 1})
        if twice:
            raise ValueError(f"{twice[0].isoformat()} comes twice: give each date once")
        return tuple(sorted(dates, key=lambda each: each.date))

    @model_serializer(mode="wrap")
    def _plain(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        """Without dates, holidays and hours by the sun it is written as ever."""
        out: dict[str, Any] = handler(self)
        empty = [key for key in ("dates", "holidays", "sun") if not out.get(key)]
        for key in (*empty, *(("latitude", "longitude") if "sun" in empty else ())):
            out.pop(key, None)
        return out

    @model_validator(mode="after")
    def _of_a_place(self) -> Self:
        if self.sun and (self.latitude is None or self.longitude is None):
            raise ValueError("hours by the sun need latitude and longitude")
        return self

    @property
    def is_never(self) -> bool:
        """Return whether it is on at no hour of any day."""
        own = any(each.hours for each in self.dates) or (self.holidays is not None and self.holidays.hours)
        return not self.hours and not self.sun and not own

    @property
    def summary(self) -> str:
        if self.is_never:
            return "never: this timetable has no hours"
        total = sum(h.length_min for h in merged(self.hours))
        weekly = "always" if total >= 7 * MINUTES_A_DAY else f"{total / 60:g} h a week"
        if self.sun:
            by_sun = ", ".join(map(str, self.sun))
            weekly = f"{weekly}, and {by_sun}" if total else by_sun
        if self.holidays is not None:
            weekly += f", other hours on holidays of {self.holidays.country}"
        count = len(self.dates)
        return weekly + (f", {count} {'date' if count == 1 else 'dates'} of their own" if count else "")

    def hours_on(self, day: date) -> tuple[tuple[Hours, ...], str]:
        """Return the hours that begin on a day, and why they are not the weekday's: empty, or what the day is."""
        for each in self._by_date.get(day, ()):
            return tuple(stretch.on(day) for stretch in each.hours), each.note or "a date of its own"
        if self.holidays is not None and (name := self.holidays.name_of(day)):
            return tuple(stretch.on(day) for stretch in self.holidays.hours), name
        weekdays = tuple(hours for hours in self.hours if hours.day == day.weekday())
        return (*weekdays, *self.by_sun(day)), ""

    def of_week(self, day: date = EQUINOX) -> list[WeekSpan]:
        """Return the hours of a week in its minutes, without dates and holidays, hours by the sun as they are in the week of a day."""
        monday = day - timedelta(days=day.weekday())
        by_sun = (hours for n in range(7) for hours in self.by_sun(monday + timedelta(days=n)))
        return merged((*self.hours, *by_sun))

    def sun_on(self, day: date) -> list[str]:
        """Return when each of its hours by the sun is, if it begins on a day: "16:02-08:31", or that it is off."""
        if self.latitude is None or self.longitude is None:
            return []
        zone = zone_of(self.zone)
        found = (each.on(day, self.latitude, self.longitude, zone) for each in self.sun)
        return ["off" if each is None else f"{clock(each[0])}-{clock(each[1])}" for each in found]

    def by_sun(self, day: date) -> Iterator[Hours]:
        """Yield its hours by the sun that begin on a day."""
        if self.latitude is None or self.longitude is None:
            return
        for each in self.sun:
            found = each.on(day, self.latitude, self.longitude, zone_of(self.zone))
            if found is not None:
                yield Hours(day=day.weekday(), start_min=found[0], end_min=found[1])

    @cached_property
    def _by_date(self) -> dict[date, tuple[OfDate, ...]]:
        return {each.date: (each,) for each in self.dates}

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
            found += [_instants(hours, day, zone) for hours in self.hours_on(day)[0]]
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
