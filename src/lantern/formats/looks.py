"""What a data file shows of itself before anybody has said anything: what it may be, what must be asked, what can be guessed."""

from __future__ import annotations

import re
from dataclasses import asdict, dataclass, field
from itertools import islice
from pathlib import Path
from typing import Any

import numpy as np
from numpy.typing import NDArray

from lantern.core.faults import Fault, Refused
from lantern.core.signals import Pixels
from lantern.core.tracks import Tracks
from lantern.formats import columns as tables
from lantern.formats.border import border
from lantern.formats.limits import Limits
from lantern.formats.matrices import Matrices
from lantern.formats.mot import LEAST_COLUMNS, MOST_COLUMNS, PLAN_COLUMNS, read_mot, read_plan_tracks
from lantern.formats.onvif import begin_of_stream, read_onvif
from lantern.formats.tiff import TiffShape, check_tiff, read_blocks

DRAWN_ROWS, DRAWN_COLUMNS, DRAWN_WAYS, DRAWN_POINTS, DRAWN_PX = 240, 4, 120, 24, 96
RAW_SCALES = ((0.01, -273.15), (0.04, -273.15), (0.1, -273.15))  # of counts that are kelvin; common practice, no source
LIKELY_C = (-40.0, 160.0)
NORMALISED_PX = 1000  # metadata in normalised coordinates, looked at in a picture of so many pixels


@dataclass(frozen=True)
class Look:
    """`kinds` of take that it may be, the likeliest first; `facts` in words; `guess`: keys of the sidecar; `asked`: keys that must
    be answered, by kind; `drawn`: a sketch for the page, by kind; `length`: samples, and seconds where they tell.
    """

    kinds: tuple[str, ...]
    facts: list[str]
    guess: dict[str, Any]
    asked: dict[str, list[str]]
    drawn: dict[str, Any]
    samples: int
    length_s: dict[str, float] = field(default_factory=dict)  # by column of times; "": whatever is answered
    columns: dict[str, list[str]] = field(default_factory=dict)  # `times` and `readings` of a table
    classes: list[str] = field(default_factory=list)
    begins: dict[str, str] = field(default_factory=dict)  # by column of times: date and time of the first row

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)


def look_at(path: Path, limits: Limits, beside: tuple[str, ...] = ()) -> Look:
    """Read it as far as that takes. `beside`: names of the files that came with it. Raises `Refused`."""
    suffix = path.suffix.lower()
    with border(path.name):
        if suffix in (".tif", ".tiff"):
            return _pages(path, limits, beside)
        if suffix == ".zip":
            return _matrices(path, limits)
        if suffix == ".xml":
            return _stream(path, limits)
        if suffix in (".csv", ".txt", ".tsv"):
            return _table(path, limits, beside)
    expected = ".tif, .tiff, .csv, .txt, .tsv, .xml, or a .zip of CSV matrices"
    raise Refused([Fault(path.name, f"a file {suffix or 'without an ending'} is not read", expected)])


# ---- pictures --------------------------------------------------------------------------------------------------------


def _pages(path: Path, limits: Limits, beside: tuple[str, ...]) -> Look:
    shape = check_tiff(path, limits)
    page = _one_page(path, shape)
    guess: dict[str, Any] = {"scale": 1.0, "offset": 0.0}
    if shape.dtype == "uint16":
        guess = dict(zip(("scale", "offset"), _likely_scale(page), strict=True))
    times = [name for name in beside if name.lower().endswith(".csv")]
    if times:
        guess["times"] = times[0]
    facts = [f"{shape.pages} pages of {shape.width} x {shape.height} pixels, {shape.dtype}"]
    facts.append(f"the page in the middle: raw {page.min():g} to {page.max():g}")
    return _of_frames(page, shape.pages, facts, guess, asked=[] if times else ["fps"], scaled=True)


def _one_page(path: Path, shape: TiffShape) -> Pixels:
    """The page in the middle."""
    middle = shape.pages // 2
    alone = TiffShape(shape.places[middle : middle + 1], shape.width, shape.height, shape.dtype)
    page: Pixels = next(read_blocks(path, alone))[0]
    return page


def _likely_scale(page: Pixels) -> tuple[float, float]:
    for scale, offset in RAW_SCALES:
        if LIKELY_C[0] < float(np.median(page)) * scale + offset < LIKELY_C[1]:
            return scale, offset
    return RAW_SCALES[0]


def _matrices(path: Path, limits: Limits) -> Look:
    matrices = Matrices(path, limits)
    page = next(matrices.blocks())[0]
    facts = [
        f"{len(matrices)} CSV matrices of {matrices.width} x {matrices.height} values, in the order of their names"
    ]
    facts.append(f"the first: {page.min():g} to {page.max():g}, taken for °C")
    return _of_frames(page, len(matrices), facts, {}, asked=["fps"], scaled=False)


def _of_frames(
    page: Pixels, count: int, facts: list[str], guess: dict[str, Any], *, asked: list[str], scaled: bool
) -> Look:
    step = max(1, -(-max(page.shape) // DRAWN_PX))
    small = page[::step, ::step]
    height, width = page.shape
    drawn = {"raw": small.tolist(), "low": float(page.min()), "high": float(page.max())}
    wanted = [*asked, *(("scale", "offset") if scaled else ())]
    guess = guess | {"width": width, "height": height}
    return Look(("heat",), facts, guess, {"heat": wanted}, {"heat": drawn}, count)


# ---- tables ----------------------------------------------------------------------------------------------------------


def _table(path: Path, limits: Limits, beside: tuple[str, ...]) -> Look:
    layout = tables.layout_of(path, where=path.name)
    if layout.names[: len(PLAN_COLUMNS)] == PLAN_COLUMNS:
        return _plan(path, limits)
    boxes = not layout.named and layout.delimiter == "," and LEAST_COLUMNS <= len(layout.names) <= MOST_COLUMNS
    if boxes:
        return _boxes(path, limits, beside)
    if not layout.named and len(layout.names) > MOST_COLUMNS:
        what = f"one table of {len(layout.names)} numbers a row without names: a single picture"
        raise Refused(
            [Fault(path.name, what, "pictures over time: all matrices in one zip, or readings with names above")]
        )
    return _readings(path, layout, limits)


def _readings(path: Path, layout: tables.Layout, limits: Limits) -> Look:
    times = tables.rising(path, layout, where=path.name)
    chosen = times[0] if times else None
    table = tables.read_columns(path, where=path.name, times=chosen, fps=None if chosen else 1.0, limits=limits)
    t_s, columns = table
    left_out = [name for name in layout.names if name not in layout.readings and name not in times]
    facts = [f"{t_s.size} rows; columns {', '.join(layout.names)}"]
    if left_out:
        facts.append(f"{', '.join(left_out)}: no numbers, left out")
    if layout.delimiter != ",":
        facts.append(
            "cells are parted by "
            + {";": "semicolons", "\t": "tabs"}[layout.delimiter]
            + ", decimals by commas or points"
        )
    if chosen is None:
        facts.append("no column of times: say how many rows a second")
    begins = {name: tables.begin_of(path, name, layout, where=path.name) for name in times}
    at = np.linspace(0, t_s.size - 1, min(DRAWN_ROWS, t_s.size)).astype(int)
    drawn = {name: np.round(x[at], 3).tolist() for name, x in islice(columns.items(), DRAWN_COLUMNS)}
    readings = [name for name in layout.readings if name != chosen]  # one that rises may be a reading all the same
    return Look(
        kinds=("series",),
        facts=facts,
        guess={"times": chosen, "units": {name: _unit(name) for name in readings}},
        asked={"series": ["times", "units"]},
        drawn={"series": drawn},
        samples=int(t_s.size),
        length_s={chosen: float(t_s[-1])} if chosen else {},
        columns={"times": times, "readings": list(layout.readings)},
        begins={name: at.isoformat() for name, at in begins.items() if at is not None},
    )


def _unit(name: str) -> str:
    if found := re.search(r"[\[(]\s*(°?[CFK]|deg ?C|%|[a-zA-Z/°%µ]{1,8})\s*[\])]", name):
        return "°C" if found[1].replace(" ", "") in ("C", "°C", "degC") else found[1]
    return "°C" if re.search(r"temp|°c|_c$|celsius", name, re.IGNORECASE) else ""


# ---- objects ---------------------------------------------------------------------------------------------------------


def _boxes(path: Path, limits: Limits, beside: tuple[str, ...]) -> Look:
    tracks = read_mot(path, where=path.name, fps=1.0, limits=limits)
    right, bottom = (tracks.box[:, :2] + tracks.box[:, 2:]).max(axis=0).tolist()
    frames = round(tracks.length_s) + 1
    facts = [
        f"{len(tracks)} boxes of {len(tracks.ids)} objects in {frames} frames",
        f"boxes reach to x {right:.0f}, y {bottom:.0f}",
    ]
    if tracks.classes:
        facts.append(f"class numbers {', '.join(tracks.classes)}")
    stills = [name for name in beside if name.lower().endswith((".png", ".jpg", ".jpeg"))]
    guess: dict[str, Any] = _picture_for(right, bottom) | ({"still": stills[0]} if stills else {})
    numbers = [name for name in tracks.classes if name.isdigit()]
    return Look(
        kinds=("tracks",),
        facts=facts,
        guess=guess | {"classes": dict.fromkeys(numbers, "")},
        asked={"tracks": ["fps", "width", "height", "classes"]},
        drawn={"tracks": {"ways": _ways(tracks), "right": right, "bottom": bottom}},
        samples=frames,
        classes=numbers,
    )


def _picture_for(right: float, bottom: float) -> dict[str, int]:
    """The smallest usual picture that holds all boxes. Common sizes of video; common practice, no source."""
    for width, height in ((640, 480), (768, 576), (1280, 720), (1920, 1080), (2560, 1440), (3840, 2160)):
        if right <= width * 1.02 and bottom <= height * 1.02:
            return {"width": width, "height": height}
    return {}


def _plan(path: Path, limits: Limits) -> Look:
    tracks = read_plan_tracks(path, where=path.name, limits=limits)
    facts = [f"{len(tracks)} points of {len(tracks.ids)} objects on a plan, over {tracks.length_s:.0f} s"]
    right, bottom = tracks.box[:, :2].max(axis=0).tolist() if len(tracks) else (1.0, 1.0)
    drawn = {"ways": _ways(tracks), "right": right, "bottom": bottom}
    return Look(
        ("plan-tracks",), facts, {}, {"plan-tracks": []}, {"plan-tracks": drawn}, len(tracks), {"": tracks.length_s}
    )


def _stream(path: Path, limits: Limits) -> Look:
    begins = begin_of_stream(path, where=path.name)
    side = {"width": NORMALISED_PX, "height": NORMALISED_PX}
    tracks = read_onvif(path, where=path.name, start=begins, limits=limits, **side)
    facts = [f"{len(tracks)} boxes of {len(tracks.ids)} objects over {tracks.length_s:.0f} s, as ONVIF metadata"]
    if tracks.classes:
        facts.append(f"classes {', '.join(tracks.classes)}")
    drawn = {"ways": _ways(tracks), "right": float(NORMALISED_PX), "bottom": float(NORMALISED_PX), "normalised": True}
    return Look(
        kinds=("tracks",),
        facts=facts,
        guess={"width": 1920, "height": 1080},
        asked={"tracks": ["width", "height"]},
        drawn={"tracks": drawn},
        samples=len(tracks),
        length_s={"": tracks.length_s},
        begins={"": begins.isoformat()},
    )


def _ways(tracks: Tracks) -> list[list[list[float]]]:
    """Some objects' ways, by their feet."""
    ends = np.flatnonzero(np.diff(np.append(tracks.object, -1)))
    starts = np.concatenate(([0], ends[:-1] + 1)) if ends.size else ends
    longest = np.argsort(starts - ends)[:DRAWN_WAYS]
    foot = np.column_stack((tracks.box[:, 0] + tracks.box[:, 2] / 2, tracks.box[:, 1] + tracks.box[:, 3]))
    return [_few(foot[starts[i] : ends[i] + 1]) for i in longest.tolist()]


def _few(points: NDArray[np.float64]) -> list[list[float]]:
    at = np.linspace(0, len(points) - 1, min(DRAWN_POINTS, len(points))).astype(int)
    out: list[list[float]] = np.round(points[at], 1).tolist()
    return out
