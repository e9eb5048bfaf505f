"""What would help: other statistics and sustain times, each with its best level, side by side."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import asdict, dataclass
from typing import Any

import numpy as np

from lantern.core.baseline import RESOLUTION
from lantern.core.dials import describe_dial
from lantern.core.exact.sweep import sweep_exact
from lantern.core.faults import Refused
from lantern.core.readings.heat.noise import noise_of
from lantern.core.readings.subject import Subject
from lantern.core.scoring.marks import Mark, exposure_s
from lantern.core.scoring.tally import ALL
from lantern.core.tuning.raises import RAISES
from lantern.core.tuning.strips import clipped, inside, stretches_of, together
from lantern.core.tuning.wishes import Proposal, Wishes, propose

SURE = 20.0  # times the noise; a narrower stretch may be gone tomorrow; common practice, no source
SUSTAINS_S = (0.0, 1.0, 2.0, 3.0, 5.0, 8.0, 12.0, 20.0, 30.0)
Progress = Callable[[int, int], None]


@dataclass(frozen=True, slots=True)
class Advice:
    """One way to look with the sustain time and the level that suit it best. `changes` are dials to set; width in the level's unit."""

    words: str
    changes: dict[str, Any]
    level_dial: str
    low: float
    high: float
    misses: int
    false_alarms: int
    longest_delay_s: float | None
    met: bool
    sureness: float  # width of the stretch in standard deviations of the reading's noise, or of what a sensor resolves

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)


def advise(
    held: Sequence[tuple[Subject, Sequence[Mark]]], wishes: Wishes, *, progress: Progress = lambda done, total: None
) -> list[Advice]:
    """The best of each way, the best way first. Ways that the detector's regions refuse are left out."""
    first = held[0][0]
    ways = first.kind.alternatives(first.dials)
    exposure_h = sum(exposure_s(s.length_s, s.own(marks)) for s, marks in held) / 3600
    few = RAISES.few([mark for s, marks in held for mark in s.own(marks)])
    out: list[Advice] = []
    for done, (words, changes) in enumerate(ways):
        progress(done, len(ways))
        try:
            looked = [(s.with_dials(**changes), s.own(marks)) for s, marks in held]
        except Refused:
            continue
        found = [(sustain_s, _best(looked, sustain_s, wishes, exposure_h, few)) for sustain_s in SUSTAINS_S]
        known = [(sustain_s, proposal) for sustain_s, proposal in found if proposal is not None]
        if known:
            out.append(_advice(words, changes, looked, *_suited(known, wishes)))
    progress(len(ways), len(ways))
    return sorted(out, key=lambda a: (not a.met, a.misses, a.false_alarms, not _sure(a), a.longest_delay_s or 0.0))


def _suited(known: Sequence[tuple[float, Proposal]], wishes: Wishes) -> tuple[float, Proposal]:
    """Return, of the sustain times with the best result, the quickest whose stretch is at least half as wide as the
    widest: the quickest of all would often stand on a knife's edge.
    """

    def result(p: Proposal) -> tuple[float, ...]:
        return (float(not p.met), *wishes.nearness(p.values))

    best = min(result(p) for _, p in known)
    equal = [(s, p) for s, p in known if result(p) == best]
    widest = max(p.stop - p.start for _, p in equal)
    wide = [(s, p) for s, p in equal if p.stop - p.start >= widest / 2]
    return min(wide, key=lambda pair: (_delay_s(pair[1]) or 0.0, pair[0]))


def _delay_s(proposal: Proposal) -> float | None:
    return proposal.values[-1]


def _sure(advice: Advice) -> bool:
    return advice.sureness >= SURE


def _best(
    looked: Sequence[tuple[Subject, Sequence[Mark]]],
    sustain_s: float,
    wishes: Wishes,
    exposure_h: float,
    few: Sequence[str],
) -> Proposal | None:
    subjects = [(s.with_dials(sustain_s=sustain_s), marks) for s, marks in looked]
    level_dial = _level_dial(subjects[0][0])
    if level_dial is None:
        return None
    low, high = _range([s for s, _ in subjects], level_dial)
    swept = [sweep_exact(s.decisions(), marks, "level", low=low, high=high, compared=ALL) for s, marks in subjects]
    along = together([stretches_of(rows, RAISES) for rows in swept], RAISES)
    return propose(clipped(along, low, high), wishes, exposure_h, few)


def _level_dial(subject: Subject) -> str | None:
    return next((dial for dial, swept in subject.kind.exact(subject.dials).items() if swept == "level"), None)


def _range(subjects: Sequence[Subject], dial: str) -> tuple[float, float]:
    """Return where the level can matter: around the readings, or from the dial's first step to their whole span."""
    info = describe_dial(subjects[0].kind.dials, dial)
    x = np.concatenate([series.x for s in subjects for series in s.readings.values()])
    if info.difference:
        return info.step or 0.1, max(float(np.ptp(x)), 2 * (info.step or 0.1))
    return float(x.min()) - 1, float(x.max()) + 1


def _advice(
    words: str,
    changes: dict[str, Any],
    looked: Sequence[tuple[Subject, Sequence[Mark]]],
    sustain_s: float,
    best: Proposal,
) -> Advice:
    subject = looked[0][0]
    dial = _level_dial(subject)
    assert dial is not None
    value = inside(best.start, best.stop, describe_dial(subject.kind.dials, dial).step or 0.1)
    misses, false_alarms, delay_s = best.values
    noises = [noise_of(series, marks) for s, marks in looked for series in s.readings.values()]
    noise = max([RESOLUTION, *(n for n in noises if n is not None)])  # a mean hides its noise, not its drift
    return Advice(
        words,
        changes | {"sustain_s": sustain_s, dial: value},
        dial,
        best.start,
        best.stop,
        int(misses or 0),
        int(false_alarms or 0),
        delay_s,
        best.met,
        (best.stop - best.start) / noise,
    )
