"""What the bench shows for a state of a detector: score cards, events with reasons, the reading over time."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import asdict
from functools import partial
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from lantern.core.events import Detector
from lantern.core.kinds import kind_of
from lantern.core.linking.arming import Armed
from lantern.core.raising import Raising
from lantern.core.rehearsal import rehearse
from lantern.core.scoring.marking import marks_of_event
from lantern.core.scoring.nuisance import by_note
from lantern.core.signals import Series
from lantern.core.tuning.measures import Card
from lantern.core.units import CELSIUS, Scale
from lantern.links.tables import hours_of
from lantern.sites.tables import site_of
from lantern.takes.tables import TakeRow, marks_of, stale_caution
from lantern.tune.actions import card_on
from lantern.tune.judging import subject

COLUMNS = 1100  # the time axis is about so many pixels wide


def judged(
    session: Session, detector: Detector, take: TakeRow, links: Sequence[Armed], scale: Scale = CELSIUS
) -> dict[str, Any]:
    """Score card, and of a kind that raises its events and what the links would do with them: the cheap part that follows a drag."""
    held = subject(session, detector, take)
    marks = [row.as_mark() for row in marks_of(session, take.id)]
    card = held.card(marks)
    raised = _raised(session, held, take, links, scale) if isinstance(held, Raising) else {}
    return raised | {
        "card": card_shown(card, marked=bool(held.own(marks))),
        "unknown": held.unknown(),
        "matters": [name for name in held.model.model_fields if held.matters(name)],
        "line": held.line(),
        "exact": list(held.exact_dials()),
        "cautions": [*held.cautions(), *filter(None, [take.clock_caution, stale_caution(session, take)])],
    }


def card_shown(card: Card, *, marked: bool = True) -> dict[str, Any]:
    """A score card as a page lays it out. `marked`: somebody has said something of the take for this detector."""
    rows = [row._asdict() for row in card.rows(marked=marked)]
    return card.as_dict() | {"rows": rows, "line": card.line(marked=marked)}


def _raised(session: Session, held: Raising, take: TakeRow, links: Sequence[Armed], scale: Scale) -> dict[str, Any]:
    """Return what a detector that raises does on a take, and its links with it."""
    detector = held.detector
    rows = [row for row in marks_of(session, take.id) if row.as_mark().concerns(detector.name)]
    marks = [row.as_mark() for row in rows]
    events = held.events()
    silent, lead_s = partial(held.why_silent, scale=scale), site_of(session, take.device.site_id).lead_s
    hours = hours_of(session, take.device.site_id, detector)
    done = rehearse(events, silent, marks, links, start=take.start, length_s=held.length_s, hours=hours)
    told = bool(marks) or held.yardstick.by_marks  # else nobody has said what is right, and nothing is wrong
    return {
        "events": [
            {
                **event.as_dict(),
                "verdict": verdict if told else "plain",
                "mark": None if at is None else rows[at].id,
                "outcome": outcome.as_dict(),
                "more": held.remarks(event),
                "marks": {
                    answer: asdict(made)
                    for answer, made in marks_of_event(
                        event, length_s=take.length_s, interval_s=take.interval_s, lead_s=lead_s
                    ).items()
                },
            }
            for event, verdict, at, outcome in zip(
                events, done.judged.verdicts, done.judged.hit_marks, done.outcomes, strict=True
            )
        ],
        "marks": {row.id: reason.as_dict() for row, reason in zip(rows, done.mark_reasons, strict=True)},
        "missed": [rows[i].id for i in done.judged.missed],
        "nuisance": by_note([event.raised_s for event in events], done.judged.verdicts, marks),
        "effects": done.effects_shown(),
        "armed": done.armed_s,
    }


def _is_marked(session: Session, detector: Detector, take: TakeRow) -> bool:
    return any(row.as_mark().concerns(detector.name) for row in marks_of(session, take.id))


def cards(session: Session, detector: Detector, takes: Sequence[TakeRow]) -> dict[str, Any]:
    """The score card on each take and on all that are tuned on together, and what the takes set aside say of them."""
    kind = kind_of(detector.kind)
    yardstick = kind.yardstick
    fit = [take for take in takes if take.signal in kind.signals]
    scored = [(take, card_on(session, detector, take)) for take in fit]
    tuned = [card for take, card in scored if not take.set_aside]
    aside = [card for take, card in scored if take.set_aside]
    return {
        "takes": [
            {
                "id": take.id,
                "name": take.name,
                "aside": take.set_aside,
                "card": card_shown(card, marked=_is_marked(session, detector, take)),
            }
            for take, card in scored
        ],
        "together": card_shown(yardstick.cards_pooled(tuned or aside)) if scored else None,
        "validation": yardstick.validate(tuned, aside).as_dict(),
    }


def difference(first: dict[str, Any], second: dict[str, Any], near_s: float = 1.0) -> dict[str, list[float]]:
    """Raise times that only one of two judgements has. Two that hit the same mark are one event, however late either is."""
    return {"gone": _alone(first, second, near_s), "new": _alone(second, first, near_s)}


def _alone(these: dict[str, Any], those: dict[str, Any], near_s: float) -> list[float]:
    hit = {event["mark"] for event in those["events"]} - {None}
    times = [event["raised_s"] for event in those["events"]]
    return [
        event["raised_s"]
        for event in these["events"]
        if event["mark"] not in hit and not any(abs(event["raised_s"] - t) <= near_s for t in times)
    ]


def drawn_readings(session: Session, detector: Detector, take: TakeRow, scale: Scale = CELSIUS) -> dict[str, Any]:
    """The readings thinned to what a screen can show: least and greatest value of each column; `shown`: how a value is shown."""
    held = subject(session, detector, take)
    return {
        name: (thinned(series, COLUMNS) if held.traces_as == "lines" else plain(series))
        | {"shown": scale.of(series.unit).as_dict(), "as": held.traces_as}
        for name, series in held.traces().items()
    }


def plain(series: Series) -> dict[str, Any]:
    """Every point, where each stands for something of its own."""
    return {"t_s": series.t_s.tolist(), "x": np.round(series.x, 3).tolist(), "unit": series.unit}


def thinned(series: Series, columns: int) -> dict[str, Any]:
    """Return at most two points a column, extremes kept: `t_s` and `x`, alternating least and greatest where they
    differ.
    """
    n = len(series)
    if n <= 2 * columns:
        return plain(series)
    edges = np.unique(np.linspace(0, n, columns + 1).astype(np.intp))[:-1]
    low = np.minimum.reduceat(series.x, edges)
    high = np.maximum.reduceat(series.x, edges)
    t_s = np.repeat(series.t_s[edges], 2)
    return {"t_s": t_s.tolist(), "x": np.round(np.column_stack((low, high)).ravel(), 3).tolist(), "unit": series.unit}
