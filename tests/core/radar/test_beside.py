"""A camera beside the radar: who both see raises, or who the radar sees alone; on takes as the words say, and live the same."""

from __future__ import annotations

import math
from itertools import permutations

import numpy as np
import pytest

from core.radar.scenes import Row, by_the_words, detector, one_by_one, returns_of, wandering
from lantern.core.company import Around, Company, Meanwhile, Stands
from lantern.core.faults import Refused
from lantern.core.optics.mount import Mount, View
from lantern.core.radar.beside import agree
from lantern.core.radar.family import RADAR
from lantern.core.radar.subject import judge
from lantern.core.radar.watch import RadarWatch
from lantern.core.scoring.marks import Mark
from lantern.core.tracks import Seen, Tracks
from lantern.core.watch import Sample

PIXELS = (1280, 960)
RADAR_MOUNT = {"x_m": 3.0, "y_m": -2.0, "height_m": 2.0, "azimuth_deg": 30.0, "sector_deg": 120.0, "range_m": 60.0}
CAMERA_MOUNT = {
    "x_m": 8.0, "y_m": 6.0, "height_m": 30.0, "azimuth_deg": 0.0, "tilt_deg": 85.0, "focal_mm": 4.0, "sensor_width_mm": 8.0,
}  # fmt: skip
RADAR_STANDS = Stands(RADAR_MOUNT)
CAMERA_STANDS = Stands(CAMERA_MOUNT, PIXELS)
GATE_M, WITHIN_S = 1.5, 0.8


def on_plan(row: Row) -> tuple[float, float]:
    """Azimuths of a radar are clockwise from its axis, and its axis is clockwise from north."""
    bearing = math.radians(RADAR_MOUNT["azimuth_deg"] + row[3])
    return RADAR_MOUNT["x_m"] + row[2] * math.sin(bearing), RADAR_MOUNT["y_m"] + row[2] * math.cos(bearing)


def frames(rows: list[Row], rng: np.random.Generator) -> dict[float, list[tuple[str, tuple[float, float]]]]:
    """What a camera sees: some of what the radar does, a little off and a little later, and things that the radar does not see."""
    out: dict[float, list[tuple[str, tuple[float, float]]]] = {round(0.3 + n * 0.5, 3): [] for n in range(120)}
    for t, seen in out.items():
        now = [row for row in rows if abs(row[0] - t) <= 0.25 and row[1] in (0, 2)]
        for row in now:
            if rng.random() < 0.7:
                x, y = on_plan(row)
                seen.append((f"p{row[1]}", (x + rng.normal(0, 0.6), y + rng.normal(0, 0.6))))
        if rng.random() < 0.2:
            seen.append(("stranger", (rng.uniform(0, 14), rng.uniform(0, 12))))
    return out


def boxes(seen: list[tuple[str, tuple[float, float]]]) -> list[Seen]:
    view = View(Mount(**CAMERA_MOUNT, pixels=PIXELS))
    feet = [(name, view.pixels(np.array([*place, 0.0]))) for name, place in seen]
    return [Seen(name, (float(u) - 10, float(v) - 40, 20.0, 40.0)) for name, (u, v) in feet]


def tracks_of(by_time: dict[float, list[tuple[str, tuple[float, float]]]]) -> Tracks:
    rows = sorted((each.id, t, each.box) for t, seen in by_time.items() for each in boxes(seen))
    ids = tuple(dict.fromkeys(row[0] for row in rows))
    return Tracks(
        t_s=np.array([row[1] for row in rows]),
        object=np.array([ids.index(row[0]) for row in rows], dtype=np.intp),
        box=np.array([row[2] for row in rows], dtype=np.float64).reshape(-1, 4),
        confidence=np.ones(len(rows)),
        label=np.full(len(rows), -1),
        ids=ids,
        last_s=max(by_time),
        frame_px=PIXELS,
    )


def by_trying(own: list[tuple[float, float]], seen: list[tuple[float, float]]) -> list[bool]:
    """Every way to pair them is tried: most pairs, then the least distance in all."""
    best: tuple[int, float, list[bool]] = (0, 0.0, [False] * len(own))
    spare: list[tuple[float, float] | None] = [*seen, *[None] * len(own)]
    for chosen in permutations(spare, len(own)):
        apart = [None if other is None else math.dist(one, other) for one, other in zip(own, chosen, strict=True)]
        if any(each is not None and each > GATE_M for each in apart):
            continue
        held = (-sum(each is not None for each in apart), sum(each or 0.0 for each in apart))
        if held < best[:2]:
            best = (*held, [each is not None for each in apart])
    return best[2]


def passing(rows: list[Row], by_time: dict[float, list[tuple[str, tuple[float, float]]]], wants: str) -> list[Row]:
    out, end = [], max(by_time)
    for t in sorted({row[0] for row in rows}):
        scan = [row for row in rows if row[0] == t]
        last = {name: place for at, seen in by_time.items() if t - WITHIN_S <= at <= t for name, place in seen}
        both = by_trying([on_plan(row) for row in scan], list(last.values()))
        out += [row for row, agreed in zip(scan, both, strict=True) if t > end or agreed == (wants == "both")]
    return out


def held_by(wants: str, **dials: object):
    asked = {"device": "V1", "wants": wants, "gate_m": GATE_M, "within_s": WITHIN_S}
    plain = detector(profile="any", distance_m=0.5, gap_s=1.2, rearm_s=0.5, **dials).model_dump(mode="json")
    return RADAR.typed(type(detector()).model_validate(plain | {"beside": asked}))


def accompanied(rows: list[Row], held, tracks: Tracks | None, *, stands: Stands = CAMERA_STANDS):
    takes = () if tracks is None else (Meanwhile("tracks", tracks, 0.0, tracks.length_s, stands),)
    return RADAR.accompanied(held, returns_of(rows), Company(RADAR_STANDS, {"V1": takes}))


@pytest.mark.parametrize("wants", ["both", "alone"])
@pytest.mark.parametrize("seed", range(3))
def test_who_both_see_raises_or_who_the_radar_sees_alone(wants: str, seed: int) -> None:
    rows = wandering(np.random.default_rng(seed), targets=3)
    by_time = frames(rows, np.random.default_rng(50 + seed))
    held = held_by(wants)
    found = judge(held, RADAR, accompanied(rows, held, tracks_of(by_time))).events()
    plain = RADAR.typed(held.model_copy(update={"beside": None}))
    expected = by_the_words(rows, plain, passing(rows, by_time, wants))
    assert sorted((e.object, e.raised_s) for e in found) == sorted((each[1], each[2]) for each in expected)
    without = sorted((each[1], each[2]) for each in by_the_words(rows, plain))
    assert sorted((e.object, e.raised_s) for e in found) not in ([], without)
    watch = RadarWatch(held, RADAR, {"around": Around(RADAR_STANDS, {"V1": CAMERA_STANDS})})
    told = []
    coming = sorted(
        [(t, 0, boxes(seen)) for t, seen in by_time.items()] + [(t, 1, s) for t, s in one_by_one(returns_of(rows))]
    )
    for t, which, seen in coming:
        if not which:
            assert not list(watch.accompany("V1", t, Sample("tracks", t, seen)))
            continue
        for turn in watch.step(Sample("radar", t, seen), 0.5):
            told += [(turn.object, change.t) for change in turn.changes if change.what == "raise"]
    assert sorted(told) == sorted((str(e.object), e.raised_s) for e in found)


def test_one_of_the_camera_agrees_with_one_of_the_radar() -> None:
    rng = np.random.default_rng(3)
    for _ in range(60):
        own, seen = rng.uniform(0, 4, (rng.integers(0, 4), 2)), rng.uniform(0, 4, (rng.integers(0, 4), 2))
        assert agree(own, seen, GATE_M).tolist() == by_trying([tuple(p) for p in own], [tuple(p) for p in seen])


def test_while_the_camera_is_away_the_radar_raises_by_itself() -> None:
    rows = wandering(np.random.default_rng(1), targets=3)
    held = held_by("both")
    plain = judge(RADAR.typed(held.model_copy(update={"beside": None})), RADAR, returns_of(rows)).events()
    alone = judge(held, RADAR, accompanied(rows, held, None))
    assert [(e.object, e.raised_s) for e in alone.events()] == [(e.object, e.raised_s) for e in plain]
    assert alone.cautions() == ["V1 recorded no objects meanwhile: the radar raises by itself."]
    assert {e.why["beside"] for e in alone.events()} == {"V1 was away: the radar by itself"}
    nowhere = accompanied(rows, held, tracks_of(frames(rows, np.random.default_rng(2))), stands=Stands(None, PIXELS))
    assert judge(held, RADAR, nowhere).cautions() == ["V1 stands nowhere on the plan: the radar raises by itself."]
    watch = RadarWatch(held, RADAR, {"around": Around(RADAR_STANDS, {"V1": CAMERA_STANDS})})
    told = [
        turn.why["beside"]
        for t, seen in one_by_one(returns_of(rows))
        for turn in watch.step(Sample("radar", t, seen), 0.5)
        if turn.changes[0].what == "raise"
    ]
    assert len(told) == len(plain)
    assert watch.standing().also["beside"] == ["V1", "away: the radar by itself"]


def test_why_nothing_raised_says_what_stands_beside() -> None:
    rows = [(n / 2, 7, 20.0 - n / 2, 0.0, -1.0, 0.0) for n in range(30)]
    held = held_by("both")
    silent = tracks_of({0.3: [("far", (40.0, 40.0))], 20.0: []})
    on = judge(held, RADAR, accompanied(rows, held, silent))
    assert not on.events()
    reason = on.why_silent(Mark(0.0, 14.0, "expect"))
    assert reason.code == "beside"
    assert "7 came" in reason.text


def test_a_file_alone_does_not_say_what_the_camera_saw() -> None:
    with pytest.raises(Refused, match="asks what V1 saw"):
        judge(held_by("both"), RADAR, returns_of(wandering(np.random.default_rng(0))))
