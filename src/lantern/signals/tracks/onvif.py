"""Tracks from an ONVIF metadata stream (`tt:MetadataStream`): frames with objects, boxes in normalised coordinates, classes.

Axes run from -1 to 1 with y upwards; a frame's own `Transformation` comes first where there is one. An object is gone when it
is missing from a frame, or is deleted or removed in so many words. Entities and document types are refused (defusedxml).
How tall a person is stands in the body metric, in centimetres. Sources: ONVIF Analytics Service Specification, schemas
http://www.onvif.org/ver10/schema and http://www.onvif.org/ver20/analytics/humanbody (both from memory).
"""

from __future__ import annotations

import math
from array import array
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path
from typing import Any, cast
from xml.etree.ElementTree import Element, ParseError, TreeBuilder, XMLPullParser

import numpy as np
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import DefusedXMLParser

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.tracks import Seen, Tracks, arrange
from lantern.formats.border import border
from lantern.formats.limits import DEFAULT, LONGEST_S, MOST_PX, TALLEST_M, Limits
from lantern.formats.names import Names
from lantern.formats.progress import beat
from lantern.formats.text import Source, bounded, is_whole, name, number, shown

TT = "{http://www.onvif.org/ver10/schema}"
BD = "{http://www.onvif.org/ver20/analytics/humanbody}"
FRAME = f"{TT}Frame"
CHUNK_BYTES = 64 * 1024
MOST_DEPTH = 100
FEW_TAGS = 2_000
MOST_PARTS = 100_000  # elements of a frame, or from one to the next
MOST_TOKEN_BYTES = 16 * 1024 * 1024  # without any element beginning or ending
Shift = tuple[float, float, float, float]


def read_onvif(
    content: bytes | Path, *, where: str, start: datetime, width: int, height: int, limits: Limits = DEFAULT
) -> Tracks:
    """Times count from the take's start. The most likely class candidate is a sample's class."""
    faults, source = FaultList(), Source(content, where)
    ids, words = Names(), Names()
    samples, times = array("d"), array("d")
    last, count = -1.0, 0
    for at, frame in enumerate(_frames(source), 1):
        place = f"{where}, frame {at}"
        t = _time(frame.get("UtcTime"), start, faults, place)
        if t is None:
            continue
        bounded(max(t, 0.0), 0, LONGEST_S, faults, where=f"{place}, UtcTime", unit=" s from the take's start")
        if t <= last:
            faults.add(place, f"{t:g} s does not follow {last:g} s", "times that run forward, from the take's start on")
        last = max(last, t)
        times.append(t)
        seen: set[str] = set()
        for thing in _things(frame, width, height, faults, place):
            if thing.name in seen:
                faults.add(place, f"object {thing.name[:40]} has two boxes", "one of an id a frame")
            seen.add(thing.name)
            if thing.box is not None:
                tall = math.nan if thing.height_m is None else thing.height_m
                which = (ids.index(thing.name), words.index(thing.word))
                samples.extend((t, *thing.box, thing.likelihood, tall, *which))
                count += 1
        if count > limits.rows or len(times) > limits.rows:
            faults.add(where, f"more than {limits.rows} boxes or frames", f"at most {limits.rows} (a setting)")
        if faults.full() or count > limits.rows or len(times) > limits.rows:
            break
    if not times:
        faults.add(where, "holds no tt:Frame", "tt:VideoAnalytics with frames")
    known = ids.known(faults, where=f"{where}, ObjectId")
    faults.refuse_if_any()
    fps = 1 / float(np.median(np.diff(times))) if len(times) > 1 else None
    read = np.frombuffer(samples, dtype=np.float64).reshape(-1, 9)
    columns: dict[str, Any] = {
        "t_s": read[:, 0],
        "object": read[:, 7].astype(np.intp),
        "box": read[:, 1:5],
        "label": read[:, 8].astype(np.intp),
        "confidence": read[:, 5],
        "height_m": read[:, 6],
    }
    return arrange(columns, known, words.all, last_s=max(last, 0.0), frame_px=(width, height), fps=fps)


def begin_of_stream(content: bytes | Path, *, where: str) -> datetime:
    """Return when its first frame was taken. Raises `Refused`."""
    faults = FaultList()
    for at, frame in enumerate(_frames(Source(content, where)), 1):
        t = _time(frame.get("UtcTime"), datetime.fromtimestamp(0, UTC), faults, f"{where}, frame {at}")
        if t is not None:
            return datetime.fromtimestamp(t, UTC)
        faults.refuse_if_any()
    raise Refused([Fault(where, "holds no tt:Frame", "tt:VideoAnalytics with frames")])


def _frames(source: Source) -> Iterator[Element]:
    """Each tt:Frame as it ends. What is outside of frames is not kept; a frame is bounded in its parts and in its bytes."""
    within: list[Element] = []  # the elements that are open
    frame_depth, parts, unread = 0, 0, 0
    with _told(source.where), source.open() as stream:
        parser = XMLPullParser(("start", "end"), _parser=DefusedXMLParser(target=TreeBuilder(), forbid_dtd=True))
        while chunk := stream.read(CHUNK_BYTES):
            unread += len(chunk)
            beat()
            parser.feed(chunk)
            for event, element in cast("Iterator[tuple[str, Element]]", parser.read_events()):
                unread, parts = 0, parts + 1
                if event == "start":
                    within.append(element)
                    if not frame_depth and element.tag == FRAME:
                        frame_depth = len(within)
                else:
                    if frame_depth == len(within):
                        yield element
                        frame_depth = 0
                        parts = 0
                    within.pop()
                    if within and not frame_depth:
                        within[-1].clear()  # of what has ended in it
                _bound(source.where, depth=len(within), parts=parts)
            _bound(source.where, unread=unread)
        parser.close()


def _frames_at_once(data: bytes, where: str) -> list[Element]:
    """The same, of a document that is small and all there: a third of the work, ten times a second from every device."""
    with _told(where):
        parser = DefusedXMLParser(target=TreeBuilder(), forbid_dtd=True)
        parser.feed(data)
        return list(parser.close().iter(FRAME))


def _bound(where: str, *, depth: int = 0, parts: int = 0, unread: int = 0) -> None:
    expected = "frames as a device sends them"
    if depth > MOST_DEPTH:
        raise Refused([Fault(where, f"elements nested {depth} deep", expected)])
    if parts > MOST_PARTS:
        raise Refused([Fault(where, f"more than {MOST_PARTS} elements in one frame, or between two", expected)])
    if unread > MOST_TOKEN_BYTES:
        raise Refused([Fault(where, f"one text of more than {MOST_TOKEN_BYTES} bytes", expected)])


@contextmanager
def _told(where: str) -> Iterator[None]:
    """Errors of the parser as faults."""
    try:
        yield
    except DefusedXmlException as error:
        what = f"{type(error).__name__}: entities or a document type"
        raise Refused([Fault(where, what, "XML without them")]) from error
    except ParseError as error:
        line, column = error.position
        what = f"not whole XML at column {column + 1}: {error.msg}"
        raise Refused([Fault(f"{where}, line {line}", what, "a whole tt:MetadataStream")]) from error
    except (LookupError, ValueError) as error:  # of the encoding that it says it has
        raise Refused([Fault(where, f"not readable as XML: {error}", "XML in UTF-8")]) from error


@dataclass(frozen=True)
class _Thing:
    """One tt:Object of a frame; without a box it is told of, and not seen."""

    name: str
    box: tuple[float, float, float, float] | None
    word: str
    likelihood: float
    height_m: float | None


def _things(frame: Element, width: int, height: int, faults: FaultList, place: str) -> Iterator[_Thing]:
    shift = _transformation(frame, faults, place)
    for item in frame.findall(f"{TT}Object"):
        own = item.get("ObjectId", "")
        if not own:
            faults.add(place, "an object without ObjectId", "an id")
            continue
        here = f"{place}, object {own[:40]}"
        name(own, faults, where=f"{place}, ObjectId")
        box = _box(item, shift, width, height, faults, here)
        if box is None:
            yield _Thing(own, None, "", 1.0, None)
        else:
            word, likelihood = _class(item, faults, here)
            yield _Thing(own, box, word, likelihood, _height(item, faults, here))


def read_frame(data: bytes, *, where: str, width: int, height: int) -> tuple[float, list[Seen]]:
    """One document with one frame, as a live device sends it: Unix seconds, and what is seen. Raises `Refused`."""
    faults = FaultList()
    out: list[tuple[float, list[Seen]]] = []
    with border(where, "one tt:Frame"):
        for frame in _frames_at_once(data, where) if data.count(b"<") <= FEW_TAGS else _frames(Source(data, where)):
            t = _time(frame.get("UtcTime"), datetime.fromtimestamp(0, UTC), faults, where)
            things = list(_things(frame, width, height, faults, where))
            faults.refuse_if_any()
            assert t is not None
            out.append((t, [_seen(thing, thing.box) for thing in things if thing.box is not None]))
        if len(out) != 1:
            faults.add(where, f"{len(out)} tt:Frame", "one")
            faults.refuse_if_any()
    return out[0]


def _seen(thing: _Thing, box: tuple[float, float, float, float]) -> Seen:
    small = is_whole(thing.name) and len(thing.name) < 17
    return Seen(int(thing.name) if small else thing.name, box, thing.likelihood, thing.word, thing.height_m)


def _time(text: str | None, start: datetime, faults: FaultList, place: str) -> float | None:
    try:
        at = datetime.fromisoformat((text or "").replace("Z", "+00:00"))
    except ValueError:
        faults.add(f"{place}, UtcTime", shown(text or ""), "a time such as 2026-03-04T05:12:00.080Z")
        return None
    if at.tzinfo is None:
        faults.add(f"{place}, UtcTime", f"{text!r} has no zone", "UTC: a Z at its end")
        return None
    t = (at - start).total_seconds()
    if t < 0:
        faults.add(f"{place}, UtcTime", f"{-t:g} s before the take's start", "frames of the take")
    return round(t, 6)


def _box(
    item: Element, shift: Shift, width: int, height: int, faults: FaultList, place: str
) -> tuple[float, float, float, float] | None:
    found = item.find(f"{TT}Appearance/{TT}Shape/{TT}BoundingBox")
    if found is None:
        return None  # an object may be told of without its shape: it is then not seen
    sides = {side: _attribute(found, side, "", faults, place) for side in ("left", "top", "right", "bottom")}
    if any(math.isnan(value) for value in sides.values()):
        return None
    sx, sy, dx, dy = shift
    left, right = ((sides[k] * sx + dx + 1) * width / 2 for k in ("left", "right"))
    top, bottom = ((1 - (sides[k] * sy + dy)) * height / 2 for k in ("top", "bottom"))
    if not all(math.isfinite(v) and abs(v) <= MOST_PX for v in (left, right, top, bottom)):
        faults.add(place, f"a box from {left:g}, {top:g} to {right:g}, {bottom:g} px", f"within {MOST_PX:g} px")
        return None
    if right <= left or bottom <= top:
        faults.add(place, f"a box of {right - left:g} x {bottom - top:g} pixels", "right of left, and top above bottom")
        return None
    return left, top, right - left, bottom - top


def _transformation(frame: Element, faults: FaultList, place: str) -> Shift:
    """(scale x, scale y, translate x, translate y) from the frame's own coordinates to normalised ones."""
    scale, translate = (frame.find(f"{TT}Transformation/{TT}{part}") for part in ("Scale", "Translate"))
    sx, sy = (1.0 if scale is None else _attribute(scale, k, "1", faults, f"{place}, Scale") for k in ("x", "y"))
    dx, dy = (0.0 if translate is None else _attribute(translate, k, "0", faults, f"{place}, Translate") for k in "xy")
    return sx, sy, dx, dy


def _attribute(element: Element, key: str, default: str, faults: FaultList, place: str) -> float:
    return number(element.get(key, default), faults, where=f"{place}, {key}")


def _height(item: Element, faults: FaultList, place: str) -> float | None:
    """Return how tall, in m; None where nothing is said of it."""
    text = item.findtext(f"{TT}Appearance/{TT}HumanBody/{BD}BodyMetric/{BD}Height")
    if text is None:
        return None
    height_m = number(text, FaultList(), where=place) / 100
    if not 0 < height_m <= TALLEST_M:
        faults.add(f"{place}, Height", shown(text), f"a height above 0 and at most {TALLEST_M * 100:g}, in centimetres")
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
        likelihood = bounded(
            number(text, faults, where=f"{place}, Likelihood"), 0, 1, faults, where=f"{place}, Likelihood"
        )
        if likelihood > most:
            most, best = likelihood, (name(word.strip(), faults, where=f"{place}, class"), likelihood)
    return best
