"""Where a counting line should lie: the flat optimum, the edge rule, and what a pick is worth on a take it has not seen."""

from __future__ import annotations

import numpy as np
import pytest

from builders import subject_of
from checks import check
from lantern.core.counted import HandCount
from lantern.core.events import Detector
from lantern.core.faults import Refused
from lantern.core.objects.counting import search as search_module
from lantern.core.objects.counting.search import Counted, flattest, moved_line, search
from lantern.core.objects.region import ObjectRegion
from lantern.core.objects.subject import TrackSubject
from lantern.core.tracks import make_tracks

FRAME = (640, 480)
PEOPLE = 32


@pytest.fixture(autouse=True)
def coarse(monkeypatch: pytest.MonkeyPatch) -> None:
    """Fewer lines than a user gets: the rule is the same, and quicker tried."""
    monkeypatch.setattr(search_module, "OFFSETS", 17)
    monkeypatch.setattr(search_module, "ANGLES", 5)


def line(x: float) -> ObjectRegion:
    return ObjectRegion(name="line", shape="line", points=((x, 400), (x, 80)))


def walk(x: float, seed: int = 0) -> TrackSubject:
    """Thirty-two who walk to the right; every second one is lost 40 px before the picture's edge. The line stands at x."""
    rng = np.random.default_rng(seed)
    rows = []
    for i in range(PEOPLE):
        end = 600 if i % 2 else 640
        xs = np.arange(20, end, 10.0)
        rows += [(i * 10 + k / 10, i, at - 15, 200 + rng.normal(0, 1), 30, 30) for k, at in enumerate(xs)]
    table = np.array(rows)
    held = make_tracks(table[:, 0], table[:, 1].astype(np.int64), table[:, 2:], frame_px=FRAME, fps=10.0)
    detector = Detector(name="d", kind="count", regions=(line(x),), dials={"anchor": "centre", "band": 4.0})
    return subject_of(detector, held)


PASSAGES = tuple((i * 10 + 3.0, "in") for i in range(PEOPLE))


def test_the_middle_of_the_widest_flat_optimum_as_published() -> None:
    i, expected = check("C14")
    picked = flattest(np.array([i["error"]], dtype=float), 0.0)
    assert picked is not None
    assert i["offset_dm"][picked[1]] == expected
    assert flattest(np.full((2, 3), np.nan), 0.1) is None


def test_a_line_where_half_are_lost_is_moved_to_where_none_is() -> None:
    found = search([Counted(walk(615), PASSAGES)])
    assert found.now == pytest.approx(0.5)
    assert found.pick is not None
    assert found.error[found.pick] == 0
    assert 100 < found.points[0][0] < 540
    assert "one take only" in found.validation
    forbidden = np.isnan(found.error[len(found.angles_deg) // 2])
    assert forbidden[-1]  # at the picture's edge there is no room
    assert found.as_dict()["error"][0][-1] is None


def test_few_passages_propose_no_line() -> None:
    found = search([Counted(walk(615), PASSAGES[:20])])
    assert (found.pick, found.points, found.as_dict()["few"]) == (None, (), 30)
    assert not np.isnan(found.error).all()  # what they say is shown all the same


def test_two_takes_check_one_another() -> None:
    found = search([Counted(walk(615), PASSAGES), Counted(walk(615, 1), PASSAGES)])
    assert found.validation == "picked without it, each take is wrong by 0.0 %, 0.0 %"
    assert found.passages == 64


def test_intervals_do_where_there_is_no_tally() -> None:
    whole = (HandCount(0, 160, 16, 0), HandCount(160, 340, 16, 0))
    found = search([Counted(walk(615), (), whole)])
    assert found.now == pytest.approx(0.5)
    assert found.pick is not None
    assert found.error[found.pick] == pytest.approx(0, abs=0.11)  # one may pass in the interval before


def test_without_counts_there_is_nothing_to_search_by() -> None:
    with pytest.raises(Refused, match="a tally"):
        search([Counted(walk(300))])


def test_a_moved_line_is_cut_off_at_the_edges() -> None:
    assert moved_line(line(320), 0, 0, FRAME) == line(320)
    moved = moved_line(line(320), 100, 0, FRAME)  # towards B, which is on the right
    assert moved is not None
    assert moved.points == ((420, 400), (420, 80))
    long = ObjectRegion(name="line", shape="line", points=((320, 480), (320, 0)))
    turned = moved_line(long, 0, 30, FRAME)
    assert turned is not None
    assert all(0 <= x <= 640 and 0 <= y <= 480 for x, y in turned.points)
    assert moved_line(line(320), 400, 0, FRAME) is None
