"""Tracks in the store: as they came, with their still; counts by hand beside them."""

from __future__ import annotations

import json
from pathlib import Path

import imagecodecs
import numpy as np
import pytest

from lantern.core.faults import Refused
from lantern.core.site import Device, Place, Site
from lantern.core.tracks import make_tracks
from lantern.db.base import transaction
from lantern.signals.tracks.packing import pack_tracks, unpack_tracks
from lantern.sites.actions import add_site
from lantern.takes.actions import import_path
from lantern.takes.store import value_of_take
from lantern.takes.tables import TakeRow

SITE = Site(
    name="Pier",
    places=(
        Place(
            name="Gangway",
            devices=(Device(code="C1", name="Counter", kind="counter", ability={"width": 64, "height": 48}),),
        ),
    ),
)
ROWS = ["1,1,10,10,8,8,0.9,1,1", "2,1,14,10,8,8,0.9,1,1", "4,1,22,10,8,8,0.8,1,1", "2,2,40,20,6,6,0.5,2,1"]


def take_of_tracks(folder: Path, **changes: object) -> Path:
    folder.mkdir(exist_ok=True)
    info = {
        "format": "lantern-take/1", "name": "Boarding", "kind": "tracks", "device": "C1", "start": "2026-03-07T06:20:00+01:00",
        "data": "tracks.csv", "fps": 10, "width": 64, "height": 48, "classes": {"1": "person", "2": "trolley"}, "still": "still.png",
    }  # fmt: skip
    (folder / "take.json").write_text(json.dumps(info | changes))
    (folder / "tracks.csv").write_text("\n".join(ROWS) + "\n")
    (folder / "still.png").write_bytes(imagecodecs.png_encode(np.full((48, 64, 3), 200, np.uint8)))
    return folder


def test_packed_and_unpacked_are_the_same() -> None:
    rng = np.random.default_rng(1)
    n = 500
    held = make_tracks(
        np.arange(n) / 10, np.repeat([f"a{i}" for i in range(5)], 100).tolist(), rng.uniform(0, 50, (n, 4)),
        confidence=rng.random(n), labels=rng.choice(["person", ""], n).tolist(), last_s=60.0, frame_px=(64, 48), fps=10.0,
    )  # fmt: skip
    back = unpack_tracks(pack_tracks(held))
    for name in ("t_s", "object", "box", "confidence", "label"):
        assert np.array_equal(getattr(held, name), getattr(back, name))
    assert (back.ids, back.classes, back.last_s, back.frame_px, back.fps) == (
        held.ids,
        held.classes,
        60.0,
        (64, 48),
        10.0,
    )
    assert back.height_m is None
    plan = make_tracks(np.arange(2.0), np.arange(2), np.zeros((2, 4)), on_plan=True, height_m=np.array([np.nan, 1.5]))
    again = unpack_tracks(pack_tracks(plan))
    assert (again.on_plan, again.frame_px, again.fps, again.ids) == (True, None, None, (0, 1))
    assert again.height_m is not None
    assert again.height_m.tolist()[1] == 1.5


def test_an_import_keeps_tracks_still_and_figures(database: str, tmp_path: Path) -> None:
    with transaction() as session:
        site = add_site(session, SITE).id
    take_id = import_path(take_of_tracks(tmp_path / "t"), site_id=site)
    with transaction() as session:
        row = session.get_one(TakeRow, take_id)
        assert (row.signal, row.samples, row.width, row.height, row.still_type) == ("tracks", 4, 64, 48, "image/png")
        assert row.facts["holds"] == [[4, "boxes"], [2, "objects"]]
        assert row.length_s == pytest.approx(0.3)
        assert row.interval_s == pytest.approx(0.1)
        assert row.still is not None
        held = value_of_take(session, row)
        assert held.ids == (1, 2)
        assert held.classes == ("person", "trolley")
        assert held.t_s.tolist() == [0.0, 0.1, 0.3, 0.1]


@pytest.mark.parametrize(
    ("changes", "what"),
    [
        ({"width": 640}, "640 x 48 pixels"),
        ({"still": "tracks.csv"}, "a PNG or JPEG file"),
        ({"still": "gone.png"}, "is not there"),
        ({"still": "../take.json"}, "leaves the take's folder"),
    ],
)
def test_what_does_not_fit_is_refused_whole(
    database: str, tmp_path: Path, changes: dict[str, object], what: str
) -> None:
    with transaction() as session:
        site = add_site(session, SITE).id
    with pytest.raises(Refused, match=what):
        import_path(take_of_tracks(tmp_path / "t", **changes), site_id=site)
    with transaction() as session:
        assert session.query(TakeRow).count() == 0
