"""Membership against shapely and by hand, reductions against scipy.ndimage's labelled statistics."""

from __future__ import annotations

import numpy as np
import pytest
import shapely
from hypothesis import given, settings
from hypothesis import strategies as st
from scipy import ndimage

from lantern.core.faults import Refused
from lantern.core.readings.heat.reductions import Reduction, Wanted, reduce_frames
from lantern.core.readings.heat.regions import pixels_of, rank_of_extent
from lantern.core.readings.region import ReadingRegion
from lantern.core.signals import Frames, frames_of

W, H = 40, 30


def region(shape: str, points: list, **more: object) -> ReadingRegion:
    return ReadingRegion(name="r", shape=shape, points=points, **more)  # type: ignore[arg-type]


def test_a_box_holds_the_pixels_whose_centres_lie_in_or_on_it() -> None:
    # centres at 2.5 and 3.5 only; an edge through centres counts them
    assert pixels_of(region("box", [[2, 1], [4, 2]]), width=W, height=H).tolist() == [1 * W + 2, 1 * W + 3]
    assert pixels_of(region("box", [[2.5, 1.5], [3.5, 1.5]]), width=W, height=H).tolist() == [1 * W + 2, 1 * W + 3]


def test_a_spot_is_one_pixel() -> None:
    assert pixels_of(region("spot", [[7.9, 3.2]]), width=W, height=H).tolist() == [3 * W + 7]
    assert pixels_of(region("spot", [[W, H]]), width=W, height=H).tolist() == [W * H - 1]


@settings(max_examples=60, deadline=None)
@given(st.lists(st.tuples(st.integers(0, W * 2), st.integers(0, H * 2)), min_size=3, max_size=7, unique=True))
def test_polygons_equal_shapely_pixel_by_pixel(corners: list[tuple[int, int]]) -> None:
    hull = shapely.MultiPoint([(x / 2, y / 2) for x, y in corners]).convex_hull
    if hull.geom_type != "Polygon" or hull.area < 2:
        return
    points = list(hull.exterior.coords)[:-1]
    expected = [y * W + x for y in range(H) for x in range(W) if hull.intersects(shapely.Point(x + 0.5, y + 0.5))]
    if not expected:  # a sliver between the centres
        with pytest.raises(Refused, match="no pixel centre"):
            pixels_of(region("polygon", points), width=W, height=H)
        return
    assert pixels_of(region("polygon", points), width=W, height=H).tolist() == expected


@pytest.mark.parametrize(
    ("shape", "points", "word"),
    [
        ("polygon", [[0, 0], [10, 10], [10, 0], [0, 10]], "crosses"),
        ("polygon", [[0, 0], [10, 10]], "at least 3"),
        ("box", [[0, 0], [W + 1, 5]], "outside"),
        ("box", [[1.6, 1.6], [2.4, 2.4]], "no pixel centre"),
        ("line", [[0, 0], [5, 5]], "no pixels"),
        ("spot", [[-1, 0]], "outside"),
    ],
)
def test_bad_shapes_are_refused(shape: str, points: list, word: str) -> None:
    with pytest.raises(Refused, match=word):
        pixels_of(region(shape, points), width=W, height=H)


@pytest.mark.parametrize("dtype", ["uint16", "float32"])
def test_reductions_equal_ndimage_labelled_statistics(dtype: str) -> None:
    rng = np.random.default_rng(7)
    pixels = (rng.integers(20_000, 40_000, (9, H, W))).astype(dtype)
    shapes = [
        region("box", [[2, 3], [11, 9]]),
        region("polygon", [[20, 2], [38, 8], [30, 25]]),
        region("spot", [[5, 20]]),
    ]
    indices = [pixels_of(shape, width=W, height=H) for shape in shapes]
    labels = np.zeros(H * W, dtype=int)
    for label, index in enumerate(indices, 1):
        labels[index] = label
    labels = labels.reshape(H, W)

    def blocks():
        yield from (pixels[:4], pixels[4:5], pixels[5:])

    frames = Frames(np.arange(9.0), W, H, 0.01, -273.15, blocks, dtype=dtype)
    what = (Reduction("max"), Reduction("min"), Reduction("mean"))
    got = reduce_frames(frames, [Wanted(s, i, frames.width, what) for s, i in zip(shapes, indices, strict=True)])
    for t in range(9):
        for label in (1, 2, 3):
            high = ndimage.maximum(pixels[t], labels, label)
            low = ndimage.minimum(pixels[t], labels, label)
            mean = ndimage.mean(pixels[t].astype(np.float64), labels, label)
            assert [column[t] for column in got[label - 1]] == pytest.approx([high, low, mean], rel=1e-12)


def test_ranks_say_the_same_as_counting() -> None:
    rng = np.random.default_rng(2)
    pixels = rng.integers(0, 50, (20, 5, 8)).astype(np.uint16)
    frames = frames_of(pixels, np.arange(20.0), scale=1.0, offset_c=0.0)
    shape = region("box", [[0, 0], [8, 5]])
    index = pixels_of(shape, width=8, height=5)
    for k, level in ((1, 40), (3, 44.5), (40, 2)):
        what = (
            Reduction("hottest", k=k),
            Reduction("count_above", level=level),
            Reduction("coldest", k=k),
            Reduction("count_below", level=level),
        )
        [[hottest, above, coldest, below]] = reduce_frames(frames, [Wanted(shape, index, frames.width, what)])
        assert ((hottest > level) == (above >= k)).all()
        assert ((coldest < level) == (below >= k)).all()


def test_rank_of_extent() -> None:
    assert rank_of_extent(30, "percent", 10) == 3
    assert rank_of_extent(31, "percent", 10) == 4
    assert rank_of_extent(0.5, "px", 10) == 1
    assert rank_of_extent(2.0, "px", 10) == 2


def test_frames_that_do_not_match_their_times_are_an_error() -> None:
    frames = Frames(np.arange(3.0), 2, 2, 1, 0, lambda: iter([np.zeros((2, 2, 2), np.uint16)]))
    shape = region("spot", [[0, 0]])
    with pytest.raises(ValueError, match="2 pages"):
        reduce_frames(frames, [Wanted(shape, pixels_of(shape, width=2, height=2), 2, (Reduction("max"),))])
