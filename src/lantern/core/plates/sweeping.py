"""Dials along their range, exactly: each passage raises at one read or another as a dial rises, and re-arm goes by texts."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass, field
from itertools import groupby
from operator import itemgetter

import numpy as np

from lantern.core.plates.deciding import Raised, kept_of
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.scoring.tally import Counts, Tally
from lantern.core.signals import Floats
from lantern.core.tuning.rows import Row, value_inside
from lantern.core.tuning.wanted import still_wanted
from lantern.core.watching import Bools, Indices

Step = tuple[float, int, Raised | None]  # from this value of the dial on the passage raises there, or not at all
NARROWEST = 1e-9


def steps_below(passage: Indices, holds: Bools, most: Floats, make: Callable[[int], Raised]) -> list[Step]:
    """Return the steps of a dial under which row i counts while the dial is at most `most[i]`: the first such row of a
    passage raises.

    `holds` (m,): rows for which all else holds. The steps of a passage begin at minus infinity.
    """
    out: list[Step] = []
    rows = np.flatnonzero(holds).tolist()
    for number, own in groupby(rows, key=passage.tolist().__getitem__):
        reached = -np.inf
        for row in own:
            if most[row] > reached:
                out.append((reached, number, make(row)))
                reached = float(most[row])
        if np.isfinite(reached):
            out.append((reached, number, None))
    return out


def steps_above(passage: Indices, holds: Bools, least: Floats, make: Callable[[int], Raised]) -> list[Step]:
    """Return the steps of a dial under which row i counts once the dial is at least `least[i]`."""
    out: list[Step] = []
    rows = np.flatnonzero(holds).tolist()
    for number, own in groupby(rows, key=passage.tolist().__getitem__):
        reached = np.inf
        turned: list[Step] = []
        for row in own:
            if least[row] < reached:
                reached = float(least[row])
                turned.append((reached, number, make(row)))
        out += reversed(
            turned
        )  # a row that needs more of the dial comes earlier in the passage, and is taken once it counts
    return out


@dataclass
class _Text:
    """The raises of one text, before and after the re-arm time."""

    raised: dict[int, Raised] = field(default_factory=dict)
    kept: dict[int, tuple[float, int]] = field(default_factory=dict)  # passage: (time, zone)


class Standing:
    """All raises at one value of the dial, and the tally of what is kept of them."""

    def __init__(self, marks: Sequence[Mark], slack: Slack, rearm_s: float, times: Iterable[float]) -> None:
        self.tally, self.rearm_s = Tally(marks, slack), rearm_s
        t_s = sorted(set(times))
        self._zone = dict(zip(t_s, self.tally.zones(np.array(t_s)), strict=True))
        self._texts: dict[str, _Text] = {}
        self._of: dict[int, str] = {}

    def put(self, passage: int, raised: Raised | None) -> None:
        """The passage raises there now, or no more."""
        touched = []
        before = self._of.pop(passage, None)
        if before is not None:
            del self._texts[before].raised[passage]
            touched.append(before)
        if raised is not None:
            self._texts.setdefault(raised.text, _Text()).raised[passage] = raised
            self._of[passage] = raised.text
            touched.append(raised.text)
        for text in touched:
            self.settle(text)

    def settle(self, text: str) -> None:
        """Work out anew what is kept of a text's raises."""
        own = self._texts[text]
        raised = own.raised.values()
        kept = raised if len(raised) < 2 else kept_of(raised, self.rearm_s)
        fresh = {each.passage: (each.t, self._zone[each.t]) for each in kept}
        for passage, (t, zone) in own.kept.items():
            if fresh.get(passage) != (t, zone):
                self.tally.change(zone, t, -1)
        for passage, (t, zone) in fresh.items():
            if own.kept.get(passage) != (t, zone):
                self.tally.change(zone, t, 1)
        own.kept = fresh

    @property
    def texts(self) -> dict[str, list[Raised]]:
        return {name: list(own.raised.values()) for name, own in self._texts.items()}


def rows_along(
    steps: Sequence[Step],
    marks: Sequence[Mark],
    slack: Slack,
    rearm_s: float,
    *,
    low: float,
    high: float,
    compared: int,
) -> list[Row]:
    """Rows that join up from `low` to `high`; a row ends where one of the first `compared` counts changes."""
    standing = Standing(marks, slack, rearm_s, (each.t for _, _, each in steps if each is not None))
    begun: dict[int, Raised | None] = {}
    later: list[Step] = []
    for step in sorted(steps, key=itemgetter(0)):
        if step[0] <= low:
            begun[step[1]] = step[2]
        elif step[0] < high:
            later.append(step)
    for passage, raised in begun.items():
        standing.put(passage, raised)
    changes = [
        (value, lambda passage=passage, raised=raised: standing.put(passage, raised))
        for value, passage, raised in later
    ]
    return _joined(changes, standing, low, high, compared)


def rows_of_rearm(
    raises: Sequence[Raised], marks: Sequence[Mark], slack: Slack, *, low: float, high: float, compared: int
) -> list[Row]:
    """Along the re-arm time: what is kept of a text changes where it passes the time between two of its raises."""
    standing = Standing(marks, slack, low, (each.t for each in raises))
    for each in raises:
        standing.put(each.passage, each)
    changes = []
    for text, own in standing.texts.items():
        times = sorted(each.t for each in own)
        between = {b - a for n, a in enumerate(times) for b in times[n + 1 :] if low < b - a < high}
        changes += [(value, text) for value in between]

    def settle(value: float, text: str) -> None:
        standing.rearm_s = value + 2e-6  # beyond the tolerance of times
        standing.settle(text)

    turns = [(value, lambda value=value, text=text: settle(value, text)) for value, text in sorted(changes)]
    return _joined(turns, standing, low, high, compared)


def _joined(
    changes: Sequence[tuple[float, Callable[[], None]]], standing: Standing, low: float, high: float, compared: int
) -> list[Row]:
    pieces: list[tuple[float, float, Counts]] = []
    at, counts, i = low, standing.tally.counts(), 0
    while i < len(changes):
        bound = changes[i][0]
        still_wanted()
        while i < len(changes) and changes[i][0] < bound + NARROWEST:
            changes[i][1]()
            i += 1
        fresh = standing.tally.counts()
        if fresh[:compared] != counts[:compared]:
            pieces.append((at, bound, counts))
            at = bound
        counts = fresh
    pieces.append((at, high, counts))
    return [Row(start, stop, value_inside(start, stop), each) for start, stop, each in pieces]
