"""Tracks from an ONVIF metadata stream (`tt:MetadataStream`): frames with objects, boxes in normalised coordinates, classes.

Axes run from -1 to 1 with y upwards; a frame's own `Transformation` comes first where there is one. An object is gone when it
is missing from a frame, or is deleted or removed in so many words. Entities and document types are refused (defusedxml).
How tall a person is stands in the body metric, in centimetres. Sources: ONVIF Analytics Service Specification, schemas
http://www.onvif.org/ver10/schema and http://www.onvif.org/ver20/analytics/humanbody (both from memory).
"""

from __future__ import annotations

import io
import math
from collections.abc import Iterator, Sequence
from datetime import UTC, datetime
from typing import Any
from xml.etree.ElementTree import Element, ParseError, SubElement, tostring

import numpy as np
from defusedxml import ElementTree
from defusedxml.common import DefusedXmlException

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.objects.following import Seen
from lantern.core.objects.tracks import Tracks, make_tracks

TT = "{http://www.onvif.org/ver10/schema}"
BD = "{http://www.onvif.org/ver20/analytics/humanbody}"


def read_onvif(data: bytes, *, where: str, start: datetime, width: int, height: int) -> Tracks:
    """Times count from the take's start. The most likely class candidate is a sample's class."""
    faults = FaultList()
    samples: list[tuple[float, str, tuple[float, float, float, float], str, float, float]] = []
    last, number = -1.0, 0
    times: list[float] = []
    for number, frame in enumerate(_frames(data, where), 1):
        place = f"{where}, frame {number}"
        t = _time(frame.get("UtcTime"), start, faults, place)
        if t is None:
            continue
        if t <= last:
            faults.add(place, f"{t:g} s does not follow {last:g} s", "times that run forward, from the take's start on")
        last = max(last, t)
        times.append(t)
        seen: set[str] = set()
        for item in frame.findall(f"{TT}Object"):
            name = item.get("ObjectId", "")
            if not name:
                faults.add(place, "an object without ObjectId", "an id")
            elif name in seen:
                faults.add(place, f"object {name} has two boxes", "one of an id a frame")
            seen.add(name)
            box = _box(item, frame, width, height, faults, f"{place}, object {name}")
            if box is not None and name:
                word, likelihood = _class(item, faults, f"{place}, object {name}")
                tall = _height(item, faults, f"{place}, object {name}")
                samples.append((t, name, box, word, likelihood, math.nan if tall is None else tall))
        if faults.full():
            break
    if number == 0:
        faults.add(where, "holds no tt:Frame", "tt:VideoAnalytics with frames")
    faults.refuse_if_any()
    fps = 1 / float(np.median(np.diff(times))) if len(times) > 1 else None
    seen_as: dict[str, Any] = {"last_s": max(last, 0.0), "frame_px": (width, height), "fps": fps}
    if not samples:
        return make_tracks(np.zeros(0), np.zeros(0, dtype=np.int64), np.zeros((0, 4)), **seen_as)
    t_s, ids, boxes, labels, sure, tall_m = zip(*samples, strict=True)
    whole = all(i.isdigit() for i in ids)
    known: Any = np.array([int(i) for i in ids], dtype=np.int64) if whole else list(ids)
    seen_as |= {"confidence": np.array(sure), "labels": list(labels), "height_m": np.array(tall_m)}
    return make_tracks(np.array(t_s), known, np.array(boxes), **seen_as)


def _frames(data: bytes, where: str) -> Iterator[Element]:
    try:
        for _, element in ElementTree.iterparse(io.BytesIO(data), events=("end",), forbid_dtd=True):
            if element.tag == f"{TT}Frame":
                yield element
                element.clear()
    except DefusedXmlException as error:
        raise Refused(
            [Fault(where, f"{type(error).__name__}: entities or a document type", "XML without them")]
        ) from error
    except ParseError as error:
        line, column = error.position
        raise Refused(
            [
                Fault(
                    f"{where}, line {line}",
                    f"not whole XML at column {column + 1}: {error.msg}",
                    "a whole tt:MetadataStream",
                )
            ]
        ) from error


def read_frame(data: bytes, *, where: str, width: int, height: int) -> tuple[float, list[Seen]]:
    """One document with one frame, as a live device sends it: Unix seconds, and what is seen. Raises `Refused`."""
    faults = FaultList()
    frames = list(_whole_frames(data, where))
    if len(frames) != 1:
        faults.add(where, f"{len(frames)} tt:Frame", "one")
        faults.refuse_if_any()
    [frame] = frames
    t = _time(frame.get("UtcTime"), datetime.fromtimestamp(0, UTC), faults, where)
    seen = []
    for item in frame.findall(f"{TT}Object"):
        name = item.get("ObjectId", "")
        if not name:
            faults.add(where, "an object without ObjectId", "an id")
            continue
        box = _box(item, frame, width, height, faults, f"{where}, object {name}")
        if box is not None:
            word, likelihood = _class(item, faults, f"{where}, object {name}")
            tall = _height(item, faults, f"{where}, object {name}")
            seen.append(Seen(int(name) if name.isdigit() else name, box, likelihood, word, tall))
    faults.refuse_if_any()
    assert t is not None
    return t, seen


def write_frame(t: float, seen: Sequence[Seen], *, width: int, height: int) -> bytes:
    """The document that `read_frame` reads; boxes in normalised coordinates, y upwards."""
    root = Element(f"{TT}MetadataStream")
    frame = SubElement(SubElement(root, f"{TT}VideoAnalytics"), f"{TT}Frame")
    frame.set("UtcTime", datetime.fromtimestamp(t, UTC).isoformat(timespec="microseconds").replace("+00:00", "Z"))
    for each in seen:
        item = SubElement(frame, f"{TT}Object", ObjectId=str(each.id))
        look = SubElement(item, f"{TT}Appearance")
        left, top, w, h = each.box
        sides = {"left": left * 2 / width - 1, "right": (left + w) * 2 / width - 1}
        sides |= {"top": 1 - top * 2 / height, "bottom": 1 - (top + h) * 2 / height}
        SubElement(SubElement(look, f"{TT}Shape"), f"{TT}BoundingBox", {k: f"{v:.6f}" for k, v in sides.items()})
        if each.label:
            kind = SubElement(SubElement(look, f"{TT}Class"), f"{TT}Type", Likelihood=f"{each.confidence:.3f}")
            kind.text = each.label
        if each.height_m is not None:
            body = SubElement(SubElement(look, f"{TT}HumanBody"), f"{BD}BodyMetric")
            SubElement(body, f"{BD}Height").text = f"{each.height_m * 100:.1f}"
    return bytes(tostring(root, encoding="utf-8"))


def _whole_frames(data: bytes, where: str) -> list[Element]:
    """All frames of a short document, not emptied after their turn."""
    try:
        return list(ElementTree.fromstring(data, forbid_dtd=True).iter(f"{TT}Frame"))
    except DefusedXmlException as error:
        raise Refused(
            [Fault(where, f"{type(error).__name__}: entities or a document type", "XML without them")]
        ) from error
    except ParseError as error:
        raise Refused([Fault(where, f"not whole XML: {error.msg}", "a whole tt:MetadataStream")]) from error


def _time(text: str | None, start: datetime, faults: FaultList, place: str) -> float | None:
    try:
        at = datetime.fromisoformat((text or "").replace("Z", "+00:00"))
    except ValueError:
        faults.add(f"{place}, UtcTime", repr(text), "a time such as 2026-03-04T05:12:00.080Z")
        return None
    if at.tzinfo is None:
        faults.add(f"{place}, UtcTime", f"{text!r} has no zone", "UTC: a Z at its end")
        return None
    t = (at - start).total_seconds()
    if t < 0:
        faults.add(f"{place}, UtcTime", f"{-t:g} s before the take's start", "frames of the take")
    return round(t, 6)


def _box(
    item: Element, frame: Element, width: int, height: int, faults: FaultList, place: str
) -> tuple[float, float, float, float] | None:
    found = item.find(f"{TT}Appearance/{TT}Shape/{TT}BoundingBox")
    if found is None:
        return None  # an object may be told of without its shape: it is then not seen
    values = {}
    for side in ("left", "top", "right", "bottom"):
        try:
            values[side] = float(found.get(side, ""))
        except ValueError:
            values[side] = float("nan")
        if not np.isfinite(values[side]):
            faults.add(f"{place}, {side}", repr(found.get(side)), "a finite number from -1 to 1")
            return None
    sx, sy, dx, dy = _transformation(frame)
    left, right = ((values[k] * sx + dx + 1) * width / 2 for k in ("left", "right"))
    top, bottom = ((1 - (values[k] * sy + dy)) * height / 2 for k in ("top", "bottom"))
    if right <= left or bottom <= top:
        faults.add(place, f"a box of {right - left:g} x {bottom - top:g} pixels", "right of left, and top above bottom")
        return None
    return left, top, right - left, bottom - top


def _transformation(frame: Element) -> tuple[float, float, float, float]:
    """(scale x, scale y, translate x, translate y) from the frame's own coordinates to normalised ones."""
    scale, translate = (frame.find(f"{TT}Transformation/{TT}{name}") for name in ("Scale", "Translate"))
    sx, sy = (float(scale.get(k, "1")) if scale is not None else 1.0 for k in ("x", "y"))
    dx, dy = (float(translate.get(k, "0")) if translate is not None else 0.0 for k in ("x", "y"))
    return sx, sy, dx, dy


def _height(item: Element, faults: FaultList, place: str) -> float | None:
    """How tall, in m; None where nothing is said of it."""
    text = item.findtext(f"{TT}Appearance/{TT}HumanBody/{BD}BodyMetric/{BD}Height")
    if text is None:
        return None
    try:
        height_m = float(text) / 100
    except ValueError:
        height_m = math.nan
    if not (math.isfinite(height_m) and height_m > 0):
        faults.add(f"{place}, Height", repr(text), "a height above 0, in centimetres")
        return None
    return height_m


def _class(item: Element, faults: FaultList, place: str) -> tuple[str, float]:
    """The most likely candidate, in either of the two forms that the schema has had; unknown without one."""
    best = ("", 1.0)
    found = item.find(f"{TT}Appearance/{TT}Class")
    if found is None:
        return best
    pairs = [
        (c.findtext(f"{TT}Type", ""), c.findtext(f"{TT}Likelihood", "1")) for c in found.findall(f"{TT}ClassCandidate")
    ]
    pairs += [(c.text or "", c.get("Likelihood", "1")) for c in found.findall(f"{TT}Type")]
    most = -1.0
    for word, text in pairs:
        try:
            likelihood = float(text)
        except ValueError:
            faults.add(f"{place}, Likelihood", repr(text), "a number from 0 to 1")
            continue
        if likelihood > most:
            most, best = likelihood, (word.strip(), likelihood)
    return best
