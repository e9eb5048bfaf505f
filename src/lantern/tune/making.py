"""What becomes of a detector besides its numbers: made on a device, renamed, copied to another, switched off, retired."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace
from typing import Any

from sqlalchemy.orm import Session

from lantern.core.devices import DEVICE_KINDS, Suitable, suitable
from lantern.core.events import Detector, Region
from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.kinds import kind_of
from lantern.core.register.carrying import can
from lantern.core.register.installed import Site
from lantern.formats.documents import detector_in
from lantern.register.tables import DeviceRow, devices_of_site
from lantern.register.units import channels_of, signals_of_type, units_of
from lantern.signals.register import SIGNALS
from lantern.takes.tables import TakeRow, takes_of_device
from lantern.tune.actions import add_detector, save_revision
from lantern.tune.tables import DetectorRow

Size = tuple[float, float]


def kinds_for(session: Session, device: DeviceRow) -> list[Suitable]:
    """Return all detector kinds, those that the device can do first, with what its type says against them."""
    signals = [take.signal for take in takes_of_device(session, device.id)]
    found = suitable(device.kind, signals, also=signals_of_type(session, device))
    site = units_of(session, device.site_id)
    told = [replace(each, caution=_caution(each.kind.name, site, device.code)) for each in found]
    return sorted(told, key=lambda each: (bool(each.why_not), bool(each.caution)))


def _caution(kind: str, site: Site, code: str) -> str:
    unit = site.units[code]
    if unit.type is None:
        return ""
    verdict = can(unit, kind, site)
    return verdict.why if verdict.answer == "no" else ""


def set_channel(session: Session, row: DetectorRow, channel: str | None, *, user_id: int | None) -> None:
    """A revision like any other: on which body or sensor of its device it looks. Raises `Refused` for one that is not there."""
    names = channels_of(session, row.device)
    if channel is not None and channel not in names:
        expected = f"empty, or one of {', '.join(names) or 'none: it has one channel'}"
        raise Refused([Fault("detector: channel", repr(channel[:40]), expected)])
    detector = detector_in(row.body | {"channel": channel}, where="detector")
    reason = f"On channel {channel}." if channel else "On no channel of its own."
    save_revision(session, row, detector, reason=reason, user_id=user_id, base=row.revision)


def picture_of(session: Session, device: DeviceRow) -> Size | None:
    """The picture that regions are drawn in, in its own unit: as the device has it, else as its newest take has it."""
    width, height = device.ability.get("width"), device.ability.get("height")
    if width and height:
        return width, height
    found = [SIGNALS[take.signal].picture(take.facts) for take in takes_of_device(session, device.id)]
    return next((size for size in reversed(found) if size is not None), None)


def make_detector(
    session: Session, device: DeviceRow, *, name: str, kind: str, regions: Sequence[dict[str, Any]], user_id: int | None
) -> DetectorRow:
    """Make a detector with the kind's own dials. Raises `Refused` where the device gives nothing that the
    kind reads.
    """
    document = {"name": name.strip(), "kind": kind, "device": device.code, "regions": list(regions)}
    detector = detector_in(document, where="detector")
    why_not = next(each.why_not for each in kinds_for(session, device) if each.kind is kind_of(kind))
    if why_not:
        raise Refused([Fault("detector: kind", why_not, "a kind that this device can do")])
    _check_regions(session, detector, device)
    reason = "Made with the dials as the kind has them: not tuned yet."
    return add_detector(session, device_id=device.id, detector=detector, reason=reason, user_id=user_id)


def _check_regions(session: Session, detector: Detector, device: DeviceRow) -> None:
    kind, faults = kind_of(detector.kind), FaultList()
    size = picture_of(session, device) if any(SIGNALS[name].space.sized for name in kind.signals) else None
    if kind.needs_regions == "needed" and not detector.regions:
        faults.add("detector: regions", f"are none: a {kind.name} detector watches regions", "one at least")
    if kind.needs_regions == "none" and detector.regions:
        faults.add("detector: regions", f"are drawn: a {kind.name} detector has none", "none")
    names = [region.name for region in detector.regions]
    for region in detector.regions:
        where = f"detector: region {region.name}"
        if names.count(region.name) > 1:
            faults.add(where, "is there twice", "a name of its own for each region")
        if region.role == "watch" and region.shape not in kind.shapes:
            faults.add(where, f"is a {region.shape}", f"one of {', '.join(kind.shapes)}, which {kind.name} watches")
        if size and any(not (0 <= x <= size[0] and 0 <= y <= size[1]) for x, y in region.points):
            faults.add(where, "leaves the picture", f"points within {size[0]:g} x {size[1]:g}")
    faults.refuse_if_any()


def rename_detector(session: Session, row: DetectorRow, name: str, *, user_id: int | None) -> None:
    """A revision like any other; marks and links go along."""
    if name.strip() == row.name:
        return
    detector = detector_in(row.body | {"name": name.strip()}, where="detector")
    save_revision(session, row, detector, reason=f"Renamed from {row.name}.", user_id=user_id, base=row.revision)


def copy_detector(
    session: Session, row: DetectorRow, device: DeviceRow, *, name: str, user_id: int | None
) -> tuple[DetectorRow, str]:
    """The same dials on another device, regions scaled to its picture; returns the copy and a caution, which is empty if none
    is due. Raises `Refused`.
    """
    why_not = next(each.why_not for each in kinds_for(session, device) if each.kind is kind_of(row.kind))
    if why_not:
        raise Refused([Fault(f"device {device.code}", why_not, f"a device that can do {row.kind}")])
    was, now = picture_of(session, row.device), picture_of(session, device)
    regions, caution = row.model.regions, ""
    if device.id != row.device_id and was and now:
        regions = tuple(_scaled(region, now[0] / was[0], now[1] / was[1]) for region in regions)
        scaled = (
            f"scaled from {was[0]:g} x {was[1]:g} to {now[0]:g} x {now[1]:g}" if was != now else "left as they were"
        )
        caution = f"Its regions were {scaled}, and {device.code} looks at something else: lay them where they belong."
    elif device.id != row.device_id:
        caution = f"The picture of one of the two devices has no known size: lay the regions where they belong on {device.code}."
    detector = row.model.model_copy(update={"name": name.strip(), "device": device.code, "regions": regions})
    detector = detector_in(detector.model_dump(mode="json"), where="detector")
    reason = f"Copied from {row.device.code} {row.name}, revision {row.revision}. {caution}"
    return add_detector(session, device_id=device.id, detector=detector, reason=reason, user_id=user_id), caution


def _scaled(region: Region, x_factor: float, y_factor: float) -> Region:
    points = tuple((round(x * x_factor, 2), round(y * y_factor, 2)) for x, y in region.points)
    return region.model_copy(update={"points": points})


def devices_for(session: Session, row: DetectorRow) -> list[DeviceRow]:
    """The site's devices that give what the detector's kind reads."""
    signals = set(kind_of(row.kind).signals)
    return [d for d in devices_of_site(session, row.site_id) if signals & set(DEVICE_KINDS[d.kind].signals)]


def grounds_of(session: Session, device: DeviceRow) -> list[TakeRow]:
    """Return what regions can be drawn on: its takes, the newest first."""
    return takes_of_device(session, device.id)[::-1]
