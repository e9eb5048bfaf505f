"""What may speak against an ability on a device: firmware, what it excludes, the load, the picture, numbers, streams, watts."""

from __future__ import annotations

from collections.abc import Mapping, Sequence

from lantern.core.register.device_type import Ability, DeviceType
from lantern.core.register.firmware import before
from lantern.core.register.installed import Site, Unit, Work
from lantern.core.register.load import Burden, Part
from lantern.core.register.power import Fed, fed
from lantern.core.register.reason import Reason

NEAR = 1e-9


def firmware_reasons(ability: Ability, has: str | None) -> list[Reason]:
    needs = ability.firmware
    if needs is None:
        return []
    if has is None:
        return [Reason("firmware", f"{ability.name} needs firmware {needs}, and the device's is not said", unsure=True)]
    if before(has, needs):
        return [Reason("firmware", f"{ability.name} needs firmware {needs} or later, the device has {has}")]
    return []


def excluded_reasons(part: Part, running: Sequence[Part], of: DeviceType) -> list[Reason]:
    """One for each ability that is on and cannot be on together with it."""
    name = part.ability.name
    out = []
    for other in running:
        if other is not part and of.excluded(name, other.ability.name):
            whose = f", which {_listed(other.needed_by)} needs" if other.needed_by else ""
            text = f"{name} cannot run beside {other.on.words}{whose}"
            out.append(Reason("excluded", text, names=(other.on.words,)))
    return out


def load_reasons(burden: Burden) -> list[Reason]:
    unknown = [part.on.words for part in burden.parts if part.unknown]
    if unknown:
        text = f"the picture of {_listed(unknown)} is not said, so its load is not known"
        out = [Reason("load", text, unsure=True)]
    else:
        out = []
    if over := burden.over_percent:
        text = (
            f"the processor would be at {burden.percent:.1f} %, {over:.1f} % over the {burden.room_percent:g} % that "
            f"may be used ({burden.reserve_percent:g} % is reserve)"
        )
        out.append(Reason("load", text, lacks=over, unit="%"))
    return out


def picture_reasons(part: Part) -> list[Reason]:
    limit, picture, out = part.ability.limits, part.picture, []
    wide = limit.width is not None and picture.width is not None and picture.width > limit.width
    high = limit.height is not None and picture.height is not None and picture.height > limit.height
    if wide or high:
        most = f"{limit.width or 'any'} x {limit.height or 'any'}"
        text = (
            f"{part.ability.name} takes a picture of at most {most} px, this one is {picture.width} x {picture.height}"
        )
        out.append(Reason("picture", text))
    if limit.rate_hz is not None and picture.fps is not None and picture.fps > limit.rate_hz + NEAR:
        text = f"{part.ability.name} takes at most {limit.rate_hz:g} pictures a second, this one has {picture.fps:g}"
        out.append(Reason("rate", text, lacks=picture.fps - limit.rate_hz, unit="Hz"))
    return out


def number_reasons(ability: Ability, works: Sequence[Work]) -> list[Reason]:
    """`works`: the detectors that stand on the ability. Regions and lines are shared, lists are a detector's own."""
    out: list[Reason] = []
    for code, limit, needs in (
        ("regions", ability.limits.regions, sum(work.regions for work in works)),
        ("lines", ability.limits.lines, sum(work.lines for work in works)),
        ("lists", ability.limits.lists, max((work.lists for work in works), default=0)),
    ):
        if limit is not None and needs > limit:
            whose = _listed([work.name for work in works if getattr(work, code)])
            text = (
                f"{ability.name} takes at most {limit} {code}, {whose} {'has' if len(works) == 1 else 'have'} {needs}"
            )
            names = tuple(work.name for work in works)
            out.append(Reason(code, text, lacks=needs - limit, names=names))  # type: ignore[arg-type] # of the three above
    return out


def stream_reasons(
    part: Part, running: Sequence[Part], of: DeviceType, families: Mapping[Ability, str]
) -> list[Reason]:
    """Return what a box refuses: more than so many streams of one family, and where it mixes none, those of another."""
    most = part.ability.limits.streams
    if most is None:
        return []
    family = families[part.ability]
    streams = [each for each in running if each.ability.limits.streams is not None]
    same = [each for each in streams if families[each.ability] == family]
    out = []
    if len(same) > most:
        has = _listed([each.on.words for each in same if each is not part])
        text = f"it takes {most} streams of {part.ability.name}, and would have {len(same)} (it has {has})"
        out.append(Reason("streams", text, lacks=len(same) - most, unit="streams"))
    others = [each for each in streams if families[each.ability] != family]
    if others and not of.mixes:
        words = tuple(each.on.words for each in others)
        text = f"it takes streams of one family at a time, and has {_listed(words)}"
        out.append(Reason("mixed", text, names=words))
    return out


def fed_by(switch: Unit, site: Site) -> dict[str, Fed]:
    """Return what each device on a switch gets, by code."""
    if switch.type is None:
        return {}
    hanging = [
        (unit.code, unit.hangs_on.port, unit.draws)
        for unit in site.in_use()
        if unit.hangs_on is not None and unit.hangs_on.switch == switch.code and unit.draws is not None
    ]
    return fed(switch.type.port_powers, switch.type.budget_w, hanging)


def power_reasons(unit: Unit, site: Site) -> list[Reason]:
    """Return the reasons against its power: its port gives less than it draws, or too little of the switch's budget is
    left for it.
    """
    if unit.hangs_on is None or unit.draws is None or unit.draws.drawn_w == 0:
        return []
    switch = site.units.get(unit.hangs_on.switch)
    if switch is None or switch.type is None:
        return [Reason("port", f"what {unit.hangs_on.switch} gives is not known", unsure=True)]
    one = fed_by(switch, site).get(unit.code)
    if one is None:  # retired: it hangs there no more
        return []
    reason = _starved(one, switch)
    return [] if reason is None else [reason]


def _starved(one: Fed, switch: Unit) -> Reason | None:
    where = f"port {one.port} of {switch.code}"
    if one.given_w is None:
        return Reason("port", f"{switch.code} has no port {one.port}")
    if one.port_lacks_w > NEAR:
        text = f"it draws {one.drawn_w:g} W, {where} gives {one.given_w:g} W at the device: {one.port_lacks_w:g} W too little"
        return Reason("port", text, lacks=one.port_lacks_w, unit="W")
    if one.budget_lacks_w > NEAR:
        text = (
            f"it takes {one.taken_w:g} W of the budget of {switch.code}, and {one.left_w:g} W are left at port {one.port}: "
            f"{one.budget_lacks_w:g} W too little"
        )
        return Reason("budget", text, lacks=one.budget_lacks_w, unit="W")
    return None


def _listed(words: Sequence[str]) -> str:
    return ", ".join(words)
