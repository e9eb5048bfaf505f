"""The evidence strip beneath a dial: misses and false alarms along its range, the margin, and a proposed value."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

from lantern.core.tuning.sweep import Row, value_inside
from lantern.core.tuning.tally import Counts
from lantern.core.tuning.wishes import Proposal, Result, Wishes, propose
from lantern.core.units import Quantity


@dataclass(frozen=True, slots=True)
class Piece:
    """A stretch of the dial with one verdict (the delay may differ within it)."""

    start: float
    stop: float
    misses: int
    false_alarms: int
    longest_delay_s: float | None

    @property
    def verdict(self) -> tuple[int, int]:
        return self.misses, self.false_alarms


@dataclass(frozen=True)
class Evidence:
    """What a strip judges by: `expected` marks that must raise, hours of quiet, noise of a reading (None: not of this dial)."""

    expected: int
    exposure_h: float
    wishes: Wishes | None = None
    noise: float | None = None


@dataclass(frozen=True)
class Strip:
    """What the page draws: pieces over the shown range, the stretch around the value, the proposal and a sentence."""

    low: float
    high: float
    pieces: tuple[Piece, ...]
    margin: tuple[float, float] | None
    proposed: float | None
    text: str
    helps: tuple[str, ...] = ()

    def as_dict(self) -> dict[str, Any]:
        return {
            "low": self.low,
            "high": self.high,
            "pieces": [[p.start, p.stop, p.misses, p.false_alarms, p.longest_delay_s] for p in self.pieces],
            "margin": self.margin,
            "proposed": self.proposed,
            "text": self.text,
            "helps": list(self.helps),
        }


def results_of(rows: Sequence[Row], low: float, high: float) -> list[Result]:
    """Rows within the shown range; single values (a sweep by range) reach half-way to their neighbours."""
    points = all(row.start == row.stop for row in rows)
    out: list[Result] = []
    for at, row in enumerate(rows):
        start, stop = row.start, row.stop
        if points:
            start = low if at == 0 else (rows[at - 1].value + row.value) / 2
            stop = high if at == len(rows) - 1 else (row.value + rows[at + 1].value) / 2
        start, stop = max(start, low), min(stop, high)
        if start < stop:
            counts = row.counts
            out.append(Result(start, stop, counts.misses, counts.false_alarms, counts.longest_delay_s))
    return out


def pieces_of(results: Sequence[Result]) -> list[Piece]:
    """Neighbours of one verdict as one piece."""
    out: list[Piece] = []
    for r in results:
        if out and out[-1].verdict == (r.misses, r.false_alarms):
            out[-1] = Piece(out[-1].start, r.stop, r.misses, r.false_alarms, out[-1].longest_delay_s)
        else:
            out.append(Piece(r.start, r.stop, r.misses, r.false_alarms, r.longest_delay_s))
    return out


def together(sweeps: Sequence[Sequence[Row]]) -> list[Row]:
    """Sweeps of one dial over the same range on several takes, added up. There is no median of medians: it is left out."""
    if len(sweeps) == 1:
        return list(sweeps[0])
    if all(row.start == row.stop for rows in sweeps for row in rows):
        return [
            Row(same[0].start, same[0].stop, same[0].value, _sum([r.counts for r in same]))
            for same in zip(*sweeps, strict=True)
        ]
    edges = sorted({edge for rows in sweeps for row in rows for edge in (row.start, row.stop)})
    at = [0] * len(sweeps)
    out: list[Row] = []
    for start, stop in pairwise(edges):
        middle = (start + stop) / 2
        for i, rows in enumerate(sweeps):
            while at[i] < len(rows) - 1 and rows[at[i]].stop < middle:
                at[i] += 1
        counts = _sum([rows[at[i]].counts for i, rows in enumerate(sweeps)])
        if out and out[-1].counts == counts:
            out[-1] = Row(out[-1].start, stop, (out[-1].start + stop) / 2, counts)
        else:
            out.append(Row(start, stop, middle, counts))
    return out


def _sum(counts: Sequence[Counts]) -> Counts:
    delays = [c.longest_delay_s for c in counts if c.longest_delay_s is not None]
    hits, misses, false_alarms, repeats, ignored = (
        sum(column) for column in zip(*(c[:5] for c in counts), strict=True)
    )
    return Counts(hits, misses, false_alarms, repeats, ignored, None, max(delays, default=None))


def strip_of(
    rows: Sequence[Row], *, low: float, high: float, value: float, step: float, shown: Quantity, by: Evidence
) -> Strip:
    """`step` is the dial's, used to round the proposal; `shown` is how the dial's values are worded."""
    results = results_of(rows, low, high)
    pieces = pieces_of(results)
    here = next((p for p in pieces if p.start <= value <= p.stop), None)
    margin = None if here is None else (here.start, here.stop)
    if by.expected == 0:
        text = "no mark says what should raise: add one on the time axis"
        return Strip(low, high, tuple(pieces), margin, None, text)
    sides = _sides(here, value, low, high, shown, by.noise) if here else ""
    if by.wishes is not None:
        return _by_wishes(results, pieces, margin, value, step, shown, by, sides, (low, high))
    usable = [p for p in pieces if p.stop - p.start >= step / 4] or pieces  # nobody sets a dial to a hair's breadth
    best = min((p.verdict for p in usable), default=(0, 0))
    widest = max((p for p in usable if p.verdict == best), key=lambda p: p.stop - p.start)
    limit = f"alone it cannot get below {best[1]} false without a miss" if best[1] else ""
    if best[0]:
        limit = f"no value here catches all: {best[0]} missed at best"
    if here is not None and here.verdict == best:
        return Strip(low, high, tuple(pieces), margin, None, f"{sides}; {limit}" if limit else sides)
    proposed = inside(widest.start, widest.stop, step)
    text = f"proposed {shown.text(proposed)}: {best[0]} missed, {best[1]} false"
    return Strip(low, high, tuple(pieces), margin, proposed, f"{text}; {limit}" if best[0] else text)


def _by_wishes(
    results: Sequence[Result],
    pieces: Sequence[Piece],
    margin: tuple[float, float] | None,
    value: float,
    step: float,
    shown: Quantity,
    by: Evidence,
    sides: str,
    ends: tuple[float, float],
) -> Strip:
    assert by.wishes is not None
    proposal = propose(results, by.wishes, by.exposure_h, by.expected)
    assert proposal is not None
    inside_now = proposal.start <= value <= proposal.stop
    what = worded(proposal)
    proposed = None if inside_now else inside(proposal.start, proposal.stop, step)
    if proposal.met:
        text = (
            f"meets the wishes; {sides}"
            if inside_now
            else f"proposed {shown.text(proposed or 0)}: meets the wishes, {what}"
        )
    else:
        near = "nearest already" if inside_now else f"nearest {shown.text(proposed or 0)}"
        text = f"{near}: {what}; no value shows the wishes met ({', '.join(proposal.failing)})"
    return Strip(*ends, tuple(pieces), margin, proposed, text, proposal.helps)


def worded(proposal: Proposal) -> str:
    delay = "" if proposal.longest_delay_s is None else f", within {proposal.longest_delay_s:.3g} s"
    return f"{proposal.misses} missed, {proposal.false_alarms} false{delay}"


def _sides(here: Piece, value: float, low: float, high: float, shown: Quantity, noise: float | None) -> str:
    """How far the value may go down and up before the verdict changes; beyond what is shown, at least so far.

    Of a value at the end of what is shown only the other side is told.
    """
    width = shown.width
    ways = [("−", value - here.start, here.start <= low), ("+", here.stop - value, here.stop >= high)]
    told = [(sign, far, beyond) for sign, far, beyond in ways if far > 0 or not beyond]
    if not told:
        return ""
    words = " / ".join(f"{'at least ' if beyond else ''}{sign}{width.show(far):.3g}" for sign, far, beyond in told)
    text = f"margin {words} {width.unit}".rstrip()
    if noise:
        times = min(far for _, far, _ in told) / noise
        text += f", {times:.0f} times the noise" if times >= 10 else f", {times:.2g} times the noise"
    return text


def inside(start: float, stop: float, step: float) -> float:
    """The middle of a stretch on the dial's own steps, or a short number near it where no step lies inside."""
    middle = (start + stop) / 2
    on_step = round(round(middle / step) * step, 6)
    return on_step if start < on_step < stop else value_inside(start, stop)


def shown_range(
    *, value: float, default: float | None, low: float, high: float, step: float, reach: float
) -> tuple[float, float]:
    """Which part of a dial's range its strip shows: from its low end to well beyond value, default and `reach`."""
    top = max(2 * abs(value), 3 * abs(default or 0.0), reach, 10 * step)
    magnitude = 10 ** math.floor(math.log10(top))
    top = math.ceil(top / magnitude * 2) / 2 * magnitude
    return low, min(top, high)
