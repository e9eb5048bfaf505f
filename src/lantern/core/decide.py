"""The time logic of a decision, once for all kinds that watch a reading.

A decision is *raised* when its condition has held for `sustain_s`, *clear* when the relaxed condition has failed for
`clear_s`; two raises stand at least `rearm_s` apart; a pause longer than `gap_s` resets it. Two faces of one rule:
`run` over whole arrays (tuning, rehearsal) and `step` a sample at a time (live). `tests/core/test_decide.py` proves
them equal on random series.
"""

from __future__ import annotations

import math
from bisect import bisect_left
from dataclasses import dataclass, replace
from typing import Literal

import numpy as np

from lantern.core.baseline import Baseline
from lantern.core.rearm import rearmed, rearmed_from
from lantern.core.rule import TIME_TOLERANCE_S, ClearedBy, Rule, levels
from lantern.core.signals import Series
from lantern.core.watching import Samples, compare, gaps, has_held, stretch_starts, watch, watched


@dataclass(frozen=True, slots=True)
class Raise:
    """One raise: sample indices of the raise and of the clear (None: still raised at the end), and what cleared it."""

    raised: int
    cleared: int | None
    cleared_by: ClearedBy
    repeat: bool


# ---- over whole arrays -----------------------------------------------------------------------------------------------


def run(series: Series, rule: Rule) -> list[Raise]:
    """Return all raises of a series, in order."""
    if rule.learns:
        return _run_learning(series, rule)
    t_s = series.t_s
    starts = stretch_starts(series, rule.gap_s)
    watching = watched(series, rule)
    level, stay, closed = levels(rule)
    due = np.flatnonzero(has_held(compare(watching, level, closed=closed), t_s, starts, rule.sustain_s)).tolist()
    if not due:
        return []
    over = np.flatnonzero(has_held(~compare(watching, stay, closed=closed), t_s, starts, rule.clear_s)).tolist()
    resets = np.flatnonzero(gaps(series, rule.gap_s)).tolist()  # last sample before each lost stretch
    raises: list[Raise] = []
    start = 0
    while (at := bisect_left(due, start)) < len(due):
        first = due[at]
        cleared, by, resume = _clear_after(first, over, resets, t_s.size)
        raised = first
        raises.append(Raise(raised, cleared, by, repeat=False))
        if rule.repeat:
            while (again := rearmed_from(t_s, raised, rule.rearm_s)) < resume:
                raised = again
                raises.append(Raise(raised, cleared, by, repeat=True))
        start = max(resume, rearmed_from(t_s, raised, rule.rearm_s))
    return raises


def _run_learning(series: Series, rule: Rule) -> list[Raise]:
    """What is learnt depends on what is raised, so this goes through the samples: the same steps as `step`, without its copies."""
    level, stay, _ = levels(rule)
    lost = [False, *gaps(series, rule.gap_s).tolist()]
    paused = (series.paused_s > 0).tolist()
    towards = (series.x if rule.sense == "above" else -series.x).tolist()
    learner = Baseline(rule)
    raises: list[Raise] = []
    open_from: int | None = None  # into `raises`, while raised
    holding: float | None = None
    failing: float | None = None
    last_raise = -math.inf

    def clear(at: int | None, by: ClearedBy) -> None:
        for i in range(open_from or 0, len(raises)):
            raises[i] = replace(raises[i], cleared=at, cleared_by=by)

    for i, t in enumerate(series.t_s.tolist()):
        if lost[i] or paused[i]:
            holding = failing = None
        if lost[i] and open_from is not None:
            clear(i - 1, "gap")
            open_from = None
        watching = towards[i] - learner.edge
        holding = (t if holding is None else holding) if watching > level else None
        failing = None if watching > stay else (t if failing is None else failing)
        ready = rearmed(t, last_raise, rule.rearm_s)
        if open_from is not None:
            if failing is not None and t - failing >= rule.clear_s - TIME_TOLERANCE_S:
                clear(i, "reading")
                open_from = None
            elif rule.repeat and ready:
                raises.append(Raise(i, None, "end", repeat=True))
                last_raise = t
        elif ready and holding is not None and t - holding >= rule.sustain_s - TIME_TOLERANCE_S:
            open_from = len(raises)
            raises.append(Raise(i, None, "end", repeat=False))
            last_raise = t
        if open_from is None:
            learner.learn(t, towards[i])
    return raises


def _clear_after(raised: int, over: list[int], resets: list[int], n: int) -> tuple[int | None, ClearedBy, int]:
    """(sample of the clear, what cleared it, first sample from which a fresh raise may come)."""
    at = bisect_left(over, raised)
    reset = bisect_left(resets, raised)
    last = resets[reset] if reset < len(resets) else n - 1
    if at < len(over) and over[at] <= last:
        return over[at], "reading", over[at]
    if reset < len(resets):
        return last, "gap", last + 1
    return None, "end", n


# ---- a sample at a time ----------------------------------------------------------------------------------------------


@dataclass(frozen=True, slots=True)
class State:
    """What a live decision remembers. Times in s.

    `since`: when the present stretch began; `window`: samples of the rise or fall window; `learnt`, `learn_at`: of the baseline.
    """

    last_t: float | None = None
    raised: bool = False
    holding_since: float | None = None
    failing_since: float | None = None
    last_raise: float | None = None
    since: float | None = None
    window: Samples = ()
    learnt: tuple[float, ...] = ()
    learn_at: float | None = None

    def afresh(self) -> State:
        """After lost frames: nothing stands, nothing holds; the re-arm time and what was learnt go on."""
        return State(last_raise=self.last_raise, learnt=self.learnt, learn_at=self.learn_at)


@dataclass(frozen=True, slots=True)
class Change:
    """What a sample brought: a raise (or a repeat of it), or a clear with what cleared it. `t` is the time it counts from."""

    what: Literal["raise", "repeat", "clear"]
    t: float
    cleared_by: ClearedBy | None = None


def step(state: State, t: float, x: float, rule: Rule, paused_s: float = 0.0) -> tuple[State, list[Change]]:
    """Take one sample. Times must run forward: a sample at or before the last is an error of the caller.

    `paused_s`: how much of the time since the last sample the device itself took out (its shutter); it ends timers and
    windows, but neither clears nor counts as lost.
    """
    changes: list[Change] = []
    if state.last_t is not None:
        if t <= state.last_t:
            raise ValueError(f"sample at {t} s does not follow {state.last_t} s")
        if t - state.last_t - paused_s > rule.gap_s + TIME_TOLERANCE_S:
            if state.raised:
                changes.append(Change("clear", state.last_t, "gap"))
            state = state.afresh()
        elif paused_s > 0:
            state = replace(state, since=None, window=(), holding_since=None, failing_since=None)

    since = t if state.since is None else state.since
    watching, window, learner = _look(state, since, t, x, rule)
    level, stay, closed = levels(rule)
    holds = watching >= level if closed else watching > level
    stays = watching >= stay if closed else watching > stay
    holding_since = (t if state.holding_since is None else state.holding_since) if holds else None
    failing_since = None if stays else (t if state.failing_since is None else state.failing_since)
    state = replace(
        state, last_t=t, since=since, holding_since=holding_since, failing_since=failing_since, window=window
    )

    ready = rearmed(t, state.last_raise, rule.rearm_s)
    if state.raised:
        if failing_since is not None and t - failing_since >= rule.clear_s - TIME_TOLERANCE_S:
            state = replace(state, raised=False)
            changes.append(Change("clear", t, "reading"))
        elif rule.repeat and ready:
            state = replace(state, last_raise=t)
            changes.append(Change("repeat", t))
    elif ready and holding_since is not None and t - holding_since >= rule.sustain_s - TIME_TOLERANCE_S:
        state = replace(state, raised=True, last_raise=t)
        changes.append(Change("raise", t))
    if learner is not None and not state.raised:
        learner.learn(t, x if rule.sense == "above" else -x)
        state = replace(state, learnt=tuple(learner.learnt), learn_at=learner.learn_at)
    return state, changes


def _look(state: State, since: float, t: float, x: float, rule: Rule) -> tuple[float, Samples, Baseline | None]:
    if not rule.learns:
        watching, window = watch(state.window, since, t, x, rule)
        return watching, window, None
    learner = Baseline(rule, state.learnt, -math.inf if state.learn_at is None else state.learn_at)
    return (x if rule.sense == "above" else -x) - learner.edge, (), learner
