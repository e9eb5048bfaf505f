"""A device at a glance: what it can and why not, what that costs, where it hangs, what is wrong, and cures that can be taken."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.core.kinds import KINDS
from lantern.core.register.carrying import Verdict, burden_of, can
from lantern.core.register.channels import Row, compared
from lantern.core.register.cures import Cure
from lantern.core.register.installed import Site, Unit
from lantern.core.register.limits import fed_by
from lantern.core.register.load import Burden, Part
from lantern.core.register.power import Fed, port_order
from lantern.register.devices import change_device
from lantern.register.tables import DeviceRow, device_by_code, register_of
from lantern.register.units import units_of
from lantern.tune.staleness import stale_by_device

OF_POWER = ("port", "budget")
GLYPHS = {"yes": "hit", "no": "false", "unsure": "none"}


@dataclass(frozen=True)
class BarPart:
    """A part of the load bar: where it begins and how long it is, in percent."""

    part: Part
    from_percent: float

    @property
    def words(self) -> str:
        whose = f" for {', '.join(self.part.needed_by)}" if self.part.needed_by else ""
        return f"{self.part.on.words}{whose}"


@dataclass(frozen=True)
class LoadBar:
    """What a processor does, drawn on a scale that reaches as far as it needs."""

    burden: Burden

    @property
    def parts(self) -> list[BarPart]:
        out, at = [], 0.0
        for part in self.burden.parts:
            out.append(BarPart(part, at))
            at += part.percent
        return out

    @property
    def scale_percent(self) -> float:
        return max(100.0, self.burden.percent)


@dataclass(frozen=True)
class Port:
    """A port of a switch, with who hangs on it."""

    number: str
    gives: str
    code: str | None
    device_id: int | None
    fed: Fed | None

    @property
    def short(self) -> bool:
        return self.fed is not None and bool(self.fed.port_lacks_w or self.fed.budget_lacks_w > 1e-9)


@dataclass(frozen=True)
class Line:
    """Whether the device can one kind, beside what its power says of all of them."""

    verdict: Verdict

    @property
    def glyph(self) -> str:
        return GLYPHS[self.verdict.answer]

    @property
    def why(self) -> str:
        own = [reason.text for reason in self.verdict.reasons if reason.code not in OF_POWER]
        if own or len(self.verdict.reasons) == 0:
            return "; ".join(own) or self.verdict.why
        return f"as {self.verdict.ability}, once it has power"

    @property
    def cures(self) -> list[Cure]:
        """Those at the device itself; what others can is told in one line."""
        return [each for each in self.verdict.cures if each.way not in ("other_device", "other_port")]

    @property
    def others(self) -> list[str]:
        """Codes of the devices of the site that can."""
        return [each.take["device"] for each in self.verdict.cures if each.way == "other_device"]


@dataclass(frozen=True)
class Overview:
    """The register's page as a whole."""

    unit: Unit
    bar: LoadBar | None
    lines: Sequence[Line]
    power_cures: Sequence[tuple[str, Cure]]  # with a kind that asks for it
    channels: Sequence[Row]
    ports: Sequence[Port]  # of a switch
    budget_w: float | None
    used_w: float
    hangs: Fed | None
    wrong: Sequence[str]


def overview(session: Session, row: DeviceRow) -> Overview:
    """Return what there is to say of a device."""
    site = units_of(session, row.site_id)
    unit = site.units[row.code]
    types = register_of(session, row.site_id)
    sees = unit.type is None or bool(unit.type.abilities)
    verdicts = [can(unit, kind, site, types=types) for kind in KINDS] if sees else []
    bar = LoadBar(burden_of(unit, site)) if unit.type is not None and unit.type.abilities else None
    held = fed_by(unit, site)
    used_w = sum(one.taken_w for one in held.values() if not one.port_lacks_w and one.budget_lacks_w <= 1e-9)
    switch = site.units.get(unit.hangs_on.switch) if unit.hangs_on is not None else None
    order = {"yes": 0, "unsure": 1, "no": 2}
    return Overview(
        unit=unit,
        bar=bar,
        lines=[Line(each) for each in sorted(verdicts, key=lambda each: order[each.answer])],
        power_cures=[(each.kind, cure) for each in verdicts[:1] for cure in each.cures if cure.way == "other_port"],
        channels=compared(unit),
        ports=_ports(session, row, unit, site, held),
        budget_w=unit.type.budget_w if unit.type else None,
        used_w=used_w,
        hangs=None if switch is None else fed_by(switch, site).get(unit.code),
        wrong=[*row.cautions, *_stale(session, row)],
    )


def _ports(session: Session, row: DeviceRow, unit: Unit, site: Site, held: dict[str, Fed]) -> list[Port]:
    if unit.type is None or not unit.type.ports:
        return []
    at = {
        each.hangs_on.port: each.code
        for each in site.in_use()
        if each.hangs_on is not None and each.hangs_on.switch == unit.code
    }
    powers = unit.type.port_powers
    out = []
    for number in sorted({*powers, *at}, key=port_order):
        code = at.get(number)
        device = device_by_code(session, row.site_id, code) if code else None
        gives = powers[number].short if number in powers else "not there"
        out.append(Port(number, gives, code, device.id if device else None, held.get(code) if code else None))
    return out


def take_cure(session: Session, row: DeviceRow, *, kind: str, text: str, user_id: int | None) -> tuple[DeviceRow, Cure]:
    """Do what a cure says that the page has shown; returns the device that was changed. Raises `Refused` if it is no cure any more."""
    site = units_of(session, row.site_id)
    verdict = can(site.units[row.code], kind, site, types=register_of(session, row.site_id))
    cure = next((each for each in verdict.cures if each.text == text), None)
    if cure is None:
        raise Refused(
            [Fault("cure", "is none any more: something has changed meanwhile", "one that the page shows now")]
        )
    change: dict[str, Any] | None = cure.take.get("change")
    if change is None:
        raise Refused([Fault("cure", "is not for the program to take", "somebody who does it by hand")])
    target = device_by_code(session, row.site_id, str(cure.take["device"]))
    assert target is not None  # the cure names a device of the site
    change_device(
        session,
        target,
        dict(change),
        place=target.place,
        user_id=user_id,
        reason=f"A cure for {row.code}: {text}"[:400],
    )
    return target, cure


def _stale(session: Session, row: DeviceRow) -> list[str]:
    """Return what was judged on numbers that the device does not make any more."""
    return [f"{name}: {said}" for name, said in stale_by_device(session, row.site_id).get(row.id, ())]
