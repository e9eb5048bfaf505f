"""A take from outside: a folder or zip with `take.json`, or a data file with its sidecar `NAME.EXT.json`."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, replace
from datetime import UTC, datetime
from pathlib import Path, PurePosixPath
from typing import Literal, Self

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.objects.tracks import Tracks
from lantern.core.signals import Floats, Frames, Pixels, RecordedAs, Series
from lantern.formats.archive import members_of, unpacked
from lantern.formats.border import border, within_border
from lantern.formats.columns import has_own_header, read_columns
from lantern.formats.documents import read_bytes, read_json, read_model
from lantern.formats.limits import (
    COLDEST_C,
    DEFAULT,
    FIRST_YEAR,
    HOTTEST_C,
    LAST_YEAR,
    LONGEST_S,
    MOST_M,
    MOST_NAME,
    Limits,
)
from lantern.formats.matrices import Matrices
from lantern.formats.mot import is_whole, read_mot, read_plan_tracks
from lantern.formats.onvif import read_onvif
from lantern.formats.tables import read_series, read_times, series_of
from lantern.formats.text import bounded, has_controls, shown
from lantern.formats.tiff import check_tiff, read_blocks

STILLS = ((b"\x89PNG\r\n\x1a\n", "image/png"), (b"\xff\xd8\xff", "image/jpeg"))
FIRST, LAST = datetime(FIRST_YEAR, 1, 1, tzinfo=UTC), datetime(LAST_YEAR, 1, 1, tzinfo=UTC)
SLACK = 1e-6  # of a raw value: the limits themselves are within
SCALES = {"uint16": (0.01, -273.15), "float32": (1.0, 0.0), "float64": (1.0, 0.0)}


class TakeInfo(BaseModel):
    """`take.json` or the sidecar (format `lantern-take/1`)."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    format: Literal["lantern-take/1"]
    name: str = Field(min_length=1, max_length=MOST_NAME)
    kind: Literal["heat", "series", "tracks", "plan-tracks"]
    device: str = Field(min_length=1, max_length=80)
    start: datetime = Field(description="ISO 8601 with an offset from UTC")
    data: str | None = Field(default=None, description="the data file or folder, beside take.json")
    fps: float | None = Field(default=None, gt=0, le=1000)
    times: str | None = Field(
        default=None, description="CSV with header t_s, one row a frame; of a series: its column of times"
    )
    scale: float | None = Field(default=None, gt=0, description="°C = raw x scale + offset")
    offset: float | None = None
    emissivity_set: float | None = Field(default=None, ge=0.01, le=1)
    reflected_c: float | None = Field(default=None, gt=COLDEST_C, le=2000)
    distance_m: float | None = Field(default=None, gt=0, le=MOST_M)
    humidity_percent: float | None = Field(default=None, ge=0, le=100)
    air_c: float | None = Field(default=None, ge=-100, le=200)
    units: dict[str, str] = Field(default_factory=dict)
    width: int | None = Field(default=None, gt=0, le=20_000, description="of the picture that boxes are in, pixels")
    height: int | None = Field(default=None, gt=0, le=20_000)
    classes: dict[str, str] = Field(default_factory=dict, description="class number to name")
    still: str | None = Field(default=None, description="PNG or JPEG of the scene")

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if self.start.tzinfo is None:
            raise ValueError(f"start {self.start.isoformat()} has no offset: write 2026-03-04T05:12:00+01:00")
        if not FIRST <= self.start < LAST:
            raise ValueError(f"start {self.start.isoformat()} is not within {FIRST_YEAR} to {LAST_YEAR}")
        if self.kind == "heat" and (self.fps is None) == (self.times is None):
            raise ValueError("a heat take has either fps or times")
        if self.kind == "series" and self.fps is not None and self.times is not None:
            raise ValueError(
                "a series has fps (rows a second) or times (a column), not both; neither: its first column is t_s"
            )
        if any(not is_whole(key) or len(key) > 16 for key in self.classes):
            raise ValueError("classes: a class number for each name, such as 1: person")
        texts = (self.name, self.device, *self.units, *self.units.values(), *self.classes.values())
        if any(len(text) > MOST_NAME or has_controls(text) for text in texts):
            raise ValueError(f"a name is longer than {MOST_NAME} characters, or holds control characters")
        return self

    def recorded(self) -> RecordedAs:
        return RecordedAs(self.emissivity_set, self.reflected_c, self.distance_m, self.humidity_percent, self.air_c)


@dataclass(frozen=True)
class Still:
    """A picture of the scene, as it came."""

    data: bytes
    media_type: str


@dataclass(frozen=True)
class Take:
    """What was read: frames or named series, by kind. `left`: files beside it that nobody meant, and that were skipped."""

    info: TakeInfo
    frames: Frames | None = None
    columns: dict[str, Series] | None = None
    tracks: Tracks | None = None
    still: Still | None = None
    left: tuple[str, ...] = ()

    @property
    def signal(self) -> Frames | dict[str, Series] | Tracks:
        if self.frames is not None:
            return self.frames
        return self.tracks if self.tracks is not None else self.columns or {}  # tracks of nobody are tracks

    @property
    def t_s(self) -> Floats:
        """Of frames or samples; of tracks, which have none of their own, none."""
        if self.frames is not None:
            return self.frames.t_s
        return next(iter(self.columns.values())).t_s if self.columns else np.zeros(0)

    @property
    def length_s(self) -> float:
        return self.tracks.length_s if self.tracks is not None else float(self.t_s[-1] - self.t_s[0])


@contextmanager
def open_take(path: Path, limits: Limits = DEFAULT) -> Iterator[Take]:
    """Open a take; its frames may be read as long as the context is open. Raises `Refused`, here and while frames are read."""
    with ExitStack() as stack:
        with border(path.name or str(path)):
            take = _opened(path, limits, stack)
        yield take


def has_sidecar(path: Path, limits: Limits) -> bool:
    """Does anything describe it: a sidecar beside it, or a take.json inside?"""
    if path.is_dir() or path.with_name(path.name + ".json").exists():
        return True  # a folder without its take.json is refused by name
    if path.suffix.lower() == ".zip":
        return any(PurePosixPath(member.filename).name == "take.json" for member in members_of(path, limits)[0])
    return False


def _opened(path: Path, limits: Limits, stack: ExitStack) -> Take:
    if not path.exists():
        raise Refused([Fault(str(path), "does not exist", "a take: a folder, a zip, or a data file with its sidecar")])
    sidecar = path.with_name(path.name + ".json")
    if path.is_dir():
        return _Reader(path, limits).read(path / "take.json")
    if path.suffix.lower() == ".zip" and not sidecar.exists():
        folder, left = stack.enter_context(unpacked(path, limits))
        reader = _Reader(folder, limits)
        take = reader.read(folder / "take.json")
        reader.refuse_unread(path.name)
        return replace(take, left=(*left, *take.left))
    if not sidecar.exists():
        raise Refused([Fault(path.name, "has no sidecar", f"{sidecar.name} beside it, with the keys of take.json")])
    return _Reader(path.parent, limits).read(sidecar, path)


class _Reader:
    """Reads what a sidecar names, out of one folder, and keeps which files that were."""

    def __init__(self, folder: Path, limits: Limits) -> None:
        self.folder, self.limits = folder, limits
        self.used: set[Path] = set()

    def read(self, info_path: Path, data: Path | None = None) -> Take:
        where = info_path.name
        self.used.add(info_path)
        document = read_bytes(info_path, most=self.limits.document_bytes)
        info = read_model(TakeInfo, read_json(document, where=where), where=where)
        data = data or self._beside(info.data, key="data", where=where)
        self.used.add(data)
        with border(data.name):
            if info.kind == "series":
                t_s, columns = self._columns(info, data)
                return Take(info, columns=series_of(t_s, columns, info.units))
            if info.kind in ("tracks", "plan-tracks"):
                return Take(info, tracks=self._tracks(info, data, where), still=self._still(info, where))
            return self._heat(info, data, where)

    def refuse_unread(self, archive: str) -> None:
        """Files of an archive that nothing names were meant for something: nobody can say for what."""
        faults = FaultList()
        for path in sorted(self.folder.rglob("*")):
            if path.is_file() and path not in self.used:
                name = path.relative_to(self.folder)
                faults.add(f"{archive}/{name}", "is not read", "only take.json and the files that it names")
        faults.refuse_if_any()

    def _columns(self, info: TakeInfo, data: Path) -> tuple[Floats, dict[str, Floats]]:
        """In our own layout, which begins with `t_s`; else as another program wrote it, if the sidecar says where the times are."""
        if (info.times is None and info.fps is None) or (info.times in (None, "t_s") and has_own_header(data)):
            return read_series(data, where=data.name, units=info.units, limits=self.limits)
        return read_columns(data, where=data.name, times=info.times, fps=info.fps, units=info.units, limits=self.limits)

    def _tracks(self, info: TakeInfo, data: Path, where: str) -> Tracks:
        if info.kind == "plan-tracks":
            return read_plan_tracks(data, where=data.name, limits=self.limits)
        faults = FaultList()
        xml = data.suffix.lower() == ".xml"
        for key in ("width", "height") if xml else ("fps",):
            if getattr(info, key) is None:
                faults.add(f"{where}: {key}", "is missing", "a value: tracks need it")
        faults.refuse_if_any()
        if xml:
            assert info.width is not None
            assert info.height is not None
            size = {"width": info.width, "height": info.height}
            return read_onvif(data, where=data.name, start=info.start, limits=self.limits, **size)
        assert info.fps is not None
        frame_px = (info.width, info.height) if info.width and info.height else None
        return read_mot(
            data, where=data.name, fps=info.fps, classes=info.classes, frame_px=frame_px, limits=self.limits
        )

    def _still(self, info: TakeInfo, where: str) -> Still | None:
        if info.still is None:
            return None
        path = self._beside(info.still, key="still", where=where)
        data = read_bytes(path, most=self.limits.still_bytes)
        kind = next((kind for magic, kind in STILLS if data.startswith(magic)), None)
        if kind is None:
            raise Refused([Fault(f"{where}: still", f"{info.still!r} is neither", "a PNG or JPEG file")])
        return Still(data, kind)

    def _heat(self, info: TakeInfo, data: Path, where: str) -> Take:
        left: list[str] = []
        if data.suffix.lower() in (".tif", ".tiff"):
            shape = check_tiff(data, self.limits)
            pages, width, height, dtype = shape.pages, shape.width, shape.height, shape.dtype

            def blocks() -> Iterator[Pixels]:
                return read_blocks(data, shape)
        elif data.is_dir() or data.suffix.lower() == ".zip":
            matrices = Matrices(data, self.limits)
            pages, width, height, dtype = len(matrices), matrices.width, matrices.height, "float64"
            blocks, left = matrices.blocks, matrices.left
            self.used |= {data / name for name in matrices.names}
        else:
            what = f"{data.name!r}"
            raise Refused([Fault(f"{where}: data", what, "a .tif/.tiff file, or a folder or zip of CSV matrices")])
        scale, offset = SCALES[dtype]
        frames = Frames(
            t_s=self._times(info, pages, where),
            width=width,
            height=height,
            scale=scale if info.scale is None else info.scale,
            offset_c=offset if info.offset is None else info.offset,
            blocks=blocks,
            recorded=info.recorded(),
            dtype=dtype,
        )
        checked = within_border(data.name, lambda: temperate(frames, data.name))
        return Take(info, frames=replace(frames, blocks=checked), left=tuple(left))

    def _times(self, info: TakeInfo, pages: int, where: str) -> Floats:
        if info.times is None:
            assert info.fps is not None
            faults = FaultList()
            bounded(pages / info.fps, 0, LONGEST_S, faults, where=f"{where}, the last frame", unit=" s")
            faults.refuse_if_any()
            return np.round(np.arange(pages) / info.fps, 9)
        path = self._beside(info.times, key="times", where=where)
        self.used.add(path)
        t_s = read_times(path, where=path.name, limits=self.limits)
        if t_s.size != pages:
            raise Refused([Fault(path.name, f"{t_s.size} times", f"{pages}, one for each frame")])
        return t_s

    def _beside(self, name: str | None, *, key: str, where: str) -> Path:
        if not name:
            raise Refused([Fault(f"{where}: {key}", "is missing", "the name of the data file or folder")])
        if has_controls(name) or len(name) > MOST_NAME or "." in name.split("/"):
            raise Refused([Fault(f"{where}: {key}", shown(name), "the name of a file or folder beside it")])
        path = self.folder / name
        if not path.resolve().is_relative_to(self.folder.resolve()) or path.resolve() == self.folder.resolve():
            raise Refused([Fault(f"{where}: {key}", f"{name!r} leaves the take's folder", "a name inside the folder")])
        if not path.exists():
            raise Refused([Fault(f"{where}: {key}", f"{name!r} is not there", "a file or folder beside it")])
        self.used.add(path)
        return path


def temperate(frames: Frames, where: str) -> Iterator[Pixels]:
    """Blocks whose every pixel is a temperature that there can be; refused at the first page that is not."""
    coldest, hottest = (COLDEST_C - frames.offset_c) / frames.scale, (HOTTEST_C - frames.offset_c) / frames.scale
    whole = np.iinfo(frames.dtype) if frames.dtype == "uint16" else None
    never_beyond = whole is not None and coldest - 0.5 <= whole.min and whole.max <= hottest
    page = 0
    for block in frames.blocks():
        if not never_beyond and (block.min() < coldest - SLACK or block.max() > hottest + SLACK):
            bad = (block < coldest - SLACK) | (block > hottest + SLACK)
            at = int(np.flatnonzero(bad.any(axis=(1, 2)))[0])
            row, column = np.argwhere(bad[at])[0]
            value = float(block[at, row, column]) * frames.scale + frames.offset_c
            place = f"{where}, page {page + at + 1}"
            what = f"pixel ({column}, {row}) is {value:g} °C"
            raise Refused([Fault(place, what, f"{COLDEST_C:g} to {HOTTEST_C:g} °C: look at scale and offset")])
        page += block.shape[0]
        yield block
