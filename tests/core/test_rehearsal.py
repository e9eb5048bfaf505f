"""Rehearsal: every event has an outcome, every silence over a mark its reason with the figure in it."""

from __future__ import annotations

from dataclasses import replace
from datetime import UTC, datetime

from builders import series, subject_of
from lantern.core.effects.switch.effect import Switch
from lantern.core.events import Detector, Region
from lantern.core.linking.arming import Armed
from lantern.core.linking.links import LinkRule
from lantern.core.logic.timetable import Hours, Timetable
from lantern.core.rehearsal import Rehearsal, rehearse
from lantern.core.rule import Rule
from lantern.core.scoring.marks import Mark
from lantern.core.silence import why_silent

START = datetime(2025, 6, 2, 0, 59, 50, tzinfo=UTC)  # a Monday
LINK = LinkRule(name="l", detector="d", effects=(Switch(output="lamp", length_s=4),))
DETECTOR = Detector(
    name="d",
    kind="heat",
    regions=(Region(name="r", shape="spot", points=((0, 0),)),),
    dials={"threshold_c": 5, "sustain_s": 0, "hysteresis_c": 0, "rearm_s": 0},
)


def done(x: list[float], links: list[Armed], marks: tuple[Mark, ...] = ()) -> Rehearsal:
    subject = subject_of(DETECTOR, {"r": series(x)})
    return rehearse(subject.events(), subject.why_silent, list(marks), links, start=START, length_s=subject.length_s)


def test_no_link() -> None:
    assert [o.code for o in done([0, 6, 0], []).outcomes] == ["no_link"]


def test_armed_fires_and_outside_the_timetable_does_not() -> None:
    # armed from 01:00 on: ten seconds into the take
    table = Timetable(name="late", zone="UTC", hours=(Hours(day=0, start_min=60, end_min=120),))
    x = [0.0] * 20
    x[3] = x[15] = 6.0
    result = done(x, [Armed(LINK, table)])
    assert [o.code for o in result.outcomes] == ["outside_timetable", "fired"]
    assert "late" in result.outcomes[0].text
    assert result.effects_shown() == [{"output": "lamp", "on_s": 15.0, "off_s": 19.0, "events": [1]}]
    assert [(o.event, o.link, o.standing.result) for o in result.orders] == [(1, "l", "done")]
    assert result.armed_s == {"l": [(10.0, 19.0)]}


def test_outside_the_detectors_own_hours_no_link_hears_it() -> None:
    late = Timetable(name="late", zone="UTC", hours=(Hours(day=0, start_min=60, end_min=120),))  # from 10 s on
    x = [0.0] * 20
    x[3] = x[15] = 6.0
    subject = subject_of(DETECTOR, {"r": series(x)})
    events, marks = subject.events(), [Mark(2, 5, "expect")]
    length_s = subject.length_s
    result = rehearse(
        events, subject.why_silent, marks, [Armed(LINK, None)], start=START, length_s=length_s, hours=late
    )
    assert [e.raised_s for e in result.events] == [3.0, 15.0]  # both are raises, and judged as such
    assert [o.code for o in result.outcomes] == ["outside_timetable", "fired"]
    assert "its own timetable: late" in result.outcomes[0].text
    assert not result.judged.missed
    assert [(e["output"], e["on_s"], e["events"]) for e in result.effects_shown()] == [("lamp", 15.0, [1])]


def test_an_empty_timetable_is_named_as_the_cause() -> None:
    result = done([0, 6, 0], [Armed(LINK, Timetable(name="forgotten", hours=()))])
    assert "forgotten, never: this timetable has no hours" in result.outcomes[0].text


def test_no_effect_in_the_link() -> None:
    assert done([0, 6], [Armed(LINK.model_copy(update={"effects": ()}), None)]).outcomes[0].code == "no_effect"


def test_a_hit_says_after_how_long() -> None:
    result = done([0, 0, 0, 6, 0], [Armed(LINK, None)], (Mark(1, 4, "expect"), Mark(0, 1, "quiet")))
    assert [r.code for r in result.mark_reasons] == ["hit", "silent"]
    assert result.mark_reasons[0].text == "Raised after 2.0 s. Fired lamp."


def silent(x: list[float], mark: Mark, **rule: float) -> tuple[str, dict]:
    decision = replace(Rule("above", 5.0), **rule)  # type: ignore[arg-type]
    reason = why_silent(mark, {"r": (series(x), decision)})
    return reason.code, reason.figures


def test_below_the_threshold_by_how_much() -> None:
    code, figures = silent([0, 3, 4.2, 3, 0], Mark(1, 3, "expect"))
    assert code == "below_threshold"
    assert round(figures["short_by"], 6) == 0.8
    assert figures["t_s"] == 2.0


def test_too_short_by_how_much() -> None:
    code, figures = silent([0, 6, 6, 6, 0, 0], Mark(1, 5, "expect"), sustain_s=5)
    assert (code, figures["held_s"], figures["short_by"]) == ("too_short", 2.0, 3.0)


def test_rearm_still_running() -> None:
    code, figures = silent([6, 0, 6, 6, 0, 0], Mark(2, 3, "expect"), rearm_s=10)
    assert (code, figures["raised_s"], figures["short_by"]) == ("rearm", 0.0, 7.0)


def test_still_raised_from_before() -> None:
    code, figures = silent([6, 6, 6, 6], Mark(2, 3, "expect"))
    assert (code, figures["raised_s"]) == ("standing", 0.0)


def test_no_sample_in_the_mark() -> None:
    assert silent([0, 0], Mark(50, 60, "expect"))[0] == "no_data"


def test_of_several_regions_the_nearest_speaks() -> None:
    rule = Rule("above", 5.0)
    reason = why_silent(Mark(0, 2, "expect"), {"far": (series([1, 1, 1]), rule), "near": (series([4, 4, 4]), rule)})
    assert reason.figures["region"] == "near"
