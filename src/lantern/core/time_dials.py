"""Dials of time that kinds of several families have: how long a condition holds, when it may raise again, when a pause ends it."""

from __future__ import annotations

from typing import Any

from lantern.core.dials import dial

DAY_S, WEEK_S = 86_400.0, 604_800.0
BETWEEN = "The least time between two raises"


def clear_dial(*, high: float = DAY_S, step: float = 0.5) -> Any:
    """A field: how long a reading that is raised must stay back before it clears."""
    return dial(0.0, unit="s", low=0.0, high=high, step=step, meaning="How long it must stay back to clear")


def rearm_dial(
    default_s: float, *, high: float = WEEK_S, step: float = 0.5, meaning: str = BETWEEN, reach: float = 0.0
) -> Any:
    """A field: how soon after a raise there is none."""
    return dial(default_s, unit="s", low=0.0, high=high, step=step, meaning=meaning, reach=reach)


def reset_dial(*, high: float = DAY_S) -> Any:
    """A field: the pause between two samples after which a decision on readings begins anew."""
    meaning = "A longer pause resets the decision; empty: three sample intervals, at least 1 s"
    return dial(None, unit="s", above=0.0, high=high, step=0.5, meaning=meaning)


def gap_dial(default_s: float, *, step: float, meaning: str) -> Any:
    """A field: the pause of something that is followed after which it is another."""
    return dial(default_s, unit="s", above=0.0, high=3600.0, step=step, reach=10.0, meaning=meaning)
