"""A site's file as it is rehearsed as a whole, and files of events that happen on it."""

from __future__ import annotations

import json
import math
from datetime import datetime, timedelta
from functools import lru_cache
from pathlib import Path
from typing import Any, Literal

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.linking.whole import Given, Rules
from lantern.core.logic.timetable import Timetable, zone_of
from lantern.core.site import Site
from lantern.formats.documents import read_bytes
from lantern.formats.limits import DEFAULT, Limits

START = datetime(2026, 1, 5)  # local time of the site
Document = dict[str, Any]


def begin_of(site: Site, start: datetime | None) -> datetime:
    """Return the aware instant of second 0: the one that is given, in the site's zone where it names none."""
    zone = zone_of(site.zone)
    return START.replace(tzinfo=zone) if start is None else start if start.tzinfo else start.replace(tzinfo=zone)


def rules_of(site: Site, begins: datetime) -> Rules:
    """Return what a site says of causes and effects, with second 0 at a moment."""
    messages = {each.name: each for each in site.messages}
    return Rules(site.links, site.compounds, messages, site.own_hours, _is_on(site.timetables, begins))


def _is_on(timetables: tuple[Timetable, ...], begins: datetime) -> Any:
    by_name = {each.name: each for each in timetables}

    @lru_cache(maxsize=100_000)
    def is_on(name: str, t_s: float) -> bool:
        return by_name[name].is_active(begins + timedelta(seconds=t_s))

    return is_on


# ---- events ----------------------------------------------------------------------------------------------------------


def read_events(path: Path, site: Site, limits: Limits = DEFAULT) -> list[Given]:
    """Return the events of a file of JSON lines, as in the file. Raises `Refused` with each line that is wrong."""
    detectors = {each.name for each in site.detectors}
    inputs = {each.name for device in site.devices for each in device.inputs}
    faults, out = FaultList(), []
    data = read_bytes(path, most=limits.document_bytes * 100)
    try:
        text = data.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        raise Refused([Fault(path.name, f"is no UTF-8 at byte {error.start}", "JSON lines in UTF-8")]) from error
    for number, line in enumerate(text.splitlines(), 1):
        if not line.strip():
            continue
        where = f"{path.name}, line {number}"
        try:
            said = json.loads(line)
        except ValueError as error:
            faults.add(where, f"is no JSON: {error}", "a JSON object a line")
            continue
        if not isinstance(said, dict):
            faults.add(where, repr(said)[:60], "a JSON object")
            continue
        given = _given(said, where, detectors, inputs, faults)
        if given is not None:
            out.append(given)
        if faults.full():
            break
    faults.refuse_if_any()
    return out


def _given(said: Document, where: str, detectors: set[str], inputs: set[str], faults: FaultList) -> Given | None:
    what: Literal["detector", "input"] = "input" if "input" in said else "detector"
    name, there = said.get(what), inputs if what == "input" else detectors
    raised, cleared = said.get("raised_s"), said.get("cleared_s")
    wrong: list[tuple[str, str, str]] = []
    if not isinstance(name, str) or name not in there:
        wrong.append((what, repr(name)[:60], f"one of {', '.join(sorted(there)) or 'none that there is'}"))
    if not _is_number(raised):
        wrong.append(("raised_s", repr(raised)[:60], "seconds, a number"))
    if cleared is not None and not _is_number(cleared):
        wrong.append(("cleared_s", repr(cleared)[:60], "seconds, a number, or null"))
    elif cleared is not None and _is_number(raised) and cleared < raised:
        wrong.append(("cleared_s", f"{cleared:g} is before raised_s {raised:g}", "a time not before it"))
    if what == "input" and said.get("state") not in ("active", "fault"):
        wrong.append(("state", repr(said.get("state"))[:60], "active or fault"))
    if not isinstance(said.get("repeat", False), bool):
        wrong.append(("repeat", repr(said["repeat"])[:60], "true or false"))
    for key, found, expected in wrong:
        faults.add(f"{where}: {key}", found, expected)
    if wrong or raised is None:
        return None
    region = said.get("state") if what == "input" else said.get("region") or ""
    ends = None if cleared is None else float(cleared)
    return Given(what, str(name), float(raised), ends, said.get("repeat", False), str(region), said.get("list"), said)


def _is_number(value: Any) -> bool:
    return isinstance(value, int | float) and not isinstance(value, bool) and math.isfinite(value)
