"""Links over time: delay, length, latching, extension, and what normally closed means."""

from __future__ import annotations

import pytest
from pydantic import ValidationError

from lantern.core.linking.links import Effect, LinkRule, Output
from lantern.core.linking.timeline import activity, firings


def link(**values: object) -> LinkRule:
    effects = values.pop("effects", (Effect(output="beacon", length_s=10),))
    return LinkRule(name="l", detector="d", effects=effects, **values)  # type: ignore[arg-type]


def active(rule: LinkRule, *raised: float, repeat: bool = False) -> list[tuple[str, float, float | None]]:
    fired = [f for i, t in enumerate(raised) for f in firings(rule, event=i, raised_s=t, repeat=repeat)]
    return [(a.output, a.on_s, a.off_s) for a in activity(fired)]


def test_a_pulse_begins_after_the_delay_and_lasts_its_length() -> None:
    assert active(link(delay_s=2), 5.0) == [("beacon", 7.0, 17.0)]


def test_a_second_event_extends_and_never_cuts_short() -> None:
    assert active(link(), 0.0, 6.0) == [("beacon", 0.0, 16.0)]
    assert active(link(), 0.0, 10.0) == [("beacon", 0.0, 20.0)]  # just as it ends
    assert active(link(), 0.0, 11.0) == [("beacon", 0.0, 10.0), ("beacon", 11.0, 21.0)]


def test_latched_stays_until_acknowledged() -> None:
    rule = link(effects=(Effect(output="stop", mode="latched"), Effect(output="beacon", length_s=3)))
    assert active(rule, 1.0, 50.0) == [("beacon", 1.0, 4.0), ("stop", 1.0, None), ("beacon", 50.0, 53.0)]


def test_repeats_fire_only_where_wished() -> None:
    assert active(link(on_repeat=False), 0.0, repeat=True) == []
    assert active(link(on_repeat=True), 0.0, repeat=True) == [("beacon", 0.0, 10.0)]


def test_the_causes_of_a_stretch_are_told() -> None:
    fired = [f for i, t in enumerate((0.0, 6.0)) for f in firings(link(), event=i, raised_s=t, repeat=False)]
    assert activity(fired)[0].events == (0, 1)


def test_normally_closed_holds_the_coil_while_idle() -> None:
    closed, opened = Output(name="a", coil=0, contact="normally_closed"), Output(name="b", coil=1)
    assert (closed.coil_for(False), closed.coil_for(True)) == (True, False)
    assert (opened.coil_for(False), opened.coil_for(True)) == (False, True)


def test_flashes_stay_within_three_a_second() -> None:
    Effect(output="b", flash_hz=3.0)
    with pytest.raises(ValidationError):
        Effect(output="b", flash_hz=3.1)


def test_one_output_twice_in_a_link_is_refused() -> None:
    with pytest.raises(ValidationError, match="two effects"):
        link(effects=(Effect(output="b"), Effect(output="b")))
