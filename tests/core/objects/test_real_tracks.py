"""Real pedestrians against an independent counter.

Tracks: TUD-Campus and TUD-Stadtmitte, hand-made truth and a real tracker's output, as shipped in the package motmetrics
(annotations CC BY-NC-SA: read from the package, not copied). Counter: PedPy's `compute_crossing_frames`; zones: shapely.
"""

from __future__ import annotations

import importlib.util
import warnings
from pathlib import Path
from typing import Any

import numpy as np
import pandas as pd
import pytest
import shapely

from builders import subject_of
from lantern.core.events import Detector
from lantern.core.objects.region import ObjectRegion
from lantern.core.objects.subject import TrackSubject
from lantern.core.tracks import Tracks
from lantern.signals.tracks.mot import read_mot

FPS = 25.0
SIZE = (640, 480)
FILES = [(folder, name) for folder in ("TUD-Campus", "TUD-Stadtmitte") for name in ("gt", "test")]
LINES = [((320, 0), (320, 480)), ((200, 480), (430, 0)), ((0, 300), (640, 260)), ((470, 100), (450, 400))]


def folder_of(package: str) -> Path:
    """Where a package lies, without importing it."""
    found = importlib.util.find_spec(package)
    assert found is not None
    assert found.submodule_search_locations
    return Path(found.submodule_search_locations[0])


def real(folder: str, name: str) -> Tracks:
    path = folder_of("motmetrics") / "data" / folder / f"{name}.txt"
    return read_mot(path.read_bytes(), where=path.name, fps=FPS, frame_px=SIZE)


def held(kind: str, tracks: Tracks, region: ObjectRegion, **dials: Any) -> TrackSubject:
    plain = {"rearm_s": 0.0, "gap_s": 1000.0} | ({} if kind == "zone" else {"band": 0.0})
    return subject_of(Detector(name="d", kind=kind, regions=(region,), dials=plain | dials), tracks)


@pytest.mark.parametrize(("folder", "name"), FILES)
@pytest.mark.parametrize("line", LINES, ids=["upright", "oblique", "across", "short"])
def test_crossings_equal_pedpy_frame_by_frame(folder: str, name: str, line: Any) -> None:
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # what the reference warns of is not ours
        import pedpy
        from pedpy.methods.method_utils import compute_crossing_frames
    tracks = real(folder, name)
    x, y = tracks.anchors("foot").T
    ids = np.array(tracks.ids)[tracks.object]
    frame = np.round(tracks.t_s * FPS).astype(int)
    table = pd.DataFrame({"id": ids, "frame": frame, "x": x, "y": y})
    whole = table.groupby("id")["frame"].agg(lambda f: len(f) == f.max() - f.min() + 1)
    table = table[table["id"].isin(whole[whole].index)]  # the reference steps from frame to frame only
    trajectory = pedpy.TrajectoryData(data=table, frame_rate=FPS)
    with warnings.catch_warnings():
        warnings.simplefilter("ignore")
        expected = compute_crossing_frames(traj_data=trajectory, measurement_line=pedpy.MeasurementLine(line))
    wanted = sorted((int(i), int(f)) for i, f in zip(expected["id"], expected["frame"], strict=True))
    events = held("crossing", tracks, ObjectRegion(name="l", shape="line", points=line)).events()
    kept = set(table["id"])
    found = sorted((int(e.object), round(e.raised_s * FPS)) for e in events if e.object in kept)
    assert found == wanted


@pytest.mark.parametrize(("folder", "name"), FILES)
def test_zones_equal_shapely_sample_by_sample(folder: str, name: str) -> None:
    tracks = real(folder, name)
    points = ((150, 200), (420, 180), (500, 330), (260, 420), (120, 330))
    zone = shapely.Polygon(points)
    inside = [zone.intersects(shapely.Point(p)) for p in tracks.anchors("foot").tolist()]
    first = np.concatenate(([True], np.diff(tracks.object) != 0))
    entered = [i for i in range(1, len(tracks)) if inside[i] and not inside[i - 1] and not first[i]]
    events = held("zone", tracks, ObjectRegion(name="z", shape="polygon", points=points), when="enter").events()
    assert sorted((e.object, e.raised_s) for e in events) == sorted(
        (tracks.ids[tracks.object[i]], float(tracks.t_s[i])) for i in entered
    )


def test_two_short_takes_counted_by_hand() -> None:
    """Counted by hand from the two truth files: for each person the foot point (left + width / 2) of the first and of the last
    frame was written down, and whoever began on one side of x = 320 and ended on the other was counted, once, that way.

    TUD-Campus (71 frames, 8 people), first to last x: 3 went 104 to 624, 4 went 223 to 593, 5 went 162 to 480, 7 went 10 to 389: four
    to the right. 2 went 328 to 10: one to the left. 1, 6 and 8 stayed on their side.
    TUD-Stadtmitte (179 frames, 10 people): 2 went 219 to 630, the only one to the right; 7 went 607 to 282, the only one to the left.
    """
    hand = {"TUD-Campus": (4, 1), "TUD-Stadtmitte": (1, 1)}
    for folder, (right, left) in hand.items():
        line = ObjectRegion(name="l", shape="line", points=((320, 480), (320, 0)))  # upwards: A on the left
        events = held("count", real(folder, "gt"), line, band=3.0).events()
        ways = [e.direction for e in events]
        assert (ways.count("in"), ways.count("out")) == (right, left), folder
