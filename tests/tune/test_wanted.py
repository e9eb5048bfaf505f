"""Evidence gives up once nobody waits for it: in every kind of sweep, and only where somebody has said how to know."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import numpy as np
import pytest

from builders import subject_of
from lantern.core.events import Detector, Region
from lantern.core.raising import Raising
from lantern.core.scoring.marks import Mark
from lantern.core.signals import Series
from lantern.core.tracks import Tracks, make_tracks
from lantern.core.tuning.wanted import UnwantedError, still_wanted, while_wanted
from lantern.core.units import CELSIUS
from lantern.tune.evidence import Held, strips
from lantern.tune.newest import NewestStates
from wandering import LINE, ZONE

MARKS = [Mark(1, 3, "expect")]


def heat() -> Raising:
    t_s = np.arange(0.0, 60.0, 0.5)
    series = Series(t_s, 40 + 20 * np.sin(t_s), "°C", "spot")
    region = Region(name="spot", shape="spot", points=((1, 1),))
    detector = Detector(name="d", kind="heat", regions=(region,), dials={"threshold_c": 50.0})
    return subject_of(detector, {"spot": series})


def crowd() -> Tracks:
    """Five who walk down through the zone, one after the other."""
    t_s, ids = np.tile(np.arange(0.0, 20.0, 0.5), 5), np.repeat(np.arange(5), 40)
    box = np.column_stack((14 + 2.0 * ids, 2 * (t_s - ids) - 4, np.full(200, 2.0), np.full(200, 4.0)))
    return make_tracks(t_s, ids, box, frame_px=(40, 40), fps=2.0)


def scene(kind: str, region: Region, **dials: Any) -> Raising:
    return subject_of(Detector(name="d", kind=kind, regions=(region,), dials=dials), crowd())


SUBJECTS: list[tuple[Callable[[], Raising], str]] = [
    (heat, "threshold_c"),
    (heat, "window_s"),
    (lambda: scene("crossing", LINE), "band"),
    (lambda: scene("crossing", LINE), "gap_s"),
    (lambda: scene("zone", ZONE, when="inside"), "dwell_s"),
]


def strip(held: Raising, dial: str) -> dict[str, Any]:
    return strips([Held(held, MARKS)], [dial], None, CELSIUS)


@pytest.mark.parametrize(("make", "dial"), SUBJECTS, ids=[dial for _, dial in SUBJECTS])
def test_every_sweep_asks_and_gives_up(make: Callable[[], Raising], dial: str) -> None:
    held = make()
    if dial not in strip(held, dial):
        held = held.with_dials(condition="rise")
    whole = strip(held, dial)
    assert set(whole) == {dial}
    with while_wanted(lambda: False):
        assert strip(held, dial) == whole
    with while_wanted(lambda: True), pytest.raises(UnwantedError):
        strip(held, dial)
    assert strip(held, dial) == whole


def test_it_is_asked_again_and_again() -> None:
    asked: list[int] = []

    def after_three() -> bool:
        asked.append(1)
        return len(asked) > 3

    with while_wanted(after_three), pytest.raises(UnwantedError):
        strip(scene("crossing", LINE), "gap_s")
    assert len(asked) == 4
    still_wanted()  # nobody has said how to know


def test_states_of_pages_that_know_nothing_of_each_other() -> None:
    newest = NewestStates(kept=2)
    newest.note("one", 3)
    newest.note("one", 2)  # came late
    newest.note("two", 1)
    newest.note("", 9)
    assert [
        newest.outdated("one", 2),
        newest.outdated("one", 3),
        newest.outdated("two", 1),
        newest.outdated("", 1),
    ] == [
        True,
        False,
        False,
        False,
    ]
    newest.note("three", 1)
    assert not newest.outdated("one", 2)  # forgotten: worked out for nobody, and no harm
