"""A take goes out as files and comes in again, equal sample by sample, with its marks; the command line judges it alike."""

from __future__ import annotations

import importlib
from dataclasses import fields
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np
import pytest

from examples import Example
from lantern.core.families import FAMILIES
from lantern.core.signals import Frames
from lantern.core.tracks import Tracks, make_tracks
from lantern.db.base import transaction
from lantern.signals.register import SIGNALS, signal_of
from lantern.signals.signal import Stored
from lantern.signals.takes import open_take, read_info
from lantern.takes.actions import import_path
from lantern.takes.export import export_take
from lantern.takes.tables import TakeRow, marks_of
from seeded import Small

START = datetime(2026, 3, 4, 5, 12, tzinfo=UTC)
EXAMPLES: list[Example] = [
    each for name in FAMILIES for each in importlib.import_module(f"core.{name}.examples").examples()
]
BY_SIGNAL = {one.signal: one for one in EXAMPLES}


def written(signal_name: str, value: Any, folder: Path, **info: Any) -> Any:
    """What comes in again of what went out."""
    document = {"format": "lantern-take/1", "name": "T", "device": "D1", "kind": signal_name} | info
    told = read_info(document | {"start": START.isoformat(), "fps": 1 if signal_name == "heat" else None}, where="t")
    done = signal_of(signal_name).write(told, value, folder)
    (folder / "take.json").write_text(done.model_dump_json(exclude_none=True))
    with open_take(folder) as take:
        return take.value if signal_name != "heat" else (take.value, np.concatenate(list(take.value.blocks())))


def same(a: Any, b: Any) -> None:
    for field in fields(a):
        if field.name.startswith("_") or field.name in ("blocks", "keep", "fps", "last_s", "start"):
            continue
        one, other = getattr(a, field.name), getattr(b, field.name)
        if isinstance(one, np.ndarray):
            near = 1e-9 if field.name == "box" else 0.0  # px: there and back through normalised coordinates
            assert np.allclose(one, other, rtol=0, atol=near, equal_nan=True), field.name
        else:
            assert one == other, field.name


@pytest.mark.parametrize("name", sorted(BY_SIGNAL))
def test_every_signal_comes_back_from_its_files(name: str, tmp_path: Path) -> None:
    value = BY_SIGNAL[name].value
    if name == "heat":
        again, pixels = written(name, value, tmp_path)
        assert np.array_equal(pixels, np.concatenate(list(value.blocks())))
        assert np.array_equal(again.t_s, value.t_s)
        assert (again.scale, again.offset_c, again.recorded) == (value.scale, value.offset_c, value.recorded)
        return
    again = written(name, value, tmp_path)
    if name == "series":
        assert [(s.name, s.unit) for s in again.values()] == [(s.name, s.unit) for s in value.values()]
        assert all(np.array_equal(again[k].t_s, value[k].t_s) and np.array_equal(again[k].x, value[k].x) for k in value)
    else:
        same(value, again)


def test_doubles_and_uneven_frames_come_back(tmp_path: Path) -> None:
    rng = np.random.default_rng(3)
    pixels = rng.normal(30, 5, (5, 4, 6))
    t_s = np.cumsum(rng.uniform(0.1, 0.2, 5))
    frames = Frames(t_s, 6, 4, 1.0, 0.0, lambda: iter([pixels]), dtype="float64")
    (tmp_path / "a").mkdir()
    again, read = written("heat", frames, tmp_path / "a")
    assert np.array_equal(read, pixels)
    assert np.array_equal(again.t_s, t_s)
    at = np.round(np.cumsum(rng.uniform(0.05, 0.15, 40)), 6)
    box = np.column_stack((rng.uniform(0, 300, (40, 2)), rng.uniform(5, 60, (40, 2))))
    uneven = make_tracks(
        at, [f"o{i % 3}" for i in range(40)], box, confidence=rng.uniform(0, 1, 40),
        labels=["person" if i % 2 else "" for i in range(40)], last_s=float(at[-1]) + 1, frame_px=(640, 480),
        height_m=np.where(np.arange(40) % 4, 1.7, np.nan),
    )  # fmt: skip
    (tmp_path / "b").mkdir()
    back: Tracks = written("tracks", uneven, tmp_path / "b", width=640, height=480)
    assert np.array_equal(back.t_s, uneven.t_s)
    assert back.last_s == pytest.approx(uneven.last_s, abs=1e-6)
    assert (back.ids, back.classes) == (uneven.ids, uneven.classes)
    assert np.array_equal(back.label, uneven.label)
    assert np.array_equal(back.confidence, uneven.confidence)
    assert np.abs(back.box - uneven.box).max() < 1e-9  # px: there and back through normalised coordinates
    assert back.height_m is not None
    assert uneven.height_m is not None
    assert np.allclose(back.height_m, uneven.height_m, equal_nan=True, atol=1e-12)


@pytest.mark.parametrize("name", [name for name in sorted(BY_SIGNAL) if BY_SIGNAL[name].samples and name != "series"])
def test_pieces_of_what_came_live_are_the_take(name: str) -> None:
    """Each kind raises on the joined pieces as it does on the example's own take, for the samples are the same."""
    from lantern.core.kinds import judge

    signal = SIGNALS[name]
    for one in (each for each in EXAMPLES if each.signal == name):
        known = {"frame_px": getattr(one.value, "frame_px", None), "start": getattr(one.value, "start", START)}
        timed = [(sample.t - one.samples[0].t, sample.value) for sample in one.samples]
        pieces = []
        for first in range(0, len(timed), 7):
            piece = signal.piece(timed[first : first + 7], known)
            packed = [(count, pack()) for count, pack in signal.pack(piece)]
            facts = signal.facts(read_info(_described(name, known), where="t"), piece)
            stored = Stored(facts, signal.t_s(piece), signal.samples(piece), lambda packed=packed: iter(packed))
            pieces.append(signal.unpack(stored))
        whole = signal.joined(pieces, np.array([t for t, _ in timed]))
        shift = one.samples[0].t
        told = [(round(e.raised_s + shift, 6), e.region) for e in judge(one.detector, name, whole).events()]
        assert told == [(round(e.raised_s, 6), e.region) for e in judge(one.detector, name, one.value).events()]


def _described(name: str, known: dict[str, Any]) -> dict[str, Any]:
    size = known["frame_px"] or (10, 10)
    document = {"format": "lantern-take/1", "name": "T", "device": "D1", "kind": name, "start": START.isoformat()}
    return document | ({"fps": 1} if name == "heat" else {"width": size[0], "height": size[1]})


def test_out_of_the_store_and_in_again(small: Small, tmp_path: Path) -> None:
    with transaction() as session:
        row = session.get_one(TakeRow, small.take)
        before = [mark.as_mark() for mark in marks_of(session, row.id)]
        assert before
        export_take(session, row, tmp_path / "out.zip")
        was = (row.name, row.signal, row.start, row.samples, row.length_s, row.facts, row.times)
    again = import_path(tmp_path / "out.zip", site_id=small.site)
    with transaction() as session:
        row = session.get_one(TakeRow, again)
        assert (row.name, row.signal, row.start, row.samples, row.length_s, row.facts, row.times) == was
        assert [mark.as_mark() for mark in marks_of(session, row.id)] == before
