"""Takes in and out of the store: pixel by pixel the same, and all of it or nothing."""

from __future__ import annotations

from datetime import timedelta
from pathlib import Path

import numpy as np
import pytest
from hypothesis import given, settings
from hypothesis import strategies as st
from sqlalchemy import func, select

from lantern.core.faults import Refused
from lantern.core.scoring.marks import Mark
from lantern.db.base import transaction
from lantern.formats.packing import pack, unpack
from lantern.settings import settings as app_settings
from lantern.takes import actions, marking
from lantern.takes.store import frame_of_take, value_of_take
from lantern.takes.tables import FrameBlockRow, ImportRow, TakeRow, UploadPartRow, marks_of
from lantern.tune.actions import add_detector
from lantern.tune.tables import DetectorRow
from seeded import Small, small_site
from takes_on_disk import pictures, raw, tiff_take


@settings(deadline=None, max_examples=40)
@given(st.sampled_from(["uint16", "float32", "float64"]), st.integers(1, 20), st.integers(0, 2**32 - 1))
def test_codec_is_lossless(dtype: str, count: int, seed: int) -> None:
    block = np.random.default_rng(seed).integers(0, 65_536, (count, 5, 7)).astype(dtype)
    if dtype != "uint16":
        block /= 7
    got = unpack(pack(block), count=count, height=5, width=7, dtype=dtype)
    assert got.dtype == block.dtype
    assert (got == block).all()


def counts() -> tuple[int, int]:
    with transaction() as session:
        return tuple(session.scalar(select(func.count()).select_from(t)) for t in (TakeRow, FrameBlockRow))  # type: ignore[return-value]


@pytest.mark.usefixtures("database")
@pytest.mark.parametrize("dtype", ["uint16", "float32"])
def test_frames_come_back_as_they_went_in(tmp_path: Path, dtype: str) -> None:
    small = small_site(tmp_path)
    data = raw(pictures(100)) if dtype == "uint16" else pictures(100).astype(np.float32)
    take_id = actions.import_path(tiff_take(tmp_path, data, "b.tif", emissivity_set=0.9), site_id=small.site)
    with transaction() as session:
        take = session.get_one(TakeRow, take_id)
        frames = value_of_take(session, take)
        assert (np.concatenate(list(frames.blocks())) == data).all()
        assert frames.recorded.emissivity_set == 0.9
        assert frames.t_s.tolist() == [i / 2 for i in range(100)]
        assert (frame_of_take(session, take, 99) == data[99]).all()


@pytest.mark.usefixtures("database")
def test_a_fault_in_the_last_page_stores_nothing(tmp_path: Path) -> None:
    small = small_site(tmp_path)
    before = counts()
    data = pictures(200).astype(np.float32)
    data[199, 0, 0] = np.nan
    with pytest.raises(Refused, match="page 200"):
        actions.import_path(tiff_take(tmp_path, data, "b.tif"), site_id=small.site)
    assert counts() == before


@pytest.mark.usefixtures("database")
def test_pictures_of_another_size_than_the_cameras_are_refused(tmp_path: Path) -> None:
    small = small_site(tmp_path)
    with pytest.raises(Refused, match="8 x 6, as device T1 gives them"):
        actions.import_path(tiff_take(tmp_path, np.zeros((3, 5, 5), np.uint16), "b.tif"), site_id=small.site)


def upload(site: int, folder: Path, names: list[str]) -> int:
    with transaction() as session:
        row = actions.begin_import(session, site_id=site, name=names[0])
        for name in names:
            data = (folder / name).read_bytes()
            for part, at in enumerate(range(0, len(data), 1000)):
                actions.add_part(session, row, file=name, part=part, data=data[at : at + 1000])
        actions.finish_upload(row)
        return row.id


def result(import_id: int) -> tuple[str, list, int | None, int]:
    with transaction() as session:
        row = session.get_one(ImportRow, import_id)
        parts = session.scalar(select(func.count()).where(UploadPartRow.import_id == import_id))
        return row.state, row.faults, row.take_id, parts or 0


def emptied(folder: Path) -> Path:
    """A folder to work in."""
    made = folder / "work"
    made.mkdir()
    return made


@pytest.mark.usefixtures("database")
def test_an_upload_in_parts_becomes_a_take(tmp_path: Path) -> None:
    small = small_site(tmp_path)
    tiff_take(tmp_path, raw(pictures(70)), "b.tif")
    import_id = upload(small.site, tmp_path, ["b.tif", "b.tif.json"])
    actions.run_import(import_id, emptied(tmp_path))
    state, faults, take_id, parts = result(import_id)
    assert (state, faults, parts) == ("done", [], 0)
    with transaction() as session:
        assert session.get_one(TakeRow, take_id).samples == 70


@pytest.mark.usefixtures("database")
def test_a_refused_upload_keeps_its_faults_and_nothing_else(tmp_path: Path) -> None:
    small = small_site(tmp_path)
    before = counts()
    tiff_take(tmp_path, raw(pictures(5)), "b.tif", fps=-1, device="T9")
    import_id = upload(small.site, tmp_path, ["b.tif", "b.tif.json"])
    actions.run_import(import_id, emptied(tmp_path))
    state, faults, take_id, parts = result(import_id)
    assert (state, take_id, parts) == ("refused", None, 0)
    assert faults[0]["where"] == "b.tif.json: fps"
    assert counts() == before


@pytest.mark.usefixtures("database")
def test_a_cancelled_or_abandoned_upload_leaves_nothing(tmp_path: Path) -> None:
    small = small_site(tmp_path)
    tiff_take(tmp_path, raw(pictures(40)), "b.tif")
    cancelled, abandoned, waiting = (upload(small.site, tmp_path, ["b.tif", "b.tif.json"]) for _ in range(3))
    with transaction() as session:
        session.get_one(ImportRow, cancelled).ask_to_end()
        row = session.get_one(ImportRow, abandoned)
        row.state, row.created = "uploading", row.created - timedelta(days=2)
    assert actions.drop_abandoned_uploads() == 1
    assert [(result(each)[0], result(each)[3] > 0) for each in (cancelled, abandoned, waiting)] == [
        ("cancelled", False),
        ("cancelled", False),
        ("waiting", True),
    ]


@pytest.mark.usefixtures("database")
def test_uploads_are_bounded_and_their_names_plain(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    small = small_site(tmp_path)
    with transaction() as session:
        row = actions.begin_import(session, site_id=small.site, name="x")
        for name in ("../x", "/etc/x", "a\\b", ""):
            with pytest.raises(Refused, match="file name"):
                actions.add_part(session, row, file=name, part=0, data=b"x")
        monkeypatch.setattr(app_settings(), "upload_bytes", 10)
        with pytest.raises(Refused, match="too large"):
            actions.add_part(session, row, file="x", part=0, data=b"x" * 11)


@pytest.mark.usefixtures("database")
def test_a_series_is_stored_and_read(tmp_path: Path) -> None:
    import json

    from takes_on_disk import INFO

    small = small_site(tmp_path)
    path = tmp_path / "s.csv"
    path.write_text("t_s,all,other\n0,20,1.25\n1,60,2.5\n2.5,20,3\n")
    path.with_name("s.csv.json").write_text(
        json.dumps({k: v for k, v in (INFO | {"kind": "series", "units": {"all": "°C"}}).items() if k != "fps"})
    )
    take_id = actions.import_path(path, site_id=small.site)
    with transaction() as session:
        columns = value_of_take(session, session.get_one(TakeRow, take_id))
    assert {name: (s.t_s.tolist(), s.x.tolist(), s.unit) for name, s in columns.items()} == {
        "all": ([0, 1, 2.5], [20, 60, 20], "°C"),
        "other": ([0, 1, 2.5], [1.25, 2.5, 3], ""),
    }


@pytest.mark.usefixtures("database")
def test_marks_from_a_file_are_added_once(tmp_path: Path) -> None:
    small = small_site(tmp_path)
    with transaction() as session:
        take = session.get_one(TakeRow, small.take)
        assert marking.import_marks(session, take, [Mark(4, 9, "expect"), Mark(1, 2, "ignore")]) == 1
        assert len(marks_of(session, small.take)) == 3
        with pytest.raises(Refused, match="within the take"):
            marking.import_marks(session, take, [Mark(400, 900, "expect")])


def test_a_mark_of_a_file_waits_for_the_detector_that_it_names(small: Small) -> None:
    with transaction() as session:
        take = session.get_one(TakeRow, small.take)
        marking.add_marks(session, take, [Mark(1, 2, "expect", "later"), Mark(3, 4, "quiet", "hot")])
        rows = {row.start_s: (row.detector, row.detector_id) for row in marks_of(session, take.id)}
        assert (rows[1.0], rows[3.0]) == (("later", None), ("hot", small.detector))
    with transaction() as session:
        model = session.get_one(DetectorRow, small.detector).model.model_copy(update={"name": "later"})
        made = add_detector(session, device_id=small.camera, detector=model, reason="it is here", user_id=None).id
    with transaction() as session:
        [row] = [row for row in marks_of(session, small.take) if row.start_s == 1.0]
        assert (row.detector, row.detector_id, row.named) == ("later", made, "")
        row.of.name = "renamed"  # whoever renames it touches no mark
        session.flush()
        assert row.as_mark().detector == "renamed"
