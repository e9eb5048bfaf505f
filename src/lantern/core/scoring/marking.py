"""The marks that somebody makes of events by saying "this was right", "this was wrong", or that something was missed."""

from __future__ import annotations

from lantern.core.events import Event
from lantern.core.scoring.marks import Label, Mark

LABEL_OF: dict[str, Label] = {"right": "expect", "wrong": "quiet", "missed": "expect"}  # by what was said


def span_of(raised_s: float, cleared_s: float | None, *, length_s: float, interval_s: float) -> tuple[float, float]:
    """Return from when to when a mark lies over an event: to the take's end where it stands still, never shorter than a sample."""
    return raised_s, length_s if cleared_s is None else min(max(cleared_s, raised_s + interval_s), length_s)


def marks_of_event(event: Event, *, length_s: float, interval_s: float, lead_s: float) -> dict[str, Mark]:
    """Return the mark for each answer. A verdict is evidence of an event, and not of its beginning, which may lie up to `lead_s`
    before the raise.
    """
    span = span_of(event.raised_s, event.cleared_s, length_s=length_s, interval_s=interval_s)
    right = Mark(*span, "expect", event.detector, "was right", open_for(span[0], lead_s))
    return {"right": right, "wrong": Mark(*span, "quiet", event.detector, "was wrong")}


def open_for(start_s: float, lead_s: float) -> float:
    """Return how long a mark's beginning stays open: no farther back than the take goes."""
    return min(lead_s, start_s)
