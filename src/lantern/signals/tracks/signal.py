"""Objects on their way: in a picture, as boxes (MOT-like CSV) or ONVIF metadata; or over the floor, in metres."""

from __future__ import annotations

import math
from collections.abc import Iterator, Mapping, Sequence
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np

from lantern.core.company import Stands
from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.optics.feet import feet, view_of
from lantern.core.signals import Floats
from lantern.core.tracks import Id, Seen, Tracks, make_tracks
from lantern.formats.folder import TakeFolder
from lantern.formats.sidecar import TakeInfo
from lantern.signals.looks import Look, Unread
from lantern.signals.signal import Block, Signal, Stored, Timed
from lantern.signals.space import PICTURE, PLAN
from lantern.signals.tracks.feed import ObjectFeed
from lantern.signals.tracks.looks import look_at_boxes, look_at_plan, look_at_stream
from lantern.signals.tracks.mot import LEAST_COLUMNS, MOST_COLUMNS, PLAN_COLUMNS, read_mot, read_plan_tracks
from lantern.signals.tracks.onvif import read_onvif
from lantern.signals.tracks.onvif_out import write_stream
from lantern.signals.tracks.packing import pack_tracks, unpack_tracks
from lantern.signals.tracks.written import fits_mot, frames_of_tracks, write_mot, write_plan_tracks


class _OfTracks(Signal[Tracks, Sequence[Seen]]):
    """Stored in one piece; boxes have their times, the take has none of its own."""

    held = True
    space = PICTURE
    ground = "/static/signals/tracks/ground.js"
    on_plan = False
    feed = ObjectFeed

    def facts(self, info: TakeInfo, value: Tracks) -> dict[str, Any]:
        holds = [[len(value), "boxes"], [len(value.ids), "objects"]]
        width, height = self.extent(info, value)
        return {"width": width, "height": height, "holds": holds}

    def extent(self, info: TakeInfo, value: Tracks) -> tuple[int | None, int | None]:
        """Return the size of the picture that they move in, px."""
        return info.width, info.height

    def t_s(self, value: Tracks) -> Floats:
        return np.zeros(0)

    def samples(self, value: Tracks) -> int:
        """Return how many frames it spans: boxes are not frames, and some frames show nobody."""
        return round(value.length_s * value.fps) + 1 if value.fps else int(np.unique(value.t_s).size)

    def length_s(self, value: Tracks) -> float:
        return value.length_s

    def whereabouts(self, value: Sequence[Seen], stands: Stands) -> Mapping[str, tuple[float, float]]:
        if not value:
            return {}
        boxes = np.array([each.box for each in value], dtype=np.float64)
        try:
            places = boxes[:, :2] if self.on_plan else view_of(stands, None).ground(feet(boxes))[:, :2]
        except Refused:  # it stands nowhere
            return {}
        found = zip(value, places.tolist(), strict=True)
        return {str(each.id): (x, y) for each, (x, y) in found if math.isfinite(x) and math.isfinite(y)}

    def piece(self, samples: Sequence[Timed[Sequence[Seen]]], known: Mapping[str, Any]) -> Tracks:
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
    endings = (".csv", ".txt", ".xml")

    def may_be(self, unread: Unread) -> int:
        if unread.suffix == ".xml":
            return 3
        layout = unread.layout
        if layout is None or layout.named or layout.delimiter != ",":
            return 0
        return 2 if LEAST_COLUMNS <= len(layout.names) <= MOST_COLUMNS else 0

    def look(self, unread: Unread) -> Look:
        return look_at_stream(unread) if unread.suffix == ".xml" else look_at_boxes(unread)

    def told(self, drawn: Mapping[str, Any], info: TakeInfo) -> list[str]:
        """Return a line that says whether all boxes lie within the picture."""
        if not (info.width and info.height) or drawn.get("normalised"):
            return []
        outside = drawn["right"] > info.width or drawn["bottom"] > info.height
        reach = f"boxes reach to {drawn['right']:.0f}, {drawn['bottom']:.0f}"
        return [f"{reach}: {'beyond' if outside else 'within'} the picture of {info.width} x {info.height}"]

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
        """Write the tracks as CSV where its frames are even and its objects are numbers; else as an ONVIF stream."""
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
    space = PLAN
    on_plan = True
    endings = (".csv",)

    def may_be(self, unread: Unread) -> int:
        return 3 if unread.layout is not None and unread.layout.names[: len(PLAN_COLUMNS)] == PLAN_COLUMNS else 0

    def look(self, unread: Unread) -> Look:
        return look_at_plan(unread)

    def read(self, info: TakeInfo, data: Path, folder: TakeFolder) -> Tracks:
        return read_plan_tracks(data, where=data.name, limits=folder.limits)

    def write(self, info: TakeInfo, value: Tracks, folder: Path) -> TakeInfo:
        (folder / "tracks.csv").write_text(write_plan_tracks(value))
        return info.model_copy(update={"data": "tracks.csv"})

    def picture(self, facts: Mapping[str, Any]) -> None:
        """Return nothing: `width` and `height` are metres of the floor."""

    def extent(self, info: TakeInfo, value: Tracks) -> tuple[int | None, int | None]:
        """Return how many metres its points reach, where the sidecar does not say."""
        found = [info.width, info.height]
        for axis, size in enumerate(found):
            if size is None and len(value):
                found[axis] = int(np.ceil(value.box[:, axis].max() + 1))
        return found[0], found[1]


def _alike(ids: list[Id]) -> list[Any]:
    """Numbers where all are; names where any is one."""
    return ids if all(isinstance(each, int) for each in ids) else [str(each) for each in ids]


SIGNALS = (PictureTracks(), PlanTracks())
