"""Pictures of faces: what a camera wrote beside them is gone, not a pixel is changed; measured as others measure."""

from __future__ import annotations

import io
from typing import Any

import numpy as np
import pytest
from PIL import Image, PngImagePlugin
from scipy import ndimage

from lantern.core.faults import Refused
from lantern.core.portraits import Measures, cautions, fault_of
from lantern.formats.pictures import picture_type, without_notes
from lantern.formats.portraits import measured, read_portrait

SECRET = b"52.1234N 004.5678E"
GOOD = Measures(200, 240, 300.0, 128.0, 0.0, 0.0)


def scene(width: int = 96, height: int = 128) -> Image.Image:
    rng = np.random.default_rng(2)
    return Image.fromarray(
        ndimage.gaussian_filter(rng.integers(0, 255, (height, width, 3)), (2, 2, 0)).astype(np.uint8)
    )


def as_jpeg(picture: Image.Image, **how: Any) -> bytes:
    out, exif = io.BytesIO(), Image.Exif()
    exif[0x010E] = SECRET.decode()  # ImageDescription
    for key, value in how.pop("exif", {}).items():
        exif[key] = value
    picture.save(out, "JPEG", exif=exif, comment=SECRET, icc_profile=b"profile of " + SECRET, **how)
    return out.getvalue()


def as_png(picture: Image.Image) -> bytes:
    out, info = io.BytesIO(), PngImagePlugin.PngInfo()
    info.add_text("Location", SECRET.decode())
    info.add_itxt("Author", SECRET.decode())
    picture.save(out, "PNG", pnginfo=info, exif=b"Exif\0\0" + SECRET)
    return out.getvalue()


@pytest.mark.parametrize(
    "how", [{}, {"progressive": True}, {"quality": 40, "subsampling": 2}, {"restart_marker_blocks": 2}]
)
def test_a_jpeg_loses_its_notes_and_keeps_its_pixels(how: dict[str, Any]) -> None:
    data = as_jpeg(scene(), **how)
    assert SECRET in data
    plain = without_notes(data)
    assert SECRET not in plain
    before, after = Image.open(io.BytesIO(data)), Image.open(io.BytesIO(plain))
    assert np.array_equal(np.asarray(before), np.asarray(after))
    assert dict(after.getexif()) == {}
    assert without_notes(plain) == plain


def test_a_png_loses_its_notes_and_keeps_its_pixels() -> None:
    data = as_png(scene())
    assert SECRET in data
    plain = without_notes(data)
    assert SECRET not in plain
    assert np.array_equal(np.asarray(Image.open(io.BytesIO(plain))), np.asarray(scene()))


@pytest.mark.parametrize("cut", [3, 20, 200, -30, -2])
@pytest.mark.parametrize("make", [as_jpeg, as_png])
def test_a_picture_that_is_cut_off_is_refused(make: Any, cut: int) -> None:
    with pytest.raises(Refused, match=r"cut off|neither JPEG nor PNG"):
        without_notes(make(scene())[:cut])


@pytest.mark.parametrize("data", [b"", b"GIF89a", b"<svg/>", b"\xff\xd8"])
def test_other_bytes_are_no_picture(data: bytes) -> None:
    with pytest.raises(Refused, match="neither JPEG nor PNG"):
        picture_type(data)


def test_what_hangs_behind_a_picture_is_dropped() -> None:
    for data in (as_jpeg(scene()), as_png(scene())):
        assert SECRET not in without_notes(data + SECRET)


def test_a_picture_that_was_held_sideways_is_turned_before_the_note_of_it_goes() -> None:
    data = as_jpeg(scene(96, 128), quality=95, exif={0x0112: 6})  # Orientation: turn by 90 degrees clockwise, EXIF 2.32
    plain, kind, measures = read_portrait(data)
    assert (kind, measures.width_px, measures.height_px) == ("image/jpeg", 128, 96)
    assert SECRET not in plain
    assert Image.open(io.BytesIO(plain)).size == (128, 96)


def test_focus_and_exposure_are_what_others_measure() -> None:
    grey = np.asarray(scene().convert("L"))
    found = measured(grey)
    # variance of the Laplacian with the kernel 0 1 0, 1 -4 1, 0 1 0, by scipy; borders mirrored without the edge
    laplacian = ndimage.laplace(grey.astype(float), mode="mirror")
    assert found.focus == pytest.approx(laplacian.var(), rel=1e-9)
    assert found.mean == pytest.approx(grey.mean())
    ends = measured(np.array([[0, 4, 5, 250, 251, 255, 128, 128]] * 8, dtype=np.uint8))
    assert (ends.dark, ends.bright) == (0.25, 0.25)


def test_a_blurred_picture_measures_less_focus() -> None:
    sharp = np.asarray(scene(200, 200).convert("L"))
    blurred = ndimage.gaussian_filter(sharp, 4).astype(np.uint8)
    assert measured(blurred).focus < measured(sharp).focus / 4


@pytest.mark.parametrize(
    ("change", "says"),
    [
        ({"width_px": 150}, "Small: 150 px"),
        ({"focus": 12.0}, "Out of focus or blurred: 12"),
        ({"mean": 40.0}, "Dark: 40 of 255"),
        ({"mean": 230.0}, "Bright: 230 of 255"),
        ({"bright": 0.5}, "50 % of it is plain white"),
        ({"dark": 0.4}, "40 % of it is plain black"),
    ],
)
def test_what_makes_matches_worse_is_said_with_its_figure(change: dict[str, float], says: str) -> None:
    assert cautions(GOOD) == []
    [said] = cautions(Measures(**(vars(GOOD) | change)))
    assert said.startswith(says)


def test_too_small_is_no_portrait() -> None:
    assert fault_of(GOOD) is None
    fault = fault_of(Measures(63, 400, 300.0, 128.0, 0.0, 0.0))
    assert fault is not None
    assert "63 x 400" in fault.what
