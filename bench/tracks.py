"""An hour of tracks at 15 frames a second with 30 objects in view: readings and exact sweeps, against plain loops over objects."""

from __future__ import annotations

import resource
import time
from collections.abc import Iterator
from dataclasses import replace

import numpy as np
import shapely

from bench.figures import Figure, seconds, sized
from lantern.core.events import Detector, Region
from lantern.core.kinds import judge
from lantern.core.objects.subject import TrackSubject
from lantern.core.scoring.marks import Mark
from lantern.core.tracks import Tracks, make_tracks

FPS, HOURS, IN_VIEW, LIFE_S = 15, sized(1, 0.02), 30, 20
WIDTH, HEIGHT = 1280, 720
LINE = Region(name="line", shape="line", points=((100, 360), (1180, 380)))
ZONE = Region(name="zone", shape="polygon", points=((400, 200), (900, 220), (880, 500), (420, 520)))
SHARE = 0.1  # of the objects that the plain loop does


def crowd() -> Tracks:
    """Objects that walk across the picture at a man's pace, with jitter; as many as keep 30 in view."""
    rng = np.random.default_rng(4)
    n = int(HOURS * 3600 * IN_VIEW / LIFE_S)
    samples = LIFE_S * FPS
    start = rng.uniform(0, HOURS * 3600 - LIFE_S, n).round(1)
    begin = rng.uniform((0, 0), (WIDTH, HEIGHT), (n, 2))
    end = rng.uniform((0, 0), (WIDTH, HEIGHT), (n, 2))
    share = np.linspace(0, 1, samples)
    foot = begin[:, None, :] + (end - begin)[:, None, :] * share[None, :, None] + rng.normal(0, 1.0, (n, samples, 2))
    t_s = (np.round(start * FPS) / FPS)[:, None] + np.arange(samples)[None, :] / FPS
    box = np.concatenate((foot - (15, 80), np.broadcast_to((30.0, 80.0), foot.shape)), axis=2)
    ids = np.repeat(np.arange(n), samples)
    return make_tracks(t_s.ravel(), ids, box.reshape(-1, 4), frame_px=(WIDTH, HEIGHT), fps=float(FPS))


def held(tracks: Tracks, kind: str, region: Region, **dials: object) -> TrackSubject:
    """On tracks that remember nothing from an earlier look."""
    return judge(Detector(name="d", kind=kind, regions=(region,), dials=dials), "tracks", replace(tracks))


def run() -> Iterator[Figure]:
    tracks = crowd()
    marks = [Mark(t, t + 10, "expect") for t in range(30, int(HOURS * 3600), 60)]
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss
    line = seconds(lambda: held(tracks, "crossing", LINE).events())
    zone = seconds(lambda: held(tracks, "zone", ZONE, when="inside").events())
    yield Figure(f"{len(tracks):,} boxes: crossings of a line", line, "s", 2)
    yield Figure("  stays in a zone", zone, "s", 2)
    band = seconds(lambda: held(tracks, "crossing", LINE).rows_exact("band", marks, 0, 150, whole=True))
    dwell = seconds(lambda: held(tracks, "zone", ZONE, when="inside").rows_exact("dwell_s", marks, 0, 30, whole=True))
    yield Figure("  exact sweep of the band", band, "s", 1)
    yield Figure("  exact sweep of the dwell time", dwell, "s", 1)
    known = held(tracks, "crossing", LINE)
    known.verdicts()
    bands = iter(range(4, 100))
    again = seconds(lambda: known.with_dials(band=float(next(bands))).verdicts())
    yield Figure("  every object's verdict after a step of the band", again, "s", 0.15)
    yield Figure("  memory at most", resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024, "MiB", 600)
    yield Figure("  of which before", before / 1024, "MiB")
    began = time.perf_counter()
    count = _plainly(tracks, int(len(tracks.ids) * SHARE))
    plain = (time.perf_counter() - began) / SHARE
    yield Figure(f"  a plain loop with shapely ({count} crossings in a tenth of it)", plain, "s")
    yield Figure("  crossings, as a share of the plain loop", line / plain, "x")


def _plainly(tracks: Tracks, objects: int) -> int:
    """Steps that cut the line, object by object, step by step."""
    line = shapely.LineString(LINE.points)
    points, spans = tracks.anchors("foot"), tracks.spans
    found = 0
    for i in range(objects):
        path = points[spans[i] : spans[i + 1]]
        found += sum(line.intersects(shapely.LineString(path[k : k + 2])) for k in range(len(path) - 1))
    return found
