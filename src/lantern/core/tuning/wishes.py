"""What the user wishes of a detector, and the value of a dial that meets it with the evidence there is.

Judged by what the evidence shows, not by the bare figure. The proposal is the middle of the widest stretch whose values
all meet the wishes; where none does, the nearest is named, and what would help.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from lantern.core.faults import FaultList
from lantern.core.tuning.measures import AnyYardstick, Measure, Stretch, Value, Values


@dataclass(frozen=True)
class Wishes:
    """Limits of measures, by the names of their wishes."""

    yardstick: AnyYardstick
    limits: Mapping[str, float]

    @classmethod
    def of(cls, yardstick: AnyYardstick, given: Mapping[str, float | None]) -> Wishes:
        """Return what is wished, with what holds where nobody wishes anything. Raises `Refused` for each that makes no sense."""
        faults = FaultList()
        known = {wish.name: wish for wish in yardstick.wishes}
        limits = {wish.name: wish.usual for wish in yardstick.wishes if wish.usual is not None}
        for name, limit in given.items():
            if name not in known:
                faults.add(f"wishes.{name}", "is no wish of this kind", f"one of {', '.join(known) or 'none'}")
            elif limit is not None and not known[name].allows(limit):
                faults.add(name, f"{limit:g}", known[name].expected)
            elif limit is not None:
                limits[name] = limit
        faults.refuse_if_any()
        return cls(yardstick, limits)

    @property
    def plain(self) -> bool:
        """Nothing is wished beyond what every strip looks for anyway."""
        return self.limits == {w.name: w.usual for w in self.yardstick.wishes if w.usual is not None}

    def _wished(self, values: Values) -> list[tuple[Measure, Value, float | None]]:
        told = zip(self.yardstick.measures, values, strict=True)
        return [(m, v, self.limits.get(m.wish.name) if m.wish else None) for m, v in told]

    def failings(self, values: Values, exposure_h: float) -> list[tuple[Measure, float, float]]:
        """(measure, value, limit) of each wish that the result is not shown to meet."""
        out = []
        for measure, value, limit in self._wished(values):
            if limit is None or value is None or measure.wish is None:
                continue
            shows = measure.wish.shows
            shown = value if shows is None else shows(value, exposure_h)
            if shown is None or measure.loss(shown) > measure.loss(limit):
                out.append((measure, value, limit))
        return out

    def nearness(self, values: Values) -> tuple[float, ...]:
        """Smaller is nearer, the gravest measure first: how far beyond the wish. Where nothing is wished, or the wish is about
        what the evidence shows, the value counts in full.
        """
        out = []
        for measure, value, limit in self._wished(values):
            if limit is None:  # what may vary within a stretch counts only where it is wished for
                out.append(measure.loss(value) if measure.parts else 0.0)
            elif measure.wish is not None and measure.wish.shows is not None:
                out.append(measure.loss(value))
            else:
                out.append(max(measure.loss(value) - measure.loss(limit), 0.0))
        return tuple(out)


@dataclass(frozen=True)
class Proposal:
    """`met`: does the stretch meet all wishes as shown by the evidence? `values`: the worst within it, by measure;
    `failing`: which it does not; `helps`: what would help.
    """

    start: float
    stop: float
    met: bool
    values: Values
    failing: tuple[str, ...]
    helps: tuple[str, ...]

    @property
    def middle(self) -> float:
        return (self.start + self.stop) / 2


def propose(
    stretches: Sequence[Stretch], wishes: Wishes, exposure_h: float, few: Sequence[str] = ()
) -> Proposal | None:
    """`stretches`: neighbours along the dial; `few`: what would make the figures surer. None without stretches."""
    if not stretches:
        return None
    meeting = _joined([s for s in stretches if not wishes.failings(s.values, exposure_h)])
    if meeting:
        start, stop, inside = max(meeting, key=lambda m: m[1] - m[0])
        return Proposal(start, stop, True, wishes.yardstick.worst(inside), (), tuple(few))
    nearest = min(wishes.nearness(s.values) for s in stretches)
    near = _joined([s for s in stretches if wishes.nearness(s.values) == nearest])
    start, stop, inside = max(near, key=lambda m: m[1] - m[0])
    values = wishes.yardstick.worst(inside)
    short = wishes.failings(values, exposure_h)
    helps = [m.wish.helps(value, limit, exposure_h) for m, value, limit in short if m.wish is not None]
    failing = tuple(measure.label for measure, _, _ in short)
    return Proposal(start, stop, False, values, failing, (*(text for text in helps if text), *few))


def _joined(stretches: Sequence[Stretch]) -> list[tuple[float, float, list[Values]]]:
    """Neighbours that meet end to end, as (start, stop, what each gives)."""
    out: list[tuple[float, float, list[Values]]] = []
    for s in stretches:
        if out and out[-1][1] == s.start:
            out[-1] = (out[-1][0], s.stop, [*out[-1][2], s.values])
        else:
            out.append((s.start, s.stop, [s.values]))
    return out
