"""Score cards: hits, misses, false alarms, repeats, delay, and rates with their intervals."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict, dataclass
from statistics import median
from typing import Any, Literal, NamedTuple

from lantern.core.events import Event
from lantern.core.scoring.intervals import poisson_rate, wilson
from lantern.core.scoring.marks import Judgement, Mark, Slack, exposure_s, judge
from lantern.core.units import short

COUNTED = ("hits", "misses", "false_alarms", "repeats", "ignored")


class ScoreRow(NamedTuple):
    """A line of a score card. `beside`: its interval; `weight`: strong, fine or plain."""

    key: str
    glyph: str
    label: str
    text: str
    beside: str = ""
    weight: Literal["strong", "fine", ""] = ""


@dataclass(frozen=True)
class ScoreCard:
    """A detector on a take. What is undefined is None: a rate without exposure, a share or delay without marks or hits."""

    hits: int
    misses: int
    false_alarms: int
    repeats: int
    ignored: int
    delays_s: tuple[float, ...]
    median_delay_s: float | None
    hit_rate: float | None
    hit_rate_low: float | None
    hit_rate_high: float | None
    exposure_h: float
    false_per_hour: float | None
    false_per_hour_low: float | None
    false_per_hour_high: float | None

    def as_dict(self) -> dict[str, Any]:
        return asdict(self) | {"delays_s": list(self.delays_s)}

    def rows(self, *, marked: bool = True) -> list[ScoreRow]:
        """Return the card as a page lays it out. Not `marked`: nobody has said anything of the take, and a raise is
        neither right nor false.
        """
        share = "" if self.hit_rate_low is None or self.hit_rate_high is None else f"{_percent(self.hit_rate_low)} to "
        share += "" if self.hit_rate_high is None else f"{_percent(self.hit_rate_high)} %"
        return [
            ScoreRow("hits", "hit", "hits", self._caught, share),
            ScoreRow("misses", "miss", "misses", str(self.misses)),
            ScoreRow("false", "false", "false alarms", self._false if marked else self._unjudged, weight="strong"),
            ScoreRow("rate", "", "an hour (95 %)", self._rate if marked else "nothing is marked", weight="fine"),
            ScoreRow("delay", "", "delay, median", self._delay, weight="fine"),
        ]

    def line(self, *, marked: bool = True) -> str:
        if not marked:
            return f"{self._unjudged}: nothing is marked yet"
        hours = short(self.exposure_h, 2)
        return f"{self._caught} caught, {self.false_alarms} false in {hours} h, delay {self._delay}"

    @property
    def _false(self) -> str:
        return str(self.false_alarms)

    @property
    def _unjudged(self) -> str:
        return f"{self.false_alarms} not judged"

    @property
    def _caught(self) -> str:
        return "no marks" if self.hit_rate is None else f"{self.hits} of {self.hits + self.misses}"

    @property
    def _rate(self) -> str:
        if self.false_per_hour is None or self.false_per_hour_low is None or self.false_per_hour_high is None:
            return "no quiet time"
        low, high = short(self.false_per_hour_low, 2), short(self.false_per_hour_high, 2)
        return f"{short(self.false_per_hour, 3)} ({low} to {high})"

    @property
    def _delay(self) -> str:
        return "none" if self.median_delay_s is None else f"{short(self.median_delay_s, 3)} s"


def _percent(share: float) -> str:
    return f"{100 * share:.0f}"


def score(events: Sequence[Event], marks: Sequence[Mark], length_s: float, slack: Slack = Slack()) -> ScoreCard:
    """The score card of one detector's events, in order of time, on a take of `length_s`."""
    judged = judge([event.raised_s for event in events], marks, slack)
    return card(judged, [event.raised_s for event in events], marks, length_s)


def pooled(cards: Sequence[ScoreCard]) -> ScoreCard:
    """Several takes as one: counts, delays and exposure together."""
    delays = tuple(delay for each in cards for delay in each.delays_s)
    counts = {name: sum(getattr(each, name) for each in cards) for name in COUNTED}
    return _card(delays=delays, hours=sum(each.exposure_h for each in cards), **counts)


def card(judged: Judgement, raised_s: Sequence[float], marks: Sequence[Mark], length_s: float) -> ScoreCard:
    counts = {verdict: judged.verdicts.count(verdict) for verdict in ("hit", "repeat", "ignored", "false")}
    found = [marks[i].delay_s(t) for t, i in zip(raised_s, judged.hit_marks, strict=True) if i is not None]
    delays = tuple(delay for delay in found if delay is not None)
    return _card(
        hits=counts["hit"],
        misses=len(judged.missed),
        false_alarms=counts["false"],
        repeats=counts["repeat"],
        ignored=counts["ignored"],
        delays=delays,
        hours=exposure_s(length_s, marks) / 3600,
    )


def _card(
    *,
    hits: int,
    misses: int,
    false_alarms: int,
    repeats: int,
    ignored: int,
    delays: tuple[float, ...],
    hours: float,
) -> ScoreCard:
    share, rate = wilson(hits, hits + misses), poisson_rate(false_alarms, hours)
    return ScoreCard(
        hits=hits,
        misses=misses,
        false_alarms=false_alarms,
        repeats=repeats,
        ignored=ignored,
        delays_s=delays,
        median_delay_s=median(delays) if delays else None,
        hit_rate=hits / (hits + misses) if hits + misses else None,
        hit_rate_low=share[0] if share else None,
        hit_rate_high=share[1] if share else None,
        exposure_h=hours,
        false_per_hour=false_alarms / hours if hours > 0 else None,
        false_per_hour_low=rate[0] if rate else None,
        false_per_hour_high=rate[1] if rate else None,
    )
