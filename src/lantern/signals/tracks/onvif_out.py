"""Frames of an ONVIF metadata stream, written: a document a frame as live devices send them, or a file of many."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from datetime import UTC, datetime, timedelta
from pathlib import Path
from xml.etree.ElementTree import Element, SubElement, tostring

from lantern.core.tracks import Seen
from lantern.formats.text import exact
from lantern.signals.tracks.onvif import BD, TT


def write_frame(t: float, seen: Sequence[Seen], *, width: int, height: int) -> bytes:
    """The document that `read_frame` reads; boxes in normalised coordinates, y upwards."""
    root = Element(f"{TT}MetadataStream")
    _add_frame(SubElement(root, f"{TT}VideoAnalytics"), datetime.fromtimestamp(t, UTC), seen, width, height)
    return bytes(tostring(root, encoding="utf-8"))


def write_stream(
    frames: Iterable[tuple[float, Sequence[Seen]]], path: Path, *, start: datetime, width: int, height: int
) -> None:
    """The file that `read_onvif` reads; times count from the start."""
    root = Element(f"{TT}MetadataStream")
    analytics = SubElement(root, f"{TT}VideoAnalytics")
    for t, seen in frames:
        _add_frame(analytics, start.astimezone(UTC) + timedelta(seconds=t), seen, width, height)
    path.write_bytes(tostring(root, encoding="utf-8"))


def _add_frame(analytics: Element, at: datetime, seen: Sequence[Seen], width: int, height: int) -> None:
    frame = SubElement(analytics, f"{TT}Frame")
    frame.set("UtcTime", at.isoformat(timespec="microseconds").replace("+00:00", "Z"))
    for each in seen:
        item = SubElement(frame, f"{TT}Object", ObjectId=str(each.id))
        look = SubElement(item, f"{TT}Appearance")
        left, top, w, h = each.box
        sides = {"left": left * 2 / width - 1, "right": (left + w) * 2 / width - 1}
        sides |= {"top": 1 - top * 2 / height, "bottom": 1 - (top + h) * 2 / height}
        SubElement(SubElement(look, f"{TT}Shape"), f"{TT}BoundingBox", {k: exact(v) for k, v in sides.items()})
        if each.label or each.confidence != 1:
            kind = SubElement(SubElement(look, f"{TT}Class"), f"{TT}Type", Likelihood=exact(each.confidence))
            kind.text = each.label
        if each.height_m is not None:
            body = SubElement(SubElement(look, f"{TT}HumanBody"), f"{BD}BodyMetric")
            SubElement(body, f"{BD}Height").text = exact(each.height_m * 100)
