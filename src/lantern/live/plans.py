"""What there is to watch: devices and detectors, with their armed links, of every site that is live, in a fixed number of queries."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from lantern.core.company import Around, Stands
from lantern.core.events import Detector
from lantern.core.faults import Refused
from lantern.core.kinds import kind_of
from lantern.core.linking.arming import Armed
from lantern.core.logic.timetable import Timetable
from lantern.db.base import transaction
from lantern.links.tables import (
    LinkRow,
    compounds_of_everywhere,
    lengths_of_everywhere,
    links_of_everywhere,
    timetables_of_everywhere,
)
from lantern.lists.tables import ListRow, lists_of_everywhere
from lantern.live.compounds import OfSite
from lantern.live.tape import RecordingPlan
from lantern.recordings.tables import RecordingPlanRow, plans_of_everywhere
from lantern.register.heads import is_steered
from lantern.register.passwords import passwords_of_everywhere
from lantern.register.tables import DeviceRow, devices_live, pixels_of
from lantern.sites.tables import zones_of_sites
from lantern.tune.tables import DetectorRow, detectors_enabled


@dataclass(frozen=True)
class Plan:
    """One detector as it is to run."""

    detector_id: int
    device_id: int
    site_id: int
    revision: int
    model: Detector
    facts: dict[str, Any]  # of its device
    links: list[Armed]
    hours: Timetable | None  # its own; None: all
    lists: tuple[tuple[str, int], ...] = ()  # those that it names, with their revisions
    fault: str = ""  # why it cannot run
    beside: Mapping[int, str] = field(default_factory=dict)  # devices whose samples it is decided with: their codes


@dataclass(frozen=True)
class Plans:
    """The detectors and links of all sites. Two that look the same are equal in `signature`."""

    devices: Sequence[DeviceRow] = ()
    detectors: Sequence[Plan] = ()
    recordings: Mapping[int, RecordingPlan] = field(default_factory=dict)  # by device
    inputs: Mapping[tuple[int, str], list[Armed]] = field(default_factory=dict)  # links by site and input
    compounds: Sequence[OfSite] = ()
    signature: Any = field(default=None)


def load_plans() -> Plans:
    with transaction() as session:
        devices = {row.id: row for row in devices_live(session)}
        rows = [row for row in detectors_enabled(session) if row.device_id in devices]
        links, timetables = links_of_everywhere(session), timetables_of_everywhere(session)
        lists, zones = lists_of_everywhere(session), zones_of_sites(session)
        made, messages = compounds_of_everywhere(session), lengths_of_everywhere(session)
        planned, passwords = plans_of_everywhere(session), passwords_of_everywhere(session)
    armed: dict[int, list[Armed]] = defaultdict(list)
    inputs: dict[tuple[int, str], list[Armed]] = defaultdict(list)
    of_compounds: dict[int, dict[str, list[Armed]]] = defaultdict(lambda: defaultdict(list))
    for link in links:
        if link.detector_id is not None:
            armed[link.detector_id].append(_armed(link, timetables, messages))
        elif link.input is not None:
            inputs[link.site_id, link.input].append(_armed(link, timetables, messages))
        else:
            of_compounds[link.site_id][str(link.compound)].append(_armed(link, timetables, messages))
    by_code = {(row.site_id, row.code): row for row in devices.values()}
    detectors = [
        _plan(row, devices[row.device_id], armed[row.id], timetables, lists[row.site_id], zones[row.site_id], by_code)
        for row in rows
    ]
    clips = _clips(links)
    plans = {row.device_id: row for row in planned}
    recordings = {
        key: _recording(plans.get(key), timetables, row.site_id, clips.get((row.site_id, row.code), 0.0))
        for key, row in devices.items()
        if key in plans or (row.site_id, row.code) in clips
    }
    live = {device.site_id for device in devices.values()}
    compounds = [
        OfSite(site_id, tuple(some), dict(of_compounds[site_id]), _hours_of(site_id, timetables))
        for site_id, some in made.items()
        if site_id in live
    ]
    signature = (
        [(d.id, d.code, d.token, repr(_reached(d))) for d in devices.values()],
        sorted((key, repr(links)) for key, links in inputs.items()),
        [
            (p.detector_id, p.revision, repr((p.links, p.hours, p.fault, p.lists, p.facts.get("around"))))
            for p in detectors
        ],
        repr(recordings),
        passwords,
        repr(compounds),
    )
    return Plans(list(devices.values()), detectors, recordings, dict(inputs), compounds, signature)


def _hours_of(site_id: int, timetables: Mapping[tuple[int, str], Timetable]) -> dict[str, Timetable]:
    return {name: hours for (of, name), hours in timetables.items() if of == site_id}


def _reached(device: DeviceRow) -> tuple[Any, ...]:
    extras = device.extras
    steered = (extras.get("turned"), extras.get("mount"), extras.get("duty")) if is_steered(device) else None
    return device.address, device.outputs, device.watchdog, device.ability, extras.get("inputs"), steered


def _clips(links: Sequence[LinkRow]) -> dict[tuple[int, str], float]:
    """Return how long before an event, in s, links want of what a device gave, by site and code."""
    out: dict[tuple[int, str], float] = defaultdict(float)
    for row in links:
        for effect in row.model.effects:
            for code in effect.devices_named if effect.looks_back_s else ():
                out[row.site_id, code] = max(out[row.site_id, code], effect.looks_back_s)
    return out


def _recording(
    row: RecordingPlanRow | None, timetables: dict[tuple[int, str], Timetable], site_id: int, clip_s: float
) -> RecordingPlan:
    if row is None:
        return RecordingPlan(clip_s=clip_s)
    hours = timetables.get((site_id, row.timetable))
    wide = row.wide_until.timestamp() if row.wide_until else 0.0
    return RecordingPlan(row.around, row.before_s, row.after_s, row.timetable, hours, wide, clip_s)


def _armed(
    row: LinkRow, timetables: dict[tuple[int, str], Timetable], messages: Mapping[int, Mapping[str, float]]
) -> Armed:
    link = row.model
    hours = timetables[row.site_id, link.timetable] if link.timetable else None
    return Armed(link, hours, messages.get(row.site_id, {}))


def _plan(
    row: DetectorRow,
    device: DeviceRow,
    links: list[Armed],
    timetables: dict[tuple[int, str], Timetable],
    lists: dict[str, ListRow],
    zone: str,
    devices: Mapping[tuple[int, str], DeviceRow],
) -> Plan:
    model, kind = row.model, kind_of(row.kind)
    hours = timetables.get((row.site_id, model.timetable)) if model.timetable else None
    fault = f"the site has no timetable {model.timetable!r}" if model.timetable and hours is None else ""
    named = kind.lists.named(model)
    try:
        model = kind.lists.filled(model, {name: held.body for name, held in lists.items()})
    except Refused as error:
        fault = str(error)
    used = tuple((name, lists[name].revision) for name in named if name in lists)
    codes = kind.companions(kind.typed(model)) if not fault else ()
    facts = device.ability | {"zone": zone}
    company = {code: devices[row.site_id, code] for code in codes if (row.site_id, code) in devices}
    if codes:
        facts["around"] = Around(_stands(device), {code: _stands(each) for code, each in company.items()})
    beside = {each.id: code for code, each in company.items()}
    return Plan(row.id, device.id, device.site_id, row.revision, model, facts, links, hours, used, fault, beside)


def _stands(device: DeviceRow) -> Stands:
    return Stands(device.extras.get("mount"), pixels_of(device))
