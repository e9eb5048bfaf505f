"""What tracks remember between two settings of the dials never shows in an answer."""

from __future__ import annotations

from concurrent.futures import ThreadPoolExecutor
from dataclasses import replace
from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from builders import subject_of
from core.objects.test_following import DIALS, OWN
from lantern.core.events import Detector
from lantern.core.objects.region import ObjectRegion
from lantern.core.tracks import MOST_KEPT, Tracks, make_tracks
from wandering import CORNER, FIGURES, LINE, OTHER, ZONE, wandering

TALLER = (FIGURES[0], FIGURES[1].model_copy(update={"target_mm": 1200.0}))
PLACES: dict[str, list[tuple[ObjectRegion, ...]]] = {
    "crossing": [(LINE, OTHER), (OTHER.model_copy(update={"name": "line"}),)],
    "count": [(LINE,), (LINE.model_copy(update={"points": ((30, 22), (10, 20))}),)],
    "zone": [(ZONE, CORNER), (CORNER.model_copy(update={"name": "zone"}),)],
    "path": [(CORNER, OTHER, ZONE), (ZONE, LINE)],
}


@given(wandering(), st.sampled_from(list(OWN)), st.lists(DIALS, min_size=2, max_size=5), st.randoms())
@settings(max_examples=120, deadline=None)
def test_answers_are_those_of_tracks_that_remember_nothing(
    tracks: Tracks, kind: str, settings_tried: list[dict[str, Any]], choose: Any
) -> None:
    for common in settings_tried:
        dials = common | {dial: choose.choice(values) for dial, values in OWN[kind].items()}
        regions = (*choose.choice(PLACES[kind]), *choose.choice([FIGURES, TALLER]))
        detector = Detector(name="d", kind=kind, regions=regions, dials=dials)
        warm, cold = (subject_of(detector, each) for each in (tracks, replace(tracks)))
        assert warm.events() == cold.events()
        assert [v.as_dict() for v in warm.verdicts()] == [v.as_dict() for v in cold.verdicts()]
        assert warm.cautions() == cold.cautions()


def test_only_the_newest_are_kept_and_a_part_remembers_for_itself() -> None:
    tracks = make_tracks(np.arange(3.0), np.arange(3), np.ones((3, 4)))
    made: list[int] = []

    def at(k: int) -> int:
        return tracks.remember(("square", k), lambda: made.append(k) or k * k)

    assert [at(k) for k in (1, 2, 2, 1)] == [1, 4, 4, 1]
    assert made == [1, 2]
    for k in range(3, MOST_KEPT + 3):
        at(k)
    assert at(MOST_KEPT + 2) == (MOST_KEPT + 2) ** 2
    assert made.count(MOST_KEPT + 2) == 1
    at(1)
    assert made.count(1) == 2  # it had been let go
    part = tracks.only(np.array([True, False, True]))
    assert part.remember(("square", 2), lambda: -1) == -1


def test_many_threads_may_ask_at_once() -> None:
    tracks = make_tracks(np.arange(50.0), np.arange(50), np.ones((50, 4)))

    def ask(k: int) -> bool:
        return all(tracks.remember(("power", i), lambda i=i: i**2) == i**2 for i in range(k % 7, 400))

    with ThreadPoolExecutor(8) as threads:
        assert all(threads.map(ask, range(64)))
