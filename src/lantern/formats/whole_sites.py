"""A site's file with all that its links may have done, and a file of events, as the rehearsal of a whole site reads them."""

from __future__ import annotations

import json
import math
from collections import Counter
from collections.abc import Collection, Iterator, Mapping
from copy import deepcopy
from dataclasses import dataclass
from datetime import datetime, timedelta
from functools import lru_cache
from pathlib import Path
from typing import Any, Literal

from pydantic import ValidationError

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.linking.effects import EFFECTS, Clip, Effect, Follow, GoTo, Link, Message, Say, Switch
from lantern.core.linking.expectations import Expectation
from lantern.core.linking.whole import Given, Ruled, Rules
from lantern.core.logic.causes import Cause
from lantern.core.logic.compounds import Compound, ordered
from lantern.core.logic.timetable import Timetable, zone_of
from lantern.core.modelled import key_fault, read_model
from lantern.core.site import Site
from lantern.formats.documents import read_bytes, read_json, site_of
from lantern.formats.limits import DEFAULT, Limits

START = datetime(2026, 1, 5)  # of a rehearsal, where nobody says, in the site's zone
SPEAKER, PTZ = "speaker", "ptz"
Document = dict[str, Any]


@dataclass(frozen=True)
class Whole:
    """A site with all that its links may have done. `rules`: of a rehearsal whose second 0 is at a moment."""

    site: Site
    links: tuple[Ruled, ...]
    compounds: tuple[Compound, ...]
    messages: Mapping[str, Message]
    hours: Mapping[tuple[str, str], str]
    expectations: tuple[Expectation, ...]
    document: Mapping[str, Any]

    def begins(self, start: datetime | None) -> datetime:
        zone = zone_of(self.site.zone)
        return START.replace(tzinfo=zone) if start is None else start if start.tzinfo else start.replace(tzinfo=zone)

    def rules(self, begins: datetime) -> Rules:
        is_on = _is_on(self.site.timetables, begins)
        return Rules(self.links, self.compounds, self.messages, self.hours, is_on)


def read_whole(path: Path, limits: Limits = DEFAULT) -> Whole:
    """Return a site's file as a rehearsal reads it. Raises `Refused` with every fault."""
    given = dict(read_json(read_bytes(path, most=limits.document_bytes), where=path.name))
    document = deepcopy(given)
    apart = {
        key: document.pop(key, None) or [] for key in ("links", "compounds", "messages", "accepted", "expectations")
    }
    hours = dict(_own_hours(document))
    site = site_of({**document, "compounds": [], "links": []}, where=path.name)
    faults = FaultList()
    links = tuple(_links(apart["links"], faults))
    compounds = tuple(_read(Compound, each, f"compounds.{n}", faults) for n, each in enumerate(apart["compounds"]))
    messages = tuple(_read(Message, each, f"messages.{n}", faults) for n, each in enumerate(apart["messages"]))
    expectations = tuple(
        _read(Expectation, each, f"expectations.{n}", faults) for n, each in enumerate(apart["expectations"])
    )
    faults.refuse_if_any()
    known = tuple(each for each in compounds if each is not None)
    said = {each.name: each for each in messages if each is not None}
    for detector in site.detectors:
        if detector.timetable:
            hours["detector", detector.name] = detector.timetable
    _check(_Names(site, known, said, faults), links, known, hours)
    faults.refuse_if_any()
    ordered(known)  # a circle is refused
    return Whole(site, links, known, said, hours, tuple(each for each in expectations if each is not None), given)


def _own_hours(document: Document) -> Iterator[tuple[tuple[str, str], str]]:
    """Take the timetables of outputs and inputs out of a document; they are of no subject of the program yet."""
    for place in document.get("places") or ():
        for device in place.get("devices") or () if isinstance(place, dict) else ():
            for what, key in (("output", "outputs"), ("input", "inputs")):
                for each in device.get(key) or () if isinstance(device, dict) else ():
                    timetable = each.pop("timetable", None) if isinstance(each, dict) else None
                    if timetable is not None:
                        yield (what, str(each.get("name"))), str(timetable)


def _read(model: Any, document: Any, where: str, faults: FaultList) -> Any:
    if not isinstance(document, dict):
        faults.add(where, repr(document)[:60], "an object")
        return None
    try:
        return read_model(model, document, where=where)
    except Refused as refused:
        for fault in refused.faults:
            faults.add(fault.where, fault.what, fault.expected)
        return None


def _links(documents: Any, faults: FaultList) -> Iterator[Ruled]:
    for number, document in enumerate(documents):
        where = f"links.{number}"
        link = _read(Link, document, where, faults)
        if link is None:
            continue
        try:
            cause: Cause = link.cause
        except ValidationError as error:
            for detail in error.errors():
                fault = key_fault(where, detail)
                faults.add(fault.where, fault.what, fault.expected)
            continue
        effects = [_effect(each, f"{where}.effects.{place}", faults) for place, each in enumerate(link.effects)]
        outputs = [each.output for each in effects if isinstance(each, Switch)]
        for name in sorted({each for each in outputs if outputs.count(each) > 1}):
            faults.add(where, f"output {name} has two effects in one link", "one of them")
        yield Ruled(link, cause, tuple(each for each in effects if each is not None))


def _effect(document: Mapping[str, Any], where: str, faults: FaultList) -> Effect | None:
    do = document.get("do", "switch")
    if do not in EFFECTS:
        faults.add(f"{where}.do", repr(do)[:60], f"one of {', '.join(EFFECTS)}")
        return None
    found: Effect | None = _read(EFFECTS[do], dict(document), where, faults)
    return found


class _Names:
    """What there is on a site by name, and what is wrong with names that lead nowhere."""

    def __init__(
        self, site: Site, compounds: tuple[Compound, ...], messages: Mapping[str, Message], faults: FaultList
    ) -> None:
        self.faults, self.messages = faults, messages
        self.detectors = {each.name for each in site.detectors}
        self.inputs = {each.name for device in site.devices for each in device.inputs}
        self.compounds = {each.name for each in compounds}
        self.kinds = {device.code: device.kind for device in site.devices}
        self.outputs = {output.name for device in site.devices for output in device.outputs}
        self.timetables = {each.name for each in site.timetables}

    def leads(self, where: str, name: str | None, there: Collection[str]) -> None:
        if name is not None and name not in there:
            self.faults.add(
                where, f"there is no {name!r}", f"one of {', '.join(sorted(there)) or 'none that there is'}"
            )

    def cause(self, where: str, cause: Cause) -> None:
        self.leads(f"{where}.detector", cause.detector, self.detectors)
        self.leads(f"{where}.input", cause.input, self.inputs)
        self.leads(f"{where}.compound", cause.compound, self.compounds)

    def effect(self, at: str, effect: Effect) -> None:
        if isinstance(effect, Switch):
            self.leads(f"{at}.output", effect.output, self.outputs)
        elif isinstance(effect, Say):
            self.leads(f"{at}.message", effect.message, self.messages)
            for code in effect.devices:
                self.leads(f"{at}.devices", code, self._of(SPEAKER))
        elif isinstance(effect, GoTo | Follow):
            self.leads(f"{at}.device", effect.device, self._of(PTZ))
        elif isinstance(effect, Clip):
            for code in effect.devices:
                self.leads(f"{at}.devices", code, self.kinds)

    def _of(self, kind: str) -> set[str]:
        return {code for code, own in self.kinds.items() if own == kind}


def _check(
    names: _Names, links: tuple[Ruled, ...], compounds: tuple[Compound, ...], hours: Mapping[tuple[str, str], str]
) -> None:
    """Names lead somewhere, and no two causes are called the same."""
    for name in sorted(names.compounds & names.detectors):
        names.faults.add(f"compounds: {name}", "is called as a detector is", "a name of its own")
    for name, count in sorted(Counter(each.name for each in compounds).items()):
        if count > 1:
            names.faults.add("compounds", f"{count} are called {name!r}", "a name of its own for each")
    for n, held in enumerate(compounds):
        names.leads(f"compounds.{n}.timetable", held.timetable, names.timetables)
        for m, part in enumerate(held.parts):
            names.cause(f"compounds.{n}.parts.{m}", part)
    for (what, name), timetable in hours.items():
        names.leads(f"{what} {name}: timetable", timetable, names.timetables)
    for n, ruled in enumerate(links):
        names.cause(f"links.{n}", ruled.cause)
        names.leads(f"links.{n}.timetable", ruled.link.timetable, names.timetables)
        for m, effect in enumerate(ruled.effects):
            names.effect(f"links.{n}.effects.{m}", effect)


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
