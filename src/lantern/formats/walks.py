"""Walks as files: a GPX track with times and coordinates on the earth, or a CSV file of times and metres on the plan."""

from __future__ import annotations

from datetime import UTC, datetime
from pathlib import Path
from xml.etree.ElementTree import ParseError

import gpxpy
import numpy as np
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring
from gpxpy.gpx import GPXException

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.promise.earth import x_y
from lantern.core.promise.plan import Plan
from lantern.core.registration.walk import Track
from lantern.core.signals import Floats
from lantern.formats.text import Source, number, shown

COLUMNS = ("t_s", "x_m", "y_m")  # seconds since the take began
AT_COLUMNS = ("at", "x_m", "y_m")  # moments by ISO 8601, with the zone
MOST_POINTS, FEWEST, FARTHEST_M = 200_000, 2, 20_000.0


def read_walk(data: bytes, *, name: str, plan: Plan, start: datetime, error_m: float | None = None) -> Track:
    """Return a walk on the plan, its times in s since `start`, when the take began. Raises `Refused` for what is no walk."""
    rows = _gpx(data, name, plan, start) if Path(name).suffix.lower() == ".gpx" else _csv(data, name, start)
    faults = FaultList()
    if len(rows) < FEWEST:
        faults.add(name, f"{len(rows)} points with a time", f"{FEWEST} at least")
    faults.refuse_if_any()
    table = np.array(rows, dtype=np.float64)
    for row in np.flatnonzero(np.diff(table[:, 0]) <= 0)[:5].tolist():
        faults.add(name, f"point {row + 2} is no later than the one before", "times that rise")
    for row in np.flatnonzero(np.abs(table[:, 1:]).max(axis=1) > FARTHEST_M)[:5].tolist():
        where = f"point {row + 1} lies {np.abs(table[row, 1:]).max() / 1000:.0f} km from the plan's origin"
        faults.add(name, where, "a walk on this site: are latitude and longitude of the plan right?")
    faults.refuse_if_any()
    return Track(table[:, 0], table[:, 1], table[:, 2], error_m)


def _gpx(data: bytes, name: str, plan: Plan, start: datetime) -> Floats | list[tuple[float, float, float]]:
    """Tracks and their segments one after the other, as GPX 1.1 has them; waypoints and routes have no walk in them."""
    try:
        fromstring(data, forbid_dtd=True, forbid_entities=True, forbid_external=True)
        held = gpxpy.parse(data.decode("utf-8-sig"))
    except (DefusedXmlException, ParseError, GPXException, UnicodeDecodeError, ValueError) as error:
        raise Refused([Fault(name, f"is no GPX: {error}"[:200], "a GPX 1.0 or 1.1 file of a track")]) from error
    out = []
    for point in (point for track in held.tracks for segment in track.segments for point in segment.points):
        if point.time is None:
            continue
        moment = point.time if point.time.tzinfo is not None else point.time.replace(tzinfo=UTC)
        out.append(((moment - start).total_seconds(), *x_y(plan, point.longitude, point.latitude)))
        if len(out) > MOST_POINTS:
            raise Refused([Fault(name, f"more than {MOST_POINTS} points", f"{MOST_POINTS} at most")])
    return out


def _csv(data: bytes, name: str, start: datetime) -> list[tuple[float, float, float]]:
    faults, source = FaultList(), Source(data, name)
    rows = source.rows(faults)
    _, header = next(rows, (1, []))
    if tuple(header) not in (COLUMNS, AT_COLUMNS):
        faults.add(
            f"{name}, line 1", f"header {shown(','.join(header))}", f"{','.join(COLUMNS)} or {','.join(AT_COLUMNS)}"
        )
        faults.refuse_if_any()
    out = []
    for line, row in rows:
        place = f"{name}, line {line}"
        if len(row) != len(COLUMNS):
            faults.add(place, f"{len(row)} columns", f"{len(COLUMNS)} as in the header")
            continue
        first = row[0]
        t = number(first, faults, where=f"{place}, t_s") if header[0] == "t_s" else _moment(first, start, faults, place)
        x, y = (number(row[at], faults, where=f"{place}, {COLUMNS[at]}") for at in (1, 2))
        out.append((t, x, y))
        if faults.full():
            break
        if len(out) > MOST_POINTS:
            raise Refused([Fault(name, f"more than {MOST_POINTS} points", f"{MOST_POINTS} at most")])
    faults.refuse_if_any()
    return out


def _moment(text: str, start: datetime, faults: FaultList, place: str) -> float:
    try:
        moment = datetime.fromisoformat(text)
    except ValueError:
        moment = None
    if moment is None or moment.tzinfo is None:
        faults.add(f"{place}, at", shown(text), "a moment with its zone, such as 2026-03-14T06:10:00Z")
        return 0.0
    return (moment - start).total_seconds()
