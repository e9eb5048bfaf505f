"""The register's entries: what ships is in order, what is wrong with one is told, power and firmware by the standard's numbers."""

from __future__ import annotations

from dataclasses import replace
from typing import Any

import jsonschema_rs
import orjson
import pytest
from hypothesis import given
from hypothesis import strategies as st

from lantern.core.devices import DEVICE_KINDS
from lantern.core.faults import Refused
from lantern.core.kinds import KINDS
from lantern.core.register.channels import compared
from lantern.core.register.device_type import DeviceType, PortGroup, type_schema
from lantern.core.register.firmware import before, numbers
from lantern.core.register.installed import Channel, Picture, Unit, Work, switched_on
from lantern.core.register.power import CLASSES, Power, class_of, fed
from lantern.formats.device_types import shipped_types
from lantern.formats.documents import type_of

GOOD: dict[str, Any] = {
    "name": "ours",
    "kind": "camera",
    "abilities": [{"name": "a", "signal": "tracks"}, {"name": "b", "signal": "plates", "excludes": ["a"]}],
}

# ---- entries ---------------------------------------------------------------------------------------------------------


def test_what_ships_covers_what_an_integrator_meets() -> None:
    """A type for every kind of device, and for every kind of detector an ability that it stands on."""
    assert {of.kind for of in shipped_types().values()} == set(DEVICE_KINDS)
    abilities = [ability for of in shipped_types().values() for ability in of.abilities]
    for kind in KINDS.values():
        assert any(
            kind.name in ability.kinds or (not ability.kinds and ability.signal in kind.signals)
            for ability in abilities
        ), kind.name


def test_what_ships_is_as_the_schema_says() -> None:
    validator = jsonschema_rs.validator_for(type_schema())
    for of in shipped_types().values():
        validator.validate(of.model_dump(mode="json", exclude_none=True))


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"kind": "toaster"}, f"one of {next(iter(DEVICE_KINDS))}, "),
        ({"abilities": [{"name": "a", "signal": "x"}, {"name": "a", "signal": "y"}]}, "two abilities are called a"),
        ({"abilities": [{"name": "a", "signal": "x", "excludes": ["c"]}]}, "a excludes c, which it has not"),
        ({"abilities": [{"name": "a", "signal": "x", "excludes": ["a"]}]}, "a excludes itself"),
        ({"channels": [{"name": "l"}, {"name": "l"}]}, "two channels are called l"),
        ({"abilities": [{"name": "a", "signal": "x", "firmware": "new"}]}, "a version with a number in it"),
        ({"abilities": [{"name": "a", "signal": "x", "load": {"fixed_percent": 140}}]}, "less than or equal to 100"),
        ({"power": {}}, "give poe_class, or watts"),
        ({"power": {"poe_class": 9}}, "less than or equal to 8"),
        ({"ports": [{"count": 4, "poe_class": 4, "watts": 30}]}, "give poe_class, or watts"),
        ({"reserve_percent": 100}, "less than 100"),
        ({"brand": "x"}, "is not a known key"),
        ({"name": "fixed camera"}, "ships with the program"),
    ],
)
def test_what_is_wrong_with_a_type_is_told(change: dict[str, Any], told: str) -> None:
    with pytest.raises(Refused, match=told):
        type_of(GOOD | change, where="type")


def test_an_exclusion_holds_both_ways() -> None:
    of = type_of(GOOD, where="type")
    assert (of.excluded("a", "b"), of.excluded("b", "a"), of.excluded("a", "a")) == (True, True, False)


def test_ports_are_numbered_through_their_groups() -> None:
    ports = [PortGroup(count=2, poe_class=3), PortGroup(count=1, watts=0), PortGroup(count=1, watts=60)]
    of = DeviceType(name="s", kind="switch", ports=tuple(ports))
    given = {number: power.given_w for number, power in of.port_powers.items()}
    assert given == {"1": 12.95, "2": 12.95, "3": 0.0, "4": 51.0}


def test_what_is_on_is_a_list_or_settings_by_name() -> None:
    assert switched_on({"plates": {"fps": 4}}) == switched_on([{"name": "plates", "fps": 4}])


# ---- firmware --------------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("older", "newer"),
    [("9.80", "10.5"), ("9.8", "9.80"), ("9.80", "9.80.1"), ("v1.9", "1.10"), ("5.0 build 12", "5.0 build 100")],
)
def test_versions_are_compared_by_their_numbers(older: str, newer: str) -> None:
    assert (before(older, newer), before(newer, older)) == (True, False)


def test_zeros_at_the_end_say_nothing() -> None:
    assert not before("9.80.0", "9.80")
    assert not before("9.80", "9.80.0")


@given(st.lists(st.integers(0, 300), min_size=1, max_size=4), st.lists(st.integers(0, 300), min_size=1, max_size=4))
def test_the_order_of_versions_is_that_of_their_numbers(one: list[int], other: list[int]) -> None:
    length = max(len(one), len(other))
    padded = [each + [0] * (length - len(each)) for each in (one, other)]
    texts = [".".join(str(part) for part in each) for each in (one, other)]
    assert before(*texts) == (padded[0] < padded[1])
    assert numbers(f"release-{texts[0]}") == numbers(texts[0])


# ---- power -----------------------------------------------------------------------------------------------------------


def test_the_classes_are_those_of_the_standard() -> None:
    """IEEE 802.3 (af, at, bt), W at the port and at the device, from memory."""
    table = "4/3.84, 7/6.49, 15.4/12.95, 30/25.5, 45/40, 60/51, 75/62, 90/71.3"
    assert [tuple(float(w) for w in pair.split("/")) for pair in table.split(", ")] == list(CLASSES.values())


@pytest.mark.parametrize(("watts", "taken_w"), [(3.0, 4.0), (3.84, 4.0), (3.85, 7.0), (12.95, 15.4), (26.0, 45.0)])
def test_a_device_takes_what_its_class_allows(watts: float, taken_w: float) -> None:
    assert Power(watts=watts).taken_w == taken_w


@pytest.mark.parametrize(("port_w", "poe_class"), [(3.9, None), (4.0, 1), (15.3, 2), (15.4, 3), (90.0, 8), (500.0, 8)])
def test_a_port_feeds_the_greatest_class_that_it_can(port_w: float, poe_class: int | None) -> None:
    assert class_of(port_w).poe_class == poe_class


def test_ports_are_fed_in_order_until_the_budget_is_used_up() -> None:
    """40 W: 30 at port 2; 15.4 at port 3 no longer fits; 7 at port 10 still does."""
    ports = {str(n): Power(poe_class=4) for n in range(1, 11)}
    hanging = [("c", "10", Power(poe_class=2)), ("b", "3", Power(poe_class=3)), ("a", "2", Power(poe_class=4))]
    found = fed(ports, 40.0, hanging)
    assert {code: one.budget_lacks_w for code, one in found.items()} == pytest.approx({"a": 0.0, "b": 5.4, "c": 0.0})


# ---- channels --------------------------------------------------------------------------------------------------------

TWO = DeviceType.model_validate(
    {"name": "two", "kind": "camera", "channels": [{"name": "fixed"}, {"name": "turning", "width": 640, "height": 480}]}
)


def two(fixed: dict[str, Any], turning: dict[str, Any], *works: Work) -> Unit:
    channels = [Channel(name="fixed", settings=fixed), Channel(name="turning", settings=turning)]
    return Unit("Z", "camera", "two", TWO, picture=Picture(1280, 720), channels=channels, works=works)


def rows(unit: Unit) -> dict[str, tuple[list[Any], bool]]:
    return {row.setting.title: (list(row.values), row.amiss) for row in compared(unit)}


def test_what_should_agree_is_told_apart_from_what_may_differ() -> None:
    unit = two({"time_zone": "UTC", "codec": "a", "mount": "mast"}, {"time_zone": "Europe/Amsterdam", "codec": "b"})
    found = rows(unit)
    assert found["Time zone"] == (["UTC", "Europe/Amsterdam"], True)
    assert found["Codec"] == (["a", "b"], False)
    assert found["Mount"] == (["mast", None], False)
    assert found["Picture"] == (["1280 x 720", "640 x 480"], False)
    assert next(row.setting.title for row in compared(unit)) == "Time zone"


def test_detectors_and_their_hours_should_be_on_both() -> None:
    one = Work("a", "zone", channel="fixed", timetable="Night watch")
    assert rows(two({}, {}, one))["Detectors on"] == (["zone", "none"], True)
    both = (one, Work("b", "zone", channel="turning"))
    found = rows(two({}, {}, *both))
    assert (found["Detectors on"][1], found["Timetables"]) == (False, (["Night watch", "always"], True))
    off = replace(both[1], enabled=False)
    assert rows(two({}, {}, one, off))["Detectors on"][1]


def test_one_channel_is_held_against_nothing() -> None:
    assert compared(Unit("A", "camera", channels=[Channel(name="view", settings={"time_zone": "UTC"})])) == []


def test_a_type_comes_back_as_it_was_written() -> None:
    of = type_of(GOOD, where="type")
    assert type_of(orjson.loads(orjson.dumps(of.model_dump(mode="json"))), where="type") == of
