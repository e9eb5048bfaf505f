"""Objects on their way: in a picture, as boxes (MOT-like CSV) or ONVIF metadata; or over the floor, in metres."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.signals import Floats
from lantern.core.tracks import Id, Tracks, make_tracks
from lantern.formats.folder import TakeFolder
from lantern.formats.mot import read_mot, read_plan_tracks
from lantern.formats.onvif import read_onvif
from lantern.formats.onvif_out import write_stream
from lantern.formats.packing import pack_tracks, unpack_tracks
from lantern.formats.sidecar import TakeInfo
from lantern.formats.signals.signal import Block, Signal, Stored, Timed
from lantern.formats.tracks_out import fits_mot, frames_of_tracks, write_mot, write_plan_tracks


class _OfTracks(Signal):
    """Stored in one piece; boxes have their times, the take has none of its own."""

    held = True
    view = "boxes"
    on_plan = False

    def facts(self, info: TakeInfo, value: Tracks) -> dict[str, Any]:
        holds = [[len(value), "boxes"], [len(value.ids), "objects"]]
        width, height = self.extent(info, value)
        return {"width": width, "height": height, "holds": holds}

    def extent(self, info: TakeInfo, value: Tracks) -> tuple[int | None, int | None]:
        """Of what they move in: the picture, px."""
        return info.width, info.height

    def t_s(self, value: Tracks) -> Floats:
        return np.zeros(0)

    def samples(self, value: Tracks) -> int:
        """How many frames it spans: boxes are not frames, and some frames show nobody."""
        return round(value.length_s * value.fps) + 1 if value.fps else int(np.unique(value.t_s).size)

    def length_s(self, value: Tracks) -> float:
        return value.length_s

    def piece(self, samples: Sequence[Timed], known: Mapping[str, Any]) -> Tracks:
        rows = [(t, each) for t, seen in samples for each in seen]
        heights = [each.height_m for _, each in rows]
        return make_tracks(
            np.array([t for t, _ in rows], dtype=np.float64),
            _alike([each.id for _, each in rows]),
            np.array([each.box for _, each in rows], dtype=np.float64).reshape(-1, 4),
            confidence=np.array([each.confidence for _, each in rows], dtype=np.float64),
            labels=[each.label for _, each in rows],
            last_s=samples[-1][0],
            on_plan=self.on_plan,
            frame_px=known["frame_px"],
            height_m=np.array([np.nan if h is None else h for h in heights], dtype=np.float64),
        )

    def joined(self, pieces: Sequence[Tracks], t_s: Floats) -> Tracks:
        """Paced as most of its frames are."""
        heights = [np.full(len(each), np.nan) if each.height_m is None else each.height_m for each in pieces]
        return make_tracks(
            np.concatenate([each.t_s for each in pieces]),
            _alike([each.ids[at] for each in pieces for at in each.object.tolist()]),
            np.concatenate([each.box for each in pieces]),
            confidence=np.concatenate([each.confidence for each in pieces]),
            labels=[each.classes[at] if at >= 0 else "" for each in pieces for at in each.label.tolist()],
            last_s=pieces[-1].last_s,
            on_plan=self.on_plan,
            frame_px=pieces[0].frame_px,
            fps=1 / float(np.median(np.diff(t_s))) if t_s.size > 1 else None,
            height_m=np.concatenate(heights),
        )

    def pack(self, value: Tracks) -> Iterator[Block]:
        yield len(value), partial(pack_tracks, value)

    def unpack(self, stored: Stored) -> Tracks:
        return unpack_tracks(stored.only_block())


class PictureTracks(_OfTracks):
    """Boxes in the pixels of a device's picture."""

    name = "tracks"
    words = "objects on their way, as a CSV file of boxes or ONVIF metadata"

    def read(self, info: TakeInfo, data: Path, folder: TakeFolder) -> Tracks:
        faults = FaultList()
        xml = data.suffix.lower() == ".xml"
        for key in ("width", "height") if xml else ("fps",):
            if getattr(info, key) is None:
                faults.add(f"{folder.where}: {key}", "is missing", "a value: tracks need it")
        faults.refuse_if_any()
        if xml:
            assert info.width is not None
            assert info.height is not None
            size = {"width": info.width, "height": info.height}
            return read_onvif(data, where=data.name, start=info.start, limits=folder.limits, **size)
        assert info.fps is not None
        frame_px = (info.width, info.height) if info.width and info.height else None
        return read_mot(
            data, where=data.name, fps=info.fps, classes=info.classes, frame_px=frame_px, limits=folder.limits
        )

    def write(self, info: TakeInfo, value: Tracks, folder: Path) -> TakeInfo:
        """As CSV where its frames are even and its objects are numbers; else as an ONVIF stream."""
        if fits_mot(value):
            (folder / "tracks.csv").write_text(write_mot(value))
            classes = {str(at + 1): name for at, name in enumerate(value.classes)}
            return info.model_copy(update={"data": "tracks.csv", "fps": value.fps, "classes": classes})
        if value.frame_px is None:
            raise Refused([Fault("take", "the size of its picture is not known", "width and height at the device")])
        width, height = value.frame_px
        write_stream(frames_of_tracks(value), folder / "tracks.xml", start=info.start, width=width, height=height)
        size = {"width": width, "height": height}
        return info.model_copy(update={"data": "tracks.xml", "fps": None, "classes": {}} | size)


class PlanTracks(_OfTracks):
    """Points on a floor, whose size no file tells."""

    name = "plan-tracks"
    words = "objects on their way over the floor in metres, as a CSV file"
    on_plan = True

    def read(self, info: TakeInfo, data: Path, folder: TakeFolder) -> Tracks:
        return read_plan_tracks(data, where=data.name, limits=folder.limits)

    def write(self, info: TakeInfo, value: Tracks, folder: Path) -> TakeInfo:
        (folder / "tracks.csv").write_text(write_plan_tracks(value))
        return info.model_copy(update={"data": "tracks.csv"})

    def picture(self, facts: Mapping[str, Any]) -> None:
        """None: `width` and `height` are metres of the floor."""

    def extent(self, info: TakeInfo, value: Tracks) -> tuple[int | None, int | None]:
        """So many metres as its points reach, where the sidecar does not say."""
        found = [info.width, info.height]
        for axis, size in enumerate(found):
            if size is None and len(value):
                found[axis] = int(np.ceil(value.box[:, axis].max() + 1))
        return found[0], found[1]


def _alike(ids: list[Id]) -> list[Any]:
    """Numbers where all are; names where any is one."""
    return ids if all(isinstance(each, int) for each in ids) else [str(each) for each in ids]


SIGNALS = (PictureTracks(), PlanTracks())
