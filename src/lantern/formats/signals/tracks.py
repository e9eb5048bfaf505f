"""Objects on their way: in a picture, as boxes (MOT-like CSV) or ONVIF metadata; or over the floor, in metres."""

from __future__ import annotations

from collections.abc import Iterator, Mapping
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from lantern.core.faults import FaultList
from lantern.core.signals import Floats
from lantern.core.tracks import Tracks
from lantern.formats.folder import TakeFolder
from lantern.formats.mot import read_mot, read_plan_tracks
from lantern.formats.onvif import read_onvif
from lantern.formats.packing import pack_tracks, unpack_tracks
from lantern.formats.sidecar import TakeInfo
from lantern.formats.signals.signal import Block, Signal, Stored


class _OfTracks(Signal):
    """Stored in one piece; boxes have their times, the take has none of its own."""

    held = True
    view = "boxes"

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


class PlanTracks(_OfTracks):
    """Points on a floor, whose size no file tells."""

    name = "plan-tracks"
    words = "objects on their way over the floor in metres, as a CSV file"

    def read(self, info: TakeInfo, data: Path, folder: TakeFolder) -> Tracks:
        return read_plan_tracks(data, where=data.name, limits=folder.limits)

    def picture(self, facts: Mapping[str, Any]) -> None:
        """None: `width` and `height` are metres of the floor."""

    def extent(self, info: TakeInfo, value: Tracks) -> tuple[int | None, int | None]:
        """So many metres as its points reach, where the sidecar does not say."""
        found = [info.width, info.height]
        for axis, size in enumerate(found):
            if size is None and len(value):
                found[axis] = int(np.ceil(value.box[:, axis].max() + 1))
        return found[0], found[1]


SIGNALS = (PictureTracks(), PlanTracks())
