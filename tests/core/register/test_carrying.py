"""Can this device do that? Thirty cases; every figure was worked out by hand from the register's rules, none by the program."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

import pytest

from lantern.core.register.carrying import Verdict, burden_of, can, carries
from lantern.core.register.device_type import DeviceType
from lantern.core.register.installed import HangsOn, Picture, Site, SwitchedOn, Unit, Work


def load(fixed: float, k: float = 0.0) -> dict[str, float]:
    return {"fixed_percent": fixed, "percent_per_mps": k}


def made(name: str, kind: str, abilities: Sequence[dict[str, Any]] = (), **more: Any) -> DeviceType:
    return DeviceType.model_validate({"name": name, "kind": kind, "abilities": list(abilities), **more})


OBJECTS = {"name": "objects", "signal": "tracks", "kinds": ["crossing", "zone", "path"], "load": load(12, 3)}
CAMERA = made(
    "camera",
    "camera",
    [
        OBJECTS | {"limits": {"regions": 3, "lines": 2, "rate_hz": 15}},
        {"name": "counting", "signal": "tracks", "kinds": ["count"], "load": load(10, 2)},
        {"name": "plates", "signal": "plates", "load": load(35, 2), "excludes": ["objects"], "firmware": "9.80",
         "limits": {"lists": 2, "width": 1920, "height": 1080}},
        {"name": "faces", "signal": "faces", "load": load(40, 2), "firmware": "10.5"},
    ],
    power={"poe_class": 3},
)  # fmt: skip
BOX = made(
    "box",
    "analytics",
    [
        OBJECTS | {"load": load(2, 1), "limits": {"streams": 2, "width": 1920, "height": 1080}},
        {"name": "plates", "signal": "plates", "load": load(8, 1), "limits": {"streams": 2}},
    ],
    mixes=False,
)
SWITCH = made(
    "switch", "switch", ports=[{"count": 2, "poe_class": 2}, {"count": 2, "poe_class": 4}, {"count": 1, "watts": 12}],
    budget_w=40,
)  # fmt: skip
SIMPLE = made("simple", "camera", [OBJECTS | {"load": load(10)}])
FED_BY_4 = made("hungry", "camera", [OBJECTS | {"load": load(10)}], power={"poe_class": 4})
HD = Picture(1280, 720, 10)  # 9.216 megapixels a second
UNIT = Unit("A", "camera", "camera", CAMERA, firmware="10.5", picture=HD)


def unit(**changes: Any) -> Unit:
    return replace(UNIT, **changes)


def site(asked: Unit, *others: Unit) -> Site:
    return Site({each.code: each for each in (asked, *others)})


def on(*names: str, **more: Any) -> list[SwitchedOn]:
    return [SwitchedOn(name=name, **more) for name in names]


def box(*of: tuple[str, str]) -> Unit:
    return Unit("B", "analytics", "box", BOX, on=[SwitchedOn(name=name, of=code) for name, code in of])


def work(kind: str, **more: Any) -> Work:
    return Work("mine", kind, **more)


def other(code: str, **more: Any) -> Unit:
    return Unit(code, "camera", "simple", SIMPLE, picture=HD, **more)


SWITCHES = Unit("S", "switch", "switch", SWITCH)


def port(number: str) -> HangsOn:
    return HangsOn(switch="S", port=number)


# (what, the device, the others, kind, answer, code of the first reason, by how much, a cure)
CASES = [
    ("objects: 12 + 3 x 9.216 = 39.6 %", unit(), (), "crossing", "yes", None, None, None),
    ("the register has no such ability", unit(), (), "heat", "no", "ability", None, None),
    ("another of the site can", unit(type=SIMPLE), (unit(code="C"),), "plate", "no", "ability", None, "C can, as plates"),
    ("a retired one cannot", unit(type=SIMPLE), (unit(code="C", retired=True),), "plate", "no", "ability", None, None),
    ("no type: its signal fits", unit(type=None, type_name=None), (), "zone", "unsure", "type", None, None),
    ("no type: its signal does not fit", unit(type=None, type_name=None), (), "plate", "no", "ability", None, None),
    ("a type that is not there", unit(type=None, type_name="gone"), (), "zone", "unsure", "type", None, None),
    ("9.80 is before 10.5, and after 9.8", unit(firmware="9.81"), (), "plate", "yes", None, None, None),
    ("9.9 is before 9.80", unit(firmware="9.9"), (), "plate", "no", "firmware", None, "update the device"),
    ("firmware is not said", unit(firmware=None), (), "plate", "unsure", "firmware", None, None),
    ("v9.80.0 is 9.80", unit(firmware="v9.80.0"), (), "plate", "yes", None, None, None),
    ("plates exclude objects", unit(on=on("objects")), (), "plate", "no", "excluded", None, "switch off objects"),
    ("and the other way round", unit(on=on("plates")), (), "zone", "no", "excluded", None, "switch off plates"),
    ("what a detector needs goes with it", unit(works=[Work("gate", "zone")]), (), "plate", "no", "excluded", None,
     "disable gate, which needs objects"),
    ("a disabled one needs nothing", unit(works=[Work("gate", "zone", enabled=False)]), (), "plate", "yes", None, None,
     None),
    # faces 40 + 2 x 9.216 = 58.432; counting 10 + 2 x 9.216 = 28.432; together 86.864, of 80
    ("over the load by 6.864 %", unit(on=on("faces")), (), "count", "no", "load", 6.864, "switch off faces"),
    # counting may cost 80 - 58.432 = 21.568: (21.568 - 10) / (2 x 0.9216) = 6.27 pictures a second; but what costs
    # the most is slowed first: faces may cost 51.568, (51.568 - 40) / 1.8432 = 6.27
    ("or fewer pictures", unit(on=on("faces")), (), "count", "no", "load", 6.864, "faces look at 6 pictures a second"),
    ("at 6 Hz it fits", unit(on=on("faces", fps=6.0)), (), "count", "yes", None, None, None),
    ("a picture that nobody knows", unit(picture=Picture()), (), "zone", "unsure", "load", None, None),
    ("more pictures than it takes", unit(picture=Picture(320, 240, 25)), (), "zone", "no", "rate", 10, "at 15 pictures"),
    ("a larger picture than it takes", unit(picture=Picture(2560, 1440, 1)), (), "plate", "no", "picture", None, None),
    ("a box takes it instead", unit(type=SIMPLE), (box(),), "plate", "no", "ability", None, "B has room for its pictures"),
    ("a box has it already", unit(type=made("dumb", "camera")), (box(("objects", "A")),), "zone", "yes", None, None, None),
    ("a box of two streams has two", box(("objects", "X"), ("objects", "Y")), (other("X"), other("Y")), "path", "yes",
     None, None, None),
    ("a box mixes no families", box(("objects", "X")), (other("X"),), "plate", "no", "mixed", None,
     "switch off objects of X"),
    # class 3 draws 12.95 W at the device, class 2 gives 6.49: 6.46 W too little
    ("its port gives too little", unit(hangs_on=port("1")), (SWITCHES,), "zone", "no", "port", 6.46, "port 3 of S"),
    ("a port of 12 W feeds class 2", unit(hangs_on=port("5")), (SWITCHES,), "zone", "no", "port", 6.46, "port 3 of S"),
    ("a port that is not there", unit(hangs_on=port("9")), (SWITCHES,), "zone", "no", "port", None, "port 3 of S"),
    # class 4 takes 30 W of the 40, class 3 then needs 15.4 of the 10 that are left
    ("the budget is used up", unit(hangs_on=port("4")),
     (SWITCHES, other("D", hangs_on=port("3"), power=FED_BY_4.power)), "zone", "no", "budget", 5.4, "no free port"),
    ("it comes before the hungry one", unit(hangs_on=port("3")),
     (SWITCHES, other("D", hangs_on=port("4"), power=FED_BY_4.power)), "zone", "yes", None, None, None),
]  # fmt: skip


@pytest.mark.parametrize(("asked", "others", "kind", "answer", "code", "lacks", "cure"), [c[1:] for c in CASES],
                         ids=[c[0] for c in CASES])  # fmt: skip
def test_can_it(
    asked: Unit, others: Sequence[Unit], kind: str, answer: str, code: str | None, lacks: float | None, cure: str | None
) -> None:
    verdict = can(asked, kind, site(asked, *others))
    assert (verdict.answer, verdict.reasons[0].code if verdict.reasons else None) == (answer, code), verdict.why
    if lacks is not None:
        assert verdict.reasons[0].lacks == pytest.approx(lacks)
    told = [each.text for each in verdict.cures]
    assert cure is None or any(cure in text for text in told), told
    if answer == "no":
        assert len(told) == len(set(told))


def test_there_are_thirty() -> None:
    assert len(CASES) >= 30


# ---- cures that work when taken --------------------------------------------------------------------------------------


def taken(verdict: Verdict, way: str, held: Site) -> Site:
    """The site after the cure of that way."""
    [cure, *_] = [each for each in verdict.cures if each.way == way and each.take]
    code = cure.take["device"]
    changes: dict[str, Any] = {}
    for key, value in cure.take.get("change", {}).items():
        changes["on" if key == "abilities" else key] = (
            [SwitchedOn.model_validate(each) for each in value] if key == "abilities" else HangsOn.model_validate(value)
        )
    return Site({**held.units, code: replace(held.units[code], **changes)})


@pytest.mark.parametrize(
    ("asked", "others", "kind", "way"),
    [
        (unit(on=on("objects")), (), "plate", "switch_off"),
        (unit(on=on("faces")), (), "count", "switch_off"),
        (unit(on=on("faces")), (), "count", "lower_rate"),
        (unit(picture=Picture(320, 240, 25)), (), "zone", "lower_rate"),
        (unit(hangs_on=port("1")), (SWITCHES,), "zone", "other_port"),
        (unit(hangs_on=port("9")), (SWITCHES,), "zone", "other_port"),
        (unit(type=made("dumb", "camera")), (box(),), "zone", "add_stream"),
        (box(("objects", "X")), (other("X"),), "plate", "switch_off"),
    ],
)
def test_a_cure_works_when_it_is_taken(asked: Unit, others: Sequence[Unit], kind: str, way: str) -> None:
    held = site(asked, *others)
    verdict = can(asked, kind, held)
    assert verdict.answer == "no"
    after = taken(verdict, way, held)
    assert can(after.units[asked.code], kind, after).answer != "no"


def test_the_least_that_is_enough_is_switched_off() -> None:
    """60 + 15 + 12 + 10 of 80: 17 too much; 15 is too little, 12 + 10 frees the least that is enough, but one part is fewer."""
    names = {"large": 60, "middle": 15, "small": 12}
    abilities = [{"name": name, "signal": name, "load": load(percent)} for name, percent in names.items()]
    of = made("many", "camera", [*abilities, OBJECTS | {"load": load(10)}])
    asked = unit(type=of, on=on(*names))
    verdict = can(asked, "zone", site(asked))
    assert verdict.reasons[0].lacks == pytest.approx(17)
    assert verdict.cures[0].text == "switch off large: that frees 60.0 %"


# ---- detectors that are there ----------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("mine", "rest", "code", "lacks"),
    [
        (work("zone", regions=2), [Work("other", "path", regions=2)], "regions", 1),
        (work("zone", regions=2), [Work("other", "path", regions=2, enabled=False)], None, None),
        (work("crossing", lines=3), [], "lines", 1),
        (work("plate", lists=3), [], "lists", 1),
        (work("count", lines=9), [], None, None),  # on another ability, which has no limit
    ],
)
def test_a_detector_that_its_device_carries_or_not(
    mine: Work, rest: Sequence[Work], code: str | None, lacks: float | None
) -> None:
    asked = unit(works=[mine, *rest])
    verdict = carries(asked, mine, site(asked))
    assert [reason.code for reason in verdict.reasons] == ([code] if code else [])
    assert [reason.lacks for reason in verdict.reasons] == ([lacks] if code else [])


def test_a_box_of_two_streams_carries_no_third() -> None:
    full = box(("objects", "X"), ("objects", "Y"))
    camera = Unit("A", "camera", "dumb", made("dumb", "camera"), picture=HD)
    verdict = can(camera, "zone", site(camera, full, other("X"), other("Y")))
    assert (verdict.answer, verdict.reasons[0].code) == ("no", "ability")
    assert not [cure for cure in verdict.cures if cure.way == "add_stream"]
    three = replace(full, on=[*full.on, SwitchedOn(name="objects", of="A")])
    told = can(three, "zone", site(three, camera, other("X"), other("Y")))
    assert (told.answer, told.reasons[0].code, told.reasons[0].lacks) == ("no", "streams", 1)


def test_two_of_one_family_on_other_abilities_are_streams_of_that_family() -> None:
    of = made("b", "analytics", [
        OBJECTS | {"limits": {"streams": 1}},
        {"name": "counting", "signal": "tracks", "kinds": ["count"], "limits": {"streams": 1}},
    ])  # fmt: skip
    held = Unit("B", "analytics", "b", of, on=on("objects", of="X"))
    verdict = can(held, "count", site(held, other("X")))
    assert (verdict.answer, verdict.reasons[0].code) == ("no", "streams")


def test_the_parts_of_a_load_add_up() -> None:
    asked = unit(on=on("objects"), works=[Work("gate", "zone"), Work("in", "count")])
    burden = burden_of(asked, site(asked))
    assert [(part.ability.name, part.needed_by) for part in burden.parts] == [
        ("objects", ("gate",)),
        ("counting", ("in",)),
    ]
    assert burden.percent == pytest.approx(12 + 3 * 9.216 + 10 + 2 * 9.216)
    assert burden.room_percent == 80


def test_a_second_channel_has_its_own_picture() -> None:
    """Two views of 0.9216 and 0.3072 megapixels at 10 and 5 a second: 12 + 3 x 9.216, and 12 + 3 x 1.536."""
    of = made(
        "two",
        "camera",
        [OBJECTS],
        channels=[{"name": "left"}, {"name": "right", "width": 640, "height": 480, "fps": 5}],
    )
    asked = unit(type=of, on=[*on("objects", channel="left"), *on("objects", channel="right")])
    assert [part.percent for part in burden_of(asked, site(asked)).parts] == pytest.approx([39.648, 16.608])
