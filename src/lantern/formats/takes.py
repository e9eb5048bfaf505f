"""A take from outside: a folder or zip with `take.json`, or a data file with its sidecar `NAME.EXT.json`."""

from __future__ import annotations

import shutil
import tempfile
import zipfile
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path, PurePosixPath
from typing import Literal, Self

import numpy as np
from pydantic import BaseModel, ConfigDict, Field, model_validator

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.objects.tracks import Tracks
from lantern.core.signals import Floats, Frames, RecordedAs, Series
from lantern.formats.documents import read_bytes, read_json, read_model
from lantern.formats.limits import Limits
from lantern.formats.matrices import Matrices
from lantern.formats.mot import read_mot, read_plan_tracks
from lantern.formats.onvif import read_onvif
from lantern.formats.tables import read_series, read_times, series_of
from lantern.formats.tiff import check_tiff, read_blocks

STILLS = ((b"\x89PNG\r\n\x1a\n", "image/png"), (b"\xff\xd8\xff", "image/jpeg"))
SCALES = {"uint16": (0.01, -273.15), "float32": (1.0, 0.0), "float64": (1.0, 0.0)}


class TakeInfo(BaseModel):
    """`take.json` or the sidecar (format `lantern-take/1`)."""

    model_config = ConfigDict(frozen=True, extra="forbid", allow_inf_nan=False)

    format: Literal["lantern-take/1"]
    name: str = Field(min_length=1, max_length=200)
    kind: Literal["heat", "series", "tracks", "plan-tracks"]
    device: str = Field(min_length=1, max_length=80)
    start: datetime = Field(description="ISO 8601 with an offset from UTC")
    data: str | None = Field(default=None, description="the data file or folder, beside take.json")
    fps: float | None = Field(default=None, gt=0, le=1000)
    times: str | None = Field(default=None, description="CSV with header t_s, one row a frame")
    scale: float | None = Field(default=None, gt=0, description="°C = raw x scale + offset")
    offset: float | None = None
    emissivity_set: float | None = Field(default=None, gt=0, le=1)
    reflected_c: float | None = Field(default=None, gt=-273.15, le=2000)
    distance_m: float | None = Field(default=None, gt=0)
    humidity_percent: float | None = Field(default=None, ge=0, le=100)
    air_c: float | None = Field(default=None, gt=-273.15, le=200)
    units: dict[str, str] = Field(default_factory=dict)
    width: int | None = Field(default=None, gt=0, le=20_000, description="of the picture that boxes are in, pixels")
    height: int | None = Field(default=None, gt=0, le=20_000)
    classes: dict[str, str] = Field(default_factory=dict, description="class number to name")
    still: str | None = Field(default=None, description="PNG or JPEG of the scene")

    @model_validator(mode="after")
    def _whole(self) -> Self:
        if self.start.tzinfo is None:
            raise ValueError(f"start {self.start.isoformat()} has no offset: write 2026-03-04T05:12:00+01:00")
        if self.kind == "heat" and (self.fps is None) == (self.times is None):
            raise ValueError("a heat take has either fps or times")
        if any(not key.lstrip("-").isdigit() for key in self.classes):
            raise ValueError("classes: a class number for each name, such as 1: person")
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
    """What was read: frames or named series, by kind."""

    info: TakeInfo
    frames: Frames | None = None
    columns: dict[str, Series] | None = None
    tracks: Tracks | None = None
    still: Still | None = None

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
def open_take(path: Path, limits: Limits = Limits()) -> Iterator[Take]:
    """Open a take; its frames may be read as long as the context is open. Raises `Refused`."""
    if not path.exists():
        raise Refused([Fault(str(path), "does not exist", "a take: a folder, a zip, or a data file with its sidecar")])
    sidecar = path.with_name(path.name + ".json")
    if path.is_dir():
        yield _read_take(path, path / "take.json", None, limits)
    elif path.suffix.lower() == ".zip" and not sidecar.exists():
        with _unpacked(path, limits) as folder:
            yield _read_take(folder, folder / "take.json", None, limits)
    else:
        if not sidecar.exists():
            raise Refused([Fault(path.name, "has no sidecar", f"{sidecar.name} beside it, with the keys of take.json")])
        yield _read_take(path.parent, sidecar, path, limits)


def _read_take(folder: Path, info_path: Path, data: Path | None, limits: Limits) -> Take:
    where = info_path.name
    info = read_model(TakeInfo, read_json(read_bytes(info_path), where=where), where=where)
    data = data or _beside(folder, info.data, key="data", where=where)
    if info.kind == "series":
        t_s, columns = read_series(read_bytes(data), where=data.name)
        return Take(info, columns=series_of(t_s, columns, info.units))
    if info.kind in ("tracks", "plan-tracks"):
        return Take(info, tracks=_tracks(info, data, where), still=_still(info, folder, where))
    return Take(info, frames=_frames(info, folder, data, where, limits))


def _tracks(info: TakeInfo, data: Path, where: str) -> Tracks:
    if info.kind == "plan-tracks":
        return read_plan_tracks(read_bytes(data), where=data.name)
    faults = FaultList()
    xml = data.suffix.lower() == ".xml"
    for key in ("width", "height") if xml else ("fps",):
        if getattr(info, key) is None:
            faults.add(f"{where}: {key}", "is missing", "a value: tracks need it")
    faults.refuse_if_any()
    if xml:
        assert info.width is not None
        assert info.height is not None
        return read_onvif(read_bytes(data), where=data.name, start=info.start, width=info.width, height=info.height)
    assert info.fps is not None
    frame_px = (info.width, info.height) if info.width and info.height else None
    return read_mot(read_bytes(data), where=data.name, fps=info.fps, classes=info.classes, frame_px=frame_px)


def _still(info: TakeInfo, folder: Path, where: str) -> Still | None:
    if info.still is None:
        return None
    data = read_bytes(_beside(folder, info.still, key="still", where=where))
    kind = next((kind for magic, kind in STILLS if data.startswith(magic)), None)
    if kind is None:
        raise Refused([Fault(f"{where}: still", f"{info.still!r} is neither", "a PNG or JPEG file")])
    return Still(data, kind)


def _frames(info: TakeInfo, folder: Path, data: Path, where: str, limits: Limits) -> Frames:
    if data.suffix.lower() in (".tif", ".tiff"):
        shape = check_tiff(data, limits)
        pages, width, height, dtype = shape.pages, shape.width, shape.height, shape.dtype

        def blocks() -> Iterator[np.ndarray]:
            return read_blocks(data, shape)
    elif data.is_dir() or data.suffix.lower() == ".zip":
        matrices = Matrices(data, limits)
        pages, width, height, dtype = len(matrices), matrices.width, matrices.height, "float64"
        blocks = matrices.blocks
    else:
        raise Refused(
            [Fault(f"{where}: data", f"{data.name!r}", "a .tif/.tiff file, or a folder or zip of CSV matrices")]
        )
    scale, offset = SCALES[dtype]
    return Frames(
        t_s=_times(info, folder, pages, where),
        width=width,
        height=height,
        scale=scale if info.scale is None else info.scale,
        offset_c=offset if info.offset is None else info.offset,
        blocks=blocks,
        recorded=info.recorded(),
        dtype=dtype,
    )


def _times(info: TakeInfo, folder: Path, pages: int, where: str) -> Floats:
    if info.times is None:
        assert info.fps is not None
        return np.round(np.arange(pages) / info.fps, 9)
    path = _beside(folder, info.times, key="times", where=where)
    t_s = read_times(read_bytes(path), where=path.name)
    if t_s.size != pages:
        raise Refused([Fault(path.name, f"{t_s.size} times", f"{pages}, one for each frame")])
    return t_s


def _beside(folder: Path, name: str | None, *, key: str, where: str) -> Path:
    if not name:
        raise Refused([Fault(f"{where}: {key}", "is missing", "the name of the data file or folder")])
    path = folder / name
    if not path.resolve().is_relative_to(folder.resolve()):
        raise Refused([Fault(f"{where}: {key}", f"{name!r} leaves the take's folder", "a name inside the folder")])
    if not path.exists():
        raise Refused([Fault(f"{where}: {key}", f"{name!r} is not there", "a file or folder beside it")])
    return path


@contextmanager
def _unpacked(path: Path, limits: Limits) -> Iterator[Path]:
    """A zip's files in a temporary folder, which goes when the context ends."""
    faults = FaultList()
    with tempfile.TemporaryDirectory(prefix="lantern-take-") as name:
        folder = Path(name)
        try:
            with zipfile.ZipFile(path) as archive:
                members = [m for m in archive.infolist() if not m.is_dir()]
                if len(members) > limits.files:
                    faults.add(path.name, f"{len(members)} files", f"at most {limits.files}")
                unpacked = sum(m.file_size for m in members)
                limits.check(faults, where=path.name, packed=path.stat().st_size, unpacked=unpacked)
                for member in members:
                    parts = PurePosixPath(member.filename.replace("\\", "/")).parts
                    if ".." in parts or member.filename.startswith(("/", "\\")) or ":" in parts[0]:
                        faults.add(f"{path.name}/{member.filename}", "leaves the archive", "names inside the archive")
                faults.refuse_if_any()
                prefix = _common_folder([m.filename for m in members])
                for member in members:
                    target = folder / member.filename.removeprefix(prefix)
                    target.parent.mkdir(parents=True, exist_ok=True)
                    with archive.open(member) as source, target.open("wb") as sink:
                        shutil.copyfileobj(source, sink, 1024 * 1024)  # zipfile stops at the size it declares
        except (zipfile.BadZipFile, OSError, RuntimeError, NotImplementedError) as error:
            raise Refused([Fault(path.name, f"not a readable zip: {error}", "a zip with take.json in it")]) from error
        yield folder


def _common_folder(names: list[str]) -> str:
    """A zip made of a folder has that folder's name before every member."""
    if "take.json" in names:
        return ""
    tops = {name.split("/", 1)[0] + "/" for name in names}
    top = tops.pop() if len(tops) == 1 else ""
    return top if f"{top}take.json" in names else ""
