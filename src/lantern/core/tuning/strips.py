"""The evidence strip beneath a dial: the measures along its range, the margin, and a proposed value."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import pairwise
from typing import Any

from lantern.core.tuning.measures import AnyYardstick, Stretch, Values
from lantern.core.tuning.rows import Row, value_inside
from lantern.core.tuning.wishes import Wishes, propose
from lantern.core.units import Quantity

MUCH = 1.5  # times the best, from which on what varies within a stretch counts


@dataclass(frozen=True)
class Evidence:
    """The evidence that a strip judges by. `lacking`: what marks must say first (empty: nothing); `few`: what would
    make it surer; `exposure_h`: hours of quiet; `noise`: of a reading (None: not of this dial);
    """

    yardstick: AnyYardstick
    exposure_h: float
    lacking: str = ""
    few: tuple[str, ...] = ()
    wishes: Wishes | None = None
    noise: float | None = None
    basis: str = ""  # on how much a proposal rests


@dataclass(frozen=True)
class Strip:
    """What the page draws: pieces over the shown range, the stretch around the value, the proposal and a sentence."""

    low: float
    high: float
    yardstick: AnyYardstick
    pieces: tuple[Stretch, ...]
    margin: tuple[float, float] | None
    proposed: float | None
    text: str
    helps: tuple[str, ...] = ()

    @property
    def offer(self) -> tuple[str, str]:
        """The sentence in two: what is proposed (empty: nothing), which a page can take over, and the rest of it."""
        if self.proposed is None:
            return "", self.text
        offered, _, rest = self.text.partition(": ")
        return offered, f": {rest}"

    def as_dict(self) -> dict[str, Any]:
        """Return it as a page draws it."""
        offered, rest = self.offer
        return {
            "low": self.low,
            "high": self.high,
            "measures": [measure.as_dict() for measure in self.yardstick.measures],
            "pieces": [[p.start, p.stop, *p.values] for p in self.pieces],
            "margin": self.margin,
            "proposed": self.proposed,
            "text": self.text,
            "offer": offered,
            "rest": rest,
            "helps": list(self.helps),
        }


def stretches_of(rows: Sequence[Row], yardstick: AnyYardstick) -> list[Stretch]:
    """The rows of a sweep by their measures."""
    return [Stretch(row.start, row.stop, row.value, yardstick.values(row.result)) for row in rows]


def clipped(stretches: Sequence[Stretch], low: float, high: float) -> list[Stretch]:
    """Those within the shown range; single values (a sweep by range) reach half-way to their neighbours."""
    points = all(each.start == each.stop for each in stretches)
    out: list[Stretch] = []
    for at, each in enumerate(stretches):
        start, stop = each.start, each.stop
        if points:
            start = low if at == 0 else (stretches[at - 1].value + each.value) / 2
            stop = high if at == len(stretches) - 1 else (each.value + stretches[at + 1].value) / 2
        start, stop = max(start, low), min(stop, high)
        if start < stop:
            out.append(each._replace(start=start, stop=stop))
    return out


def pieces_of(stretches: Sequence[Stretch], yardstick: AnyYardstick) -> list[Stretch]:
    """Neighbours of one verdict as one piece, with the worst of what varies within it."""
    out: list[Stretch] = []
    for each in stretches:
        if out and yardstick.verdict(out[-1].values) == yardstick.verdict(each.values):
            out[-1] = _joined(out[-1], each.stop, yardstick.worst([out[-1].values, each.values]))
        else:
            out.append(each)
    return out


def _joined(first: Stretch, stop: float, values: Values) -> Stretch:
    return Stretch(first.start, stop, (first.start + stop) / 2, values)


def together(sweeps: Sequence[Sequence[Stretch]], yardstick: AnyYardstick) -> list[Stretch]:
    """Sweeps of one dial over the same range on several takes, put together."""
    if len(sweeps) == 1:
        return list(sweeps[0])
    if all(each.start == each.stop for sweep in sweeps for each in sweep):
        same = zip(*sweeps, strict=True)
        return [each[0]._replace(values=yardstick.pooled([one.values for one in each])) for each in same]
    edges = sorted({edge for sweep in sweeps for each in sweep for edge in (each.start, each.stop)})
    at = [0] * len(sweeps)
    out: list[Stretch] = []
    for start, stop in pairwise(edges):
        middle = (start + stop) / 2
        for i, sweep in enumerate(sweeps):
            while at[i] < len(sweep) - 1 and sweep[at[i]].stop < middle:
                at[i] += 1
        values = yardstick.pooled([sweep[at[i]].values for i, sweep in enumerate(sweeps)])
        if out and out[-1].values == values:
            out[-1] = _joined(out[-1], stop, values)
        else:
            out.append(Stretch(start, stop, middle, values))
    return out


def strip_of(
    stretches: Sequence[Stretch], *, low: float, high: float, value: float, step: float, shown: Quantity, by: Evidence
) -> Strip:
    """`step` is the dial's, used to round the proposal; `shown` is how the dial's values are worded."""
    yardstick, within = by.yardstick, clipped(stretches, low, high)
    pieces = pieces_of(within, yardstick)
    here = next((p for p in pieces if p.start <= value <= p.stop), None)
    margin = None if here is None else (here.start, here.stop)

    def strip(proposed: float | None, text: str, helps: tuple[str, ...] = ()) -> Strip:
        return Strip(low, high, yardstick, tuple(pieces), margin, proposed, text, helps)

    if by.lacking:
        return strip(None, by.lacking)
    sides = _sides(here, value, low, high, shown, by.noise) if here else ""
    if by.wishes is not None:
        return strip(*_by_wishes(within, by.wishes, value, step, shown, by, sides))
    usable = [p for p in pieces if p.stop - p.start >= step / 4] or pieces  # nobody sets a dial to a hair's breadth
    best = min(usable, key=lambda p: yardstick.lost(p.values))
    widest = max(
        (p for p in usable if yardstick.lost(p.values) == yardstick.lost(best.values)), key=lambda p: p.stop - p.start
    )
    limit, gravest = _limit(best, yardstick)
    if here is not None and yardstick.lost(here.values) == yardstick.lost(best.values):
        return strip(None, f"{sides}; {limit}" if limit else sides)
    proposed, why = placed(widest.start, widest.stop, step, within, yardstick, shown)
    given = [yardstick.text(best.values, parting=True), by.basis]
    text = f"proposed {shown.text(proposed)}: {', '.join(each for each in given if each)}{why}"
    if by.few:
        return strip(None, _too_few(shown.text(proposed), given[0], by), by.few)
    return strip(proposed, f"{text}; {limit}" if gravest else text)


def _too_few(at: str, what: str, by: Evidence) -> str:
    """Return what a value would do by so few marks that none is proposed."""
    return f"at {at}: {what}; nothing is proposed {by.basis}"


def _limit(best: Stretch, yardstick: AnyYardstick) -> tuple[str, bool]:
    """Return what the dial cannot do alone, by the gravest measure that loses at best; is that the gravest of all?"""
    told = [(m, v) for m, v in zip(yardstick.measures, best.values, strict=True) if m.parts]
    for place, (measure, value) in enumerate(told):
        if measure.loss(value):
            return measure.at_best.format(measure.text(value)), place == 0
    return "", False


def _by_wishes(
    stretches: Sequence[Stretch],
    wishes: Wishes,
    value: float,
    step: float,
    shown: Quantity,
    by: Evidence,
    sides: str,
) -> tuple[float | None, str, tuple[str, ...]]:
    """(proposed, text, helps)."""
    proposal = propose(stretches, wishes, by.exposure_h, by.few)
    assert proposal is not None
    what = by.yardstick.text(proposal.values)
    if proposal.start <= value <= proposal.stop:
        proposed, met, near = None, f"meets the wishes; {sides}", "nearest already"
    else:
        proposed, why = placed(proposal.start, proposal.stop, step, stretches, by.yardstick, shown)
        if by.few and proposal.met:
            return None, _too_few(shown.text(proposed), what, by), proposal.helps
        given = ["meets the wishes", what, by.basis]
        met = f"proposed {shown.text(proposed)}: {', '.join(each for each in given if each)}{why}"
        near = f"nearest {shown.text(proposed)}"
    short = f"{near}: {what}; no value shows the wishes met ({', '.join(proposal.failing)})"
    return None if by.few else proposed, met if proposal.met else short, proposal.helps


def _sides(here: Stretch, value: float, low: float, high: float, shown: Quantity, noise: float | None) -> str:
    """Return how far the value may go down and up before the verdict changes; beyond what is shown, at least so far.

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


def placed(
    start: float,
    stop: float,
    step: float,
    stretches: Sequence[Stretch],
    yardstick: AnyYardstick,
    shown: Quantity,
) -> tuple[float, str]:
    """Return the value to propose in a stretch, and why it is not the middle where it is not.

    The middle is furthest from what a little less or more would spoil. But a sustain time that may be 7 s or 280 s alike is not
    best at 145 s: where what may vary within the stretch is clearly worse at the middle than at its best, the value is the
    nearest to the middle at which it is not (`MUCH` times the best, or slightly more; common practice, no source).
    """
    middle = inside(start, stop, step)
    varying = [(place, m) for place, m in enumerate(yardstick.measures) if not m.parts]
    within = [s for s in stretches if s.stop > start and s.start < stop]
    losses = [[m.loss(s.values[place]) for place, m in varying] for s in within]
    least = [min(column) for column in zip(*losses, strict=True)]

    def worse(at: int) -> str:
        """Return in what a stretch is clearly worse than the best; empty: in nothing."""
        told = zip(varying, losses[at], least, strict=True)
        return next((m.worse for (_, m), loss, best in told if loss > max(MUCH * best, best + m.slight)), "")

    here = next((at for at, s in enumerate(within) if s.start <= middle <= s.stop), None)
    why = "" if here is None else worse(here)
    if here is None or not why:
        return middle, ""
    fine = [at for at in range(len(within)) if not worse(at)]
    nearest = min(fine, key=lambda at: abs(at - here), default=None)
    if nearest is None:  # no one place is fine in all that varies
        return middle, ""
    edge = within[nearest].stop if nearest < here else within[nearest].start
    towards = max(edge - step, start) if nearest < here else min(edge + step, stop)
    return inside(
        min(towards, edge), max(towards, edge), step
    ), f"; {shown.text(middle)}, the middle of what does, would be {why}"


def inside(start: float, stop: float, step: float) -> float:
    """The middle of a stretch on the dial's own steps, or a short number near it where no step lies inside."""
    middle = (start + stop) / 2
    on_step = round(round(middle / step) * step, 6)
    return on_step if start < on_step < stop else value_inside(start, stop)


def shown_range(
    *, value: float, default: float | None, low: float, high: float, step: float, reach: float
) -> tuple[float, float]:
    """Return which part of a dial's range its strip shows: from its low end to well beyond value, default and
    `reach`.
    """
    top = max(2 * abs(value), 3 * abs(default or 0.0), reach, 10 * step)
    magnitude = 10 ** math.floor(math.log10(top))
    top = math.ceil(top / magnitude * 2) / 2 * magnitude
    return low, min(top, high)
