"""Why no raise hit a mark, for decisions that watch a reading: below the level, too short, standing already, re-arm."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import numpy as np

from lantern.core.decide import run
from lantern.core.reasons import Reason
from lantern.core.rule import Rule, levels
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.signals import Series
from lantern.core.units import CELSIUS, Scale
from lantern.core.watching import compare, has_held, stretch_starts, watched


def why_silent(
    mark: Mark, readings: Mapping[str, tuple[Series, Rule]], slack: Slack = Slack(), scale: Scale = CELSIUS
) -> Reason:
    """Return why no raise hit this mark: of the regions the one that came nearest speaks."""
    reasons = [_region_silent(mark, name, series, rule, slack, scale) for name, (series, rule) in readings.items()]
    rank = ("standing", "rearm", "too_short", "below_threshold", "no_data")
    return min(reasons, key=lambda r: (rank.index(r.code), r.figures.get("short_by", 0.0)))


def _region_silent(mark: Mark, region: str, series: Series, rule: Rule, slack: Slack, scale: Scale) -> Reason:
    start, end = mark.from_s - slack.early_s, mark.end_s + slack.late_s
    inside = np.flatnonzero((series.t_s >= start - 1e-6) & (series.t_s <= end + 1e-6))
    if inside.size == 0:
        return Reason("no_data", f"{region}: the take holds no sample here.", {"region": region})
    if rule.learns:
        return _learning_silent(mark, region, series, rule)
    watching = watched(series, rule)
    level, _, closed = levels(rule)
    holds = compare(watching, level, closed=closed)
    if not holds[inside].any():
        best = inside[int(np.argmax(watching[inside]))]
        short = float(level - watching[best])
        if not np.isfinite(short):
            return Reason("no_data", f"{region}: the window was never full here.", {"region": region})
        q = scale.of(series.unit)
        reading = float(series.x[best])
        figures = {
            "region": region,
            "short_by": short,
            "reading": reading,
            "level": rule.level,
            "t_s": float(series.t_s[best]),
        }
        if rule.sense in ("rise", "fall"):
            d = q.width
            text = f"{region}: changed by {d.fixed(watching[best], 2)} at most, {d.show(short):.2f} short of {d.text(rule.level)}."
        else:
            side = "below" if rule.sense == "above" else "above"
            extreme = "peaked" if rule.sense == "above" else "bottomed"
            text = f"{region}: {extreme} at {q.fixed(reading, 1)}, {q.width.show(short):.2f} {side} the level of {q.text(rule.level)}."
        return Reason("below_threshold", text, figures)
    starts = stretch_starts(series, rule.gap_s)
    held = has_held(holds, series.t_s, starts, rule.sustain_s)
    if not held[inside].any():
        longest = _longest_hold(holds, starts, series, inside)
        short = rule.sustain_s - longest
        figures = {"region": region, "short_by": short, "held_s": longest, "sustain_s": rule.sustain_s}
        text = f"{region}: held for {longest:.1f} s at most, {short:.1f} s short of the sustain time of {rule.sustain_s:g} s."
        return Reason("too_short", text, figures)
    return _blocked(mark, region, series, rule, inside[held[inside]])


def _learning_silent(mark: Mark, region: str, series: Series, rule: Rule) -> Reason:
    """Return what was learnt is known only by running it: was it raised before, or never beyond the band for long
    enough?
    """
    raises = run(series, rule)
    standing = [
        r
        for r in raises
        if series.t_s[r.raised] < mark.from_s and (r.cleared is None or series.t_s[r.cleared] > mark.from_s)
    ]
    if standing:
        raised_s = float(series.t_s[standing[-1].raised])
        text = f"{region}: still raised since {raised_s:.1f} s, before the mark began; it had not cleared."
        return Reason("standing", text, {"region": region, "raised_s": raised_s})
    text = f"{region}: never beyond the learnt band by {rule.level:g} for {rule.sustain_s:g} s here."
    return Reason("below_threshold", text, {"region": region, "level": rule.level, "sustain_s": rule.sustain_s})


def _longest_hold(holds: Any, starts: Any, series: Series, inside: Any) -> float:
    """The longest the condition had held, as seen at any sample inside the mark."""
    index = np.arange(holds.size)
    since = np.maximum.accumulate(np.where(holds, -1, index)) + 1
    since = np.maximum(since, starts)
    on = inside[holds[inside]]
    return float((series.t_s[on] - series.t_s[since[on]]).max()) if on.size else 0.0


def _blocked(mark: Mark, region: str, series: Series, rule: Rule, due: Any) -> Reason:
    """The condition was met for long enough, yet no fresh raise came: an earlier one stood, or the re-arm time ran."""
    raises = run(series, rule)
    first = int(due[0])
    before = [r for r in raises if r.raised <= first]
    last = before[-1]
    raised_s = float(series.t_s[last.raised])
    if last.cleared is None or last.cleared > first:
        figures = {"region": region, "raised_s": raised_s}
        text = f"{region}: still raised since {raised_s:.1f} s, before the mark began; it had not cleared."
        return Reason("standing", text, figures)
    left = raised_s + rule.rearm_s - float(series.t_s[int(due[-1])])
    figures = {"region": region, "raised_s": raised_s, "rearm_s": rule.rearm_s, "short_by": left}
    text = f"{region}: re-arm of {rule.rearm_s:g} s ran since the raise at {raised_s:.1f} s, {left:.1f} s too long for this mark."
    return Reason("rearm", text, figures)
