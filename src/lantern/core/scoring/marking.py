"""The marks that somebody makes of an event by saying "this was right" or "this was wrong"."""

from __future__ import annotations

from lantern.core.events import Event
from lantern.core.scoring.marks import Mark


def marks_of_event(event: Event, *, length_s: float, interval_s: float) -> dict[str, Mark]:
    """Return the mark for each answer: over the event, to the take's end where it stands still, and never shorter than a sample."""
    end_s = length_s if event.cleared_s is None else max(event.cleared_s, event.raised_s + interval_s)
    return {
        "right": Mark(event.raised_s, end_s, "expect", event.detector, "was right"),
        "wrong": Mark(event.raised_s, end_s, "quiet", event.detector, "was wrong"),
    }
