"""Links over time: delay, length, latching, extension, and what normally closed means."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest
from pydantic import ValidationError

from lantern.core.effects.switch.effect import Switch
from lantern.core.linking.arming import Armed, Arming, Heard
from lantern.core.linking.links import LinkRule
from lantern.core.linking.orders import Order
from lantern.core.linking.outputs import Output
from lantern.core.linking.timeline import activity

AT = datetime(2026, 1, 5, tzinfo=UTC)


def link(**values: object) -> LinkRule:
    effects = values.pop("effects", (Switch(output="beacon", length_s=10),))
    return LinkRule(name="l", detector="d", effects=effects, **values)  # type: ignore[arg-type]


def ordered(rule: LinkRule, *raised: float, repeat: bool = False) -> list[Order]:
    fired, _ = Arming([Armed(rule, None)], None, AT, AT).answer(Heard("r", repeat=repeat), AT)
    return [firing.order(i, t) for i, (t, firing) in enumerate((t, each) for t in raised for each in fired)]


def active(rule: LinkRule, *raised: float, repeat: bool = False) -> list[tuple[str, float, float | None]]:
    stretches, _ = activity(ordered(rule, *raised, repeat=repeat))
    return [(a.output, a.on_s, a.off_s) for a in stretches]


def test_a_pulse_begins_after_the_delay_and_lasts_its_length() -> None:
    assert active(link(delay_s=2), 5.0) == [("beacon", 7.0, 17.0)]


def test_a_second_event_extends_and_never_cuts_short() -> None:
    assert active(link(), 0.0, 6.0) == [("beacon", 0.0, 16.0)]
    assert active(link(), 0.0, 10.0) == [("beacon", 0.0, 20.0)]  # just as it ends
    assert active(link(), 0.0, 11.0) == [("beacon", 0.0, 10.0), ("beacon", 11.0, 21.0)]


def test_latched_stays_until_acknowledged() -> None:
    rule = link(effects=(Switch(output="stop", mode="latched"), Switch(output="beacon", length_s=3)))
    assert active(rule, 1.0, 50.0) == [("beacon", 1.0, 4.0), ("stop", 1.0, None), ("beacon", 50.0, 53.0)]


def test_repeats_fire_only_where_wished() -> None:
    assert active(link(on_repeat=False), 0.0, repeat=True) == []
    assert active(link(on_repeat=True), 0.0, repeat=True) == [("beacon", 0.0, 10.0)]


def test_the_causes_of_a_stretch_are_told() -> None:
    [stretch], _ = activity(ordered(link(), 0.0, 6.0))
    assert stretch.orders == [0, 1]


def test_a_pulse_that_comes_later_does_not_hold_one_that_is_on() -> None:
    """The first of two is delayed by 20 s: what has not begun lasts no longer than anything."""
    late, soon = Order(0, "beacon", 20.0, 5.0), Order(1, "beacon", 1.0, 5.0)
    stretches, standings = activity([late, soon])
    assert [(a.on_s, a.off_s) for a in stretches] == [(1.0, 6.0), (20.0, 25.0)]
    assert [(standings[k].from_s, standings[k].to_s, standings[k].result) for k in (0, 1)] == [
        (20.0, 25.0, "done"),
        (1.0, 6.0, "done"),
    ]


def test_normally_closed_holds_the_coil_while_idle() -> None:
    closed, opened = Output(name="a", coil=0, contact="normally_closed"), Output(name="b", coil=1)
    assert (closed.coil_for(False), closed.coil_for(True)) == (True, False)
    assert (opened.coil_for(False), opened.coil_for(True)) == (False, True)


def test_flashes_stay_within_three_a_second() -> None:
    Switch(output="b", flash_hz=3.0)
    with pytest.raises(ValidationError):
        Switch(output="b", flash_hz=3.1)


def test_one_output_twice_in_a_link_is_refused() -> None:
    with pytest.raises(ValidationError, match="two effects"):
        link(effects=(Switch(output="b"), Switch(output="b")))
