"""The takes of a folder as events of a whole site: each from its own start, through the detectors of its device, and its inputs."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from datetime import datetime
from pathlib import Path
from typing import Any

import numpy as np

from lantern.core.faults import Fault, Refused
from lantern.core.kinds import judge, kind_of
from lantern.core.linking.whole import Given
from lantern.core.raising import Raising
from lantern.core.signals import Series
from lantern.core.site import Device, Site
from lantern.formats.border import border
from lantern.formats.limits import DEFAULT, Limits
from lantern.signals.takes import Take, has_sidecar, open_take

STATES = {1: "active", 2: "fault"}  # of an input's column; 0 is idle


@dataclass(frozen=True)
class Recorded:
    """What one take gave: events by its own clock, which began at `start`."""

    name: str
    start: datetime
    events: tuple[Given, ...]


@dataclass(frozen=True)
class OnOneClock:
    """All takes, second 0 being `begins`; `takes`: when each of them begins."""

    begins: datetime
    events: tuple[Given, ...]
    takes: dict[str, float]


def rehearsed_takes(folder: Path, site: Site, start: datetime | None, limits: Limits = DEFAULT) -> OnOneClock:
    """Return what the takes of a folder raise on a site. `start`: None: that of the earliest. Raises `Refused` for a folder without any of
    the site's, and with what is wrong with one.
    """
    recorded = [found for path in _takes_in(folder, limits) if (found := _recorded(path, site, limits)) is not None]
    if not recorded:
        raise Refused(
            [
                Fault(
                    str(folder), "has no take of a device of the site", "takes: folders, zips, data files with sidecars"
                )
            ]
        )
    begins = start or min(each.start for each in recorded)
    events, takes = [], {}
    for take in recorded:
        later = (take.start - begins).total_seconds()
        takes[take.name] = later
        events += [_shifted(each, later, take.name) for each in take.events]
    return OnOneClock(begins, tuple(events), takes)


def _takes_in(folder: Path, limits: Limits) -> Iterator[Path]:
    if not folder.is_dir():
        raise Refused([Fault(str(folder), "is no folder", "a folder of takes")])
    for path in sorted(folder.iterdir()):
        if (path.is_dir() and (path / "take.json").exists()) or (
            path.is_file() and path.suffix.lower() != ".json" and has_sidecar(path, limits)
        ):
            yield path


def _recorded(path: Path, site: Site, limits: Limits) -> Recorded | None:
    with open_take(path, limits) as take:
        device = next((each for each in site.devices if each.code == take.info.device), None)
        if device is None or device.retired:
            return None
        with border(path.name):
            return Recorded(
                take.info.name, take.info.start, (*_of_detectors(take, device, site), *_of_inputs(take, device))
            )


def _of_detectors(take: Take, device: Device, site: Site) -> Iterator[Given]:
    for detector in site.detectors:
        if detector.device != device.code or detector.retired or not detector.enabled:
            continue
        plain = detector.plain
        kind = kind_of(plain.kind)
        if take.signal.name not in kind.signals:
            continue
        subject = judge(kind.lists.filled(plain, site.list_bodies), take.signal.name, take.value)
        if not isinstance(subject, Raising):
            continue
        for event in subject.evaluated():
            said = event.as_dict()
            listed = said.get("list")
            yield Given(
                "detector",
                event.detector,
                event.raised_s,
                event.cleared_s,
                event.repeat,
                event.region or "",
                listed,
                said,
            )


def _of_inputs(take: Take, device: Device) -> Iterator[Given]:
    """A column for each input: 0 idle, 1 active, 2 a fault; what lasts at the end of the take is open."""
    names = {each.name for each in device.inputs}
    if not names or not isinstance(take.value, dict):
        return
    for name, series in take.value.items():
        if name in names and isinstance(series, Series):
            yield from _states(name, series.t_s, series.x)


def _states(name: str, t_s: Any, x: Any) -> Iterator[Given]:
    wrong = sorted({float(each) for each in np.unique(x)} - {0.0, 1.0, 2.0})
    if wrong:
        raise Refused([Fault(name, f"{wrong[0]:g} is no state of an input", "0 idle, 1 active, 2 fault")])
    changes = np.flatnonzero(np.diff(x)) + 1
    begins = [0, *changes.tolist()]
    for at, begin in enumerate(begins):
        state = STATES.get(int(x[begin]))
        if state is None:
            continue
        raised = float(t_s[begin])
        cleared = float(t_s[begins[at + 1]]) if at + 1 < len(begins) else None
        said = {"input": name, "state": state, "raised_s": raised, "cleared_s": cleared}
        yield Given("input", name, raised, cleared, False, state, None, said)


def _shifted(each: Given, later_s: float, take: str) -> Given:
    raised = round(each.raised_s + later_s, 6)
    cleared = None if each.cleared_s is None else round(each.cleared_s + later_s, 6)
    said = {**each.as_it_came, "raised_s": raised, "cleared_s": cleared, "take": take}
    return Given(each.what, each.name, raised, cleared, each.repeat, each.region, each.listed, said, take)
