"""A take through detector, timetable, link and effects on one clock, with a reason for all that did and did not happen."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass
from datetime import datetime, timedelta

from lantern.core.events import Event
from lantern.core.linking.links import LinkRule
from lantern.core.linking.timeline import Active, Firing, activity, firings
from lantern.core.logic.timetable import Timetable
from lantern.core.reasons import Reason
from lantern.core.scoring.marks import Judgement, Mark, Slack, judge, within


@dataclass(frozen=True)
class Armed:
    """A link with its timetable; None: armed at all times."""

    link: LinkRule
    timetable: Timetable | None

    def between(self, first: datetime, last: datetime) -> Callable[[datetime], bool]:
        """Is it armed at an aware instant? For instants from `first` to `last`."""
        return active(self.timetable, first, last)


@dataclass(frozen=True)
class Rehearsal:
    """Everything that happened, index by index: events, each event's outcome, marks, each mark's outcome, effects."""

    events: tuple[Event, ...]
    outcomes: tuple[Reason, ...]
    judged: Judgement
    marks: tuple[Mark, ...]
    mark_reasons: tuple[Reason, ...]
    effects: tuple[Active, ...]
    armed_s: dict[str, list[tuple[float, float]]]


def rehearse(
    events: Sequence[Event],
    silent: Callable[[Mark], Reason],
    marks: Sequence[Mark],
    links: Sequence[Armed],
    *,
    start: datetime,
    length_s: float,
    hours: Timetable | None = None,
    slack: Slack = Slack(),
) -> Rehearsal:
    """Run one detector's events through its links. `start` is the aware instant at which the take begins; `silent` says why nothing hit a mark.

    `hours` are the detector's own: what raises outside them fires nothing, whatever its links say (None: all hours are).
    """
    ordered: list[Firing] = []
    outcomes: list[Reason] = []
    end = start + timedelta(seconds=max([length_s, *(event.raised_s for event in events)]))
    armed_at = [armed.between(start, end) for armed in links]
    awake_at = active(hours, start, end)
    for index, event in enumerate(events):
        at = start + timedelta(seconds=event.raised_s)
        if hours is not None and not awake_at(at):
            outcomes.append(asleep(hours))
            continue
        heard = [(armed, is_on(at)) for armed, is_on in zip(links, armed_at, strict=True)]
        fired, reason = _outcome(index, event, heard)
        ordered.extend(fired)
        outcomes.append(reason)
    judged = judge([event.raised_s for event in events], marks, slack)
    hit_by = {mark: index for index, mark in enumerate(judged.hit_marks) if mark is not None}
    reasons = tuple(_mark_reason(mark, hit_by.get(i), events, outcomes, silent) for i, mark in enumerate(marks))
    end = start + timedelta(seconds=length_s)
    armed_s = {
        armed.link.name: [(0.0, length_s)]
        if armed.timetable is None
        else [((a - start).total_seconds(), (b - start).total_seconds()) for a, b in armed.timetable.spans(start, end)]
        for armed in links
    }
    return Rehearsal(tuple(events), tuple(outcomes), judged, tuple(marks), reasons, tuple(activity(ordered)), armed_s)


def active(hours: Timetable | None, first: datetime, last: datetime) -> Callable[[datetime], bool]:
    """Do a detector's own hours hold at an aware instant? For instants from `first` to `last`."""
    return (lambda at: True) if hours is None else hours.active_between(first, last)


def asleep(hours: Timetable) -> Reason:
    """Why a raise fired nothing: it came outside the detector's own hours."""
    text = f"Outside the timetable of the detector: {hours.name}, {hours.summary}."
    return Reason("outside_timetable", text, {"timetable": hours.name})


def _outcome(index: int, event: Event, links: Sequence[tuple[Armed, bool]]) -> tuple[list[Firing], Reason]:
    """What an event set off, or why nothing; `links`, each with whether it was armed then."""
    if not links:
        return [], Reason("no_link", "No link: this detector is tied to no output.", {})
    listed = event.own.get("list")
    hearing = [(armed, awake) for armed, awake in links if armed.link.listens_to(event.region, listed)]
    if not hearing:
        what = " of ".join(part for part in (event.region, f"list {listed}" if listed else "") if part)
        return [], Reason("other_region", f"No link listens to {what or 'it'}.", {})
    fired: list[Firing] = []
    asleep: list[str] = []
    for armed, awake in hearing:
        if awake:
            fired.extend(firings(armed.link, event=index, raised_s=event.raised_s, repeat=event.repeat))
        elif armed.timetable is not None:
            asleep.append(f"{armed.link.name} (timetable {armed.timetable.name}, {armed.timetable.summary})")
    if fired:
        outputs = sorted({f.output for f in fired})
        figures = {"outputs": outputs, "on_s": min(f.on_s for f in fired)}
        return fired, Reason("fired", f"Fired {', '.join(outputs)}.", figures)
    if asleep:
        return [], Reason("outside_timetable", f"Outside the timetable: {'; '.join(asleep)}.", {"links": asleep})
    if event.repeat:
        return [], Reason("repeat", "A repeat, and the link does not fire on repeats.", {})
    return [], Reason("no_effect", "The link has no effect in it.", {})


def _mark_reason(
    mark: Mark,
    hit_by: int | None,
    events: Sequence[Event],
    outcomes: Sequence[Reason],
    silent: Callable[[Mark], Reason],
) -> Reason:
    if mark.label != "expect":
        inside = [e for e in events if within(e.raised_s, mark.start_s, mark.end_s)]
        if not inside:
            return Reason("silent", "Nothing raised here.", {})
        what = "ignored" if mark.label == "ignore" else "false"
        return Reason(what, f"{len(inside)} raised here.", {"events": len(inside)})
    if hit_by is not None:
        event, outcome = events[hit_by], outcomes[hit_by]
        delay = event.raised_s - mark.start_s
        figures = {"delay_s": delay, "outcome": outcome.code}
        return Reason("hit", f"Raised after {delay:.1f} s. {outcome.text}", figures)
    return silent(mark)
