"""The dials of a decision along their range: level, hysteresis, sustain, clear and re-arm time, one row for each stretch that
gives the same result.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from heapq import merge
from operator import itemgetter

from lantern.core.decide import run
from lantern.core.exact.chain import Chain, Clock
from lantern.core.exact.chains import CHAINS, Swept
from lantern.core.rule import TIME_TOLERANCE_S, Rule
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.scoring.tally import SHOWN, Counts, Tally
from lantern.core.signals import Series
from lantern.core.tuning.rows import Row, value_inside
from lantern.core.tuning.wanted import still_wanted

LEVEL_RESOLUTION = 1e-9  # °C; stretches narrower than this are float noise, not results


def sweep_exact(
    readings: Mapping[str, tuple[Series, Rule]],
    marks: Sequence[Mark],
    swept: Swept,
    *,
    low: float,
    high: float,
    slack: Slack = Slack(),
    compared: int = SHOWN,
) -> list[Row]:
    """Rows that join up from `low` to `high`. `readings`: for each region its series and its decision.

    A row ends where one of the first `compared` counts changes: those that a row shows, or all of them, the longest delay too.
    """
    sense = next(iter(readings.values()))[1].sense
    falling = swept == "level" and sense != "below"  # the chain's level rises while the dial's value falls
    chains: list[Chain] = []
    for series, rule in readings.values():
        clock = next((chain.clock for chain in chains if chain.clock.fits(series, rule)), None)
        chains.append(CHAINS[swept](series, rule, clock or Clock(series, rule)))
    first, last = (-high, -low) if falling else (low, high)
    in_time = swept not in ("level", "hysteresis")
    resolution = TIME_TOLERANCE_S if in_time else LEVEL_RESOLUTION

    tally = Tally(marks, slack)
    zones = {clock: tally.zones(clock.t_s) for clock in {chain.clock for chain in chains}}
    for chain in chains:
        begun = chain.begin(first - resolution if in_time else first)
        _apply(tally, chain.times, zones[chain.clock], begun, ())
    pieces: list[tuple[float, float, Counts]] = []
    at, counts = first, tally.counts()
    steps = merge(*(chain.steps(last, resolution) for chain in chains), key=itemgetter(0))
    step = next(steps, None)
    while step is not None:
        bound, changed = step[0], False
        while step is not None and step[0] < bound + resolution:
            _, chain, came, went = step
            changed |= _apply(tally, chain.times, zones[chain.clock], came, went)
            step = next(steps, None)
        if not changed or (fresh := tally.counts())[:compared] == counts[:compared]:
            counts = _slower(counts, fresh) if changed else counts
            continue
        still_wanted()
        if bound > at or not pieces:
            pieces.append((at, bound, counts))
        elif pieces[-1][2][:compared] == fresh[:compared]:  # a stretch of no width came and went
            at, _, fresh = pieces.pop()
            bound = at
        at, counts = bound, fresh
    pieces.append((at, last, counts))
    if falling:
        pieces = [(-stop, -start, counts) for start, stop, counts in reversed(pieces)]
    return [Row(start, stop, value_inside(start, stop), counts) for start, stop, counts in pieces]


def _slower(a: Counts, b: Counts) -> Counts:
    """Return, of two results that look the same in a row, the one whose slowest hit is slower."""
    return a if (a.longest_delay_s or 0.0) >= (b.longest_delay_s or 0.0) else b


def _apply(tally: Tally, times: Sequence[float], zone: Sequence[int], came: Sequence[int], went: Sequence[int]) -> bool:
    """Gives whether a count or a delay may have changed: many steps only move a raise about where no mark is."""
    if len(came) == len(went) == 1 and zone[came[0]] == (moved := zone[went[0]]):
        tally.shift(moved, times[went[0]], times[came[0]])
        return moved >= 0
    for i in came:
        tally.change(zone[i], times[i], 1)
    for i in went:
        tally.change(zone[i], times[i], -1)
    return bool(came or went)


def counts_of(readings: Mapping[str, tuple[Series, Rule]], marks: Sequence[Mark], slack: Slack = Slack()) -> Counts:
    """The result of one setting, judged from the raises alone."""
    tally = Tally(marks, slack)
    for series, rule in readings.values():
        for raised in run(series, rule):
            tally.add(float(series.t_s[raised.raised]))
    return tally.counts()
