"""Takes from files that other libraries wrote, and every kind of bad one refused with place, fault and remedy."""

from __future__ import annotations

import json
import zipfile
from pathlib import Path

import numpy as np
import pytest
import tifffile
from PIL import Image

from builders import subject_of
from lantern.core.events import Detector
from lantern.core.faults import Refused
from lantern.formats.limits import Limits
from lantern.signals.takes import open_take
from takes_on_disk import DETECTOR, INFO, csv_folder, pictures, raw, tiff_take, zipped

EXPECTED = [
    (6.0, 7.5),
    (13.5, 15.0),
]  # hot from frame 10 (5 s) and 25 (12.5 s), five frames at 2 a second, sustained for 1 s


def events(path: Path) -> list[tuple[float, float | None]]:
    with open_take(path) as take:
        return [(e.raised_s, e.cleared_s) for e in subject_of(Detector.model_validate(DETECTOR), take.value).events()]


def refusals(path: Path, limits: Limits = Limits()) -> list[str]:
    with pytest.raises(Refused) as caught, open_take(path, limits) as take:
        if take.signal.framed:
            for _ in take.value.blocks():
                pass
    return [str(fault) for fault in caught.value.faults]


def test_tifffile_uint16(tmp_path: Path) -> None:
    assert events(tiff_take(tmp_path, raw(pictures()))) == EXPECTED


def test_tifffile_float32_and_compressed(tmp_path: Path) -> None:
    assert events(tiff_take(tmp_path, pictures().astype(np.float32))) == EXPECTED
    for number, compression in enumerate(("zlib", "lzw", "zstd")):
        path = tiff_take(tmp_path, raw(pictures()), f"c{number}.tif")
        tifffile.imwrite(path, raw(pictures()), compression=compression, photometric="minisblack")
        assert events(path) == EXPECTED


def test_pillow_uint16_and_float32(tmp_path: Path) -> None:
    for number, data in enumerate((raw(pictures()), pictures().astype(np.float32))):
        path = tiff_take(tmp_path, data[:1], f"p{number}.tif")
        pages = [Image.fromarray(page) for page in data]
        pages[0].save(path, save_all=True, append_images=pages[1:], compression="tiff_lzw" if number == 0 else None)
        assert events(path) == EXPECTED


def test_scale_and_offset_are_the_takes(tmp_path: Path) -> None:
    counts = np.round((pictures() + 40) / 0.5).astype(np.uint16)
    assert events(tiff_take(tmp_path, counts, scale=0.5, offset=-40)) == EXPECTED


def test_csv_matrices_in_a_folder_and_in_a_zip(tmp_path: Path) -> None:
    folder = tmp_path / "take"
    csv_folder(folder / "frames", pictures())
    (folder / "take.json").write_text(json.dumps(INFO | {"data": "frames"}))
    assert events(folder) == EXPECTED
    assert events(zipped(folder, tmp_path / "take.zip")) == EXPECTED
    inner = zipped(folder / "frames", tmp_path / "f.zip")
    inner.with_name("f.zip.json").write_text(json.dumps(INFO))
    assert events(inner) == EXPECTED


def test_a_zip_of_a_folder_may_keep_the_folders_name(tmp_path: Path) -> None:
    tiff_take(tmp_path, raw(pictures()))
    with zipfile.ZipFile(tmp_path / "t.zip", "w") as archive:
        archive.write(tmp_path / "a.tif", "shift/a.tif")
        archive.writestr("shift/take.json", json.dumps(INFO | {"data": "a.tif"}))
    assert events(tmp_path / "t.zip") == EXPECTED


def test_times_of_their_own(tmp_path: Path) -> None:
    (tmp_path / "t.csv").write_text("t_s\n" + "\n".join(f"{i * 0.5 + (7 if i > 30 else 0)}" for i in range(40)))
    path = tiff_take(tmp_path, raw(pictures()), fps=None, times="t.csv")
    assert events(path) == EXPECTED
    (tmp_path / "t.csv").write_text("t_s\n0\n1\n")
    assert refusals(path) == ["t.csv: 2 times; expected 40, one for each frame"]
    (tmp_path / "t.csv").write_text("t_s\n" + "\n".join(str(t) for t in [0, 1, 1, 0.5, *range(2, 38)]))
    assert [f.split(":")[0] for f in refusals(path)] == ["t.csv, line 4, t_s", "t.csv, line 5, t_s"]


def test_series(tmp_path: Path) -> None:
    path = tmp_path / "s.csv"
    path.write_text("t_s,left,right\n0,20,20\n1,60,20\n2,60,20\n3,20,20\n")
    path.with_name("s.csv.json").write_text(
        json.dumps({k: v for k, v in (INFO | {"kind": "series"}).items() if k != "fps"})
    )
    with open_take(path) as take:
        regions = [{"name": "left", "shape": "spot", "points": [[0, 0]]}]
        detector = Detector.model_validate(DETECTOR | {"regions": regions})
        assert [e.raised_s for e in subject_of(detector, take.value).events()] == [2.0]


@pytest.mark.parametrize(
    ("change", "expected"),
    [
        ({"format": "lantern-take/2"}, "format"),
        ({"start": "2026-03-04T05:12:00"}, "no offset"),
        ({"fps": 0}, "fps"),
        ({"fps": None}, "either fps or times"),
        ({"device": None}, "device: is missing"),
        ({"emissivity_set": 1.2}, "emissivity_set"),
        ({"colour": "red"}, "not a known key"),
        ({"scale": -1}, "scale"),
        ({"kind": "smells"}, "kind"),
    ],
)
def test_bad_sidecars(tmp_path: Path, change: dict, expected: str) -> None:
    assert any(expected in fault for fault in refusals(tiff_take(tmp_path, raw(pictures()), **change)))


def test_all_faults_of_a_sidecar_are_told_together(tmp_path: Path) -> None:
    assert len(refusals(tiff_take(tmp_path, raw(pictures()), fps=-1, scale=0, humidity_percent=101))) == 3


def test_missing_things(tmp_path: Path) -> None:
    assert "does not exist" in refusals(tmp_path / "none.tif")[0]
    (tmp_path / "b.tif").write_bytes(b"II*\0")
    assert "b.tif.json beside it" in refusals(tmp_path / "b.tif")[0]
    (tmp_path / "take.json").write_text(json.dumps(INFO | {"data": "../b.tif"}))
    assert "leaves the take's folder" in refusals(tmp_path)[0]


@pytest.mark.parametrize("name", ["not-json", "list"])
def test_what_is_no_json_object(tmp_path: Path, name: str) -> None:
    path = tiff_take(tmp_path, raw(pictures()))
    path.with_name("a.tif.json").write_text("{" if name == "not-json" else "[]")
    assert "JSON" in refusals(path)[0]


def test_every_page_that_is_wrong_is_told(tmp_path: Path) -> None:
    path = tiff_take(tmp_path, raw(pictures()))
    with tifffile.TiffWriter(path) as tif:
        for page in (raw(pictures(1))[0], np.zeros((6, 9), np.uint16), raw(pictures(1))[0], np.zeros((6, 8), np.uint8)):
            tif.write(page, photometric="minisblack")
    assert refusals(path) == [
        "a.tif, page 2: 9 x 6 pixels; expected 8 x 6 as page 1",
        "a.tif, page 4: pixels of type uint8; expected uint16 as page 1",
    ]


def test_nan_is_refused_with_page_and_pixel(tmp_path: Path) -> None:
    data = pictures().astype(np.float32)
    data[3, 1, 2] = np.nan
    data[39, 0, 0] = np.inf
    assert refusals(tiff_take(tmp_path, data)) == [
        "a.tif, page 4: pixel (2, 1) is nan; expected finite values",
        "a.tif, page 40: pixel (0, 0) is inf; expected finite values",
    ]


def test_colour_truncated_and_no_tiff(tmp_path: Path) -> None:
    path = tiff_take(tmp_path, raw(pictures()))
    tifffile.imwrite(path, np.zeros((6, 8, 3), np.uint16), photometric="rgb")
    assert "one grey picture a page" in refusals(path)[0]
    tiff_take(tmp_path, raw(pictures()))
    whole = path.read_bytes()
    path.write_bytes(whole[: len(whole) // 2])
    assert refusals(path)
    path.write_bytes(b"hello")
    assert "not a readable TIFF" in refusals(path)[0]


def test_bad_matrices_name_file_line_and_column(tmp_path: Path) -> None:
    folder = csv_folder(tmp_path / "m", pictures(4))
    (folder / "00001.csv").write_text("1,2\n3,4\n")
    (folder / "00002.csv").write_text((folder / "00003.csv").read_text().replace("20.00", "20,oops", 1))
    take = tmp_path / "take"
    take.mkdir()
    folder.rename(take / "m")
    (take / "take.json").write_text(json.dumps(INFO | {"data": "m"}))
    faults = refusals(take)
    assert faults[0] == "m/00001.csv: 2 x 2 values; expected 8 x 6 as in 00000.csv"
    assert faults[1] == "m/00002.csv, line 1, column 2: 'oops'; expected a number"
    assert "rows of 8 to 9 values" in faults[2]


def test_decimal_commas_are_an_error_not_a_guess(tmp_path: Path) -> None:
    path = tmp_path / "s.csv"
    path.write_text('t_s,x\n0,"20,5"\n')
    path.with_name("s.csv.json").write_text(
        json.dumps({k: v for k, v in (INFO | {"kind": "series"}).items() if k != "fps"})
    )
    assert refusals(path) == ["s.csv, line 2, x: '20,5'; expected a number with a decimal point, not a comma"]


def test_bombs_are_refused_before_they_unpack(tmp_path: Path) -> None:
    with zipfile.ZipFile(tmp_path / "z.zip", "w", zipfile.ZIP_DEFLATED) as archive:
        archive.writestr("take.json", json.dumps(INFO | {"data": "a.tif"}))
        archive.writestr("a.tif", b"\0" * 4_000_000)
    assert "times its size; expected at most 200 times" in refusals(tmp_path / "z.zip", Limits(free_bytes=1_000_000))[0]
    assert "at most 0.000931" in refusals(tmp_path / "z.zip", Limits(unpacked_bytes=1_000_000))[0]
    path = tiff_take(tmp_path, raw(pictures()))
    assert "unpacks to" in refusals(path, Limits(unpacked_bytes=1000))[0]


def test_a_zip_may_not_write_outside(tmp_path: Path) -> None:
    with zipfile.ZipFile(tmp_path / "z.zip", "w") as archive:
        archive.writestr("../evil.txt", "x")
        archive.writestr("take.json", json.dumps(INFO))
    assert "leaves the archive" in refusals(tmp_path / "z.zip")[0]
    assert not (tmp_path.parent / "evil.txt").exists()


def test_no_more_than_fifty_faults(tmp_path: Path) -> None:
    data = np.full((80, 6, 8), np.nan, np.float32)
    assert len(refusals(tiff_take(tmp_path, data))) == 50
