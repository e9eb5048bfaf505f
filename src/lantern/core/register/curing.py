"""Cures for the reasons of a no: found by trying, the least change first."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from lantern.core.register.cures import Cure
from lantern.core.register.device_type import DeviceType
from lantern.core.register.installed import Site, SwitchedOn, Unit
from lantern.core.register.limits import fed_by
from lantern.core.register.load import Burden, Part, least_to_drop, rate_that_fits
from lantern.core.register.power import NEAR_W
from lantern.core.register.reason import Reason

MOST_ELSEWHERE = 3


def cures(
    unit: Unit,
    reasons: Sequence[Reason],
    burden: Burden | None,
    site: Site,
    *,
    elsewhere: Sequence[Cure],
    better_types: Sequence[DeviceType],
) -> list[Cure]:
    """Return cures, at the device itself first, then on another of the site, then by another type."""
    out: list[Cure] = []
    for reason in reasons:
        if reason.unsure:
            continue
        if reason.code in ("excluded", "mixed") and burden is not None:
            out += _off(unit, [part for part in burden.parts if part.on.words in reason.names])
        elif reason.code == "load" and burden is not None:
            out += _lighter(unit, burden)
        elif reason.code == "rate" and burden is not None:
            out += _slower(unit, burden)
        elif reason.code == "firmware":
            out.append(Cure("update", f"update the device, and give its new firmware here: {reason.text}"))
        elif reason.code in ("port", "budget"):
            out += port_cures(unit, site)
        elif reason.code in ("regions", "lines", "lists"):
            out.append(Cure("fewer", f"{reason.lacks:g} {reason.code} fewer in {', '.join(reason.names)}"))
    out += elsewhere[:MOST_ELSEWHERE]
    if better_types and any(reason.code in ("ability", "picture", "streams") for reason in reasons):
        names = ", ".join(sorted(each.name for each in better_types)[:MOST_ELSEWHERE])
        out.append(Cure("other_type", f"replace it by a device of another type: {names}"))
    return _once(out)


def _once(found: Sequence[Cure]) -> list[Cure]:
    texts: dict[str, Cure] = {}
    for cure in found:
        texts.setdefault(cure.text, cure)
    return list(texts.values())


def _change(unit: Unit, on: Sequence[SwitchedOn]) -> dict[str, Any]:
    entries = [each.model_dump(mode="json", exclude_none=True) for each in on]
    return {"device": unit.code, "change": {"abilities": entries}}


def _off(unit: Unit, parts: Sequence[Part]) -> list[Cure]:
    """Switch parts off; one that a detector needs goes only with it."""
    if not parts:
        return []
    needed = sorted({name for part in parts for name in part.needed_by})
    words = ", ".join(part.on.words for part in parts)
    if needed:
        return [Cure("switch_off", f"disable {', '.join(needed)}, which needs {words}")]
    gone = [part.on for part in parts]
    return [Cure("switch_off", f"switch off {words}", _change(unit, [each for each in unit.on if each not in gone]))]


def _lighter(unit: Unit, burden: Burden) -> list[Cure]:
    """Switch off the least that is enough, or look at fewer pictures a second."""
    out = []
    dropped = least_to_drop(burden.parts, burden.over_percent)
    if dropped:
        freed = sum(part.percent for part in dropped)
        [cure] = _off(unit, dropped)
        out.append(Cure(cure.way, f"{cure.text}: that frees {freed:.1f} %", cure.take))
    for part in sorted(burden.parts, key=lambda each: each.percent, reverse=True):
        rate_hz = rate_that_fits(part, burden.over_percent)
        if rate_hz is not None:
            out.append(_at_rate(unit, part, rate_hz))
            break
    return out


def _slower(unit: Unit, burden: Burden) -> list[Cure]:
    out = []
    for part in burden.parts:
        most = part.ability.limits.rate_hz
        if most is not None and part.picture.fps is not None and part.picture.fps > most:
            out.append(_at_rate(unit, part, most))
    return out


def _at_rate(unit: Unit, part: Part, rate_hz: float) -> Cure:
    slower = part.on.model_copy(update={"fps": rate_hz})
    on = [slower if each == part.on else each for each in unit.on]
    if slower not in on:
        on.append(slower)
    text = f"let {part.on.words} look at {rate_hz:g} pictures a second instead of {part.picture.fps:g}"
    return Cure("lower_rate", text, _change(unit, on))


def port_cures(unit: Unit, site: Site) -> list[Cure]:
    """The first free port that feeds it: on its own switch, then on the others, the least class first."""
    draws = unit.draws
    assert draws is not None and unit.hangs_on is not None
    taken = {(each.hangs_on.switch, each.hangs_on.port) for each in site.in_use() if each.hangs_on is not None}
    switches = sorted(
        (each for each in site.in_use() if each.type is not None and each.type.ports),
        key=lambda each: (each.code != unit.hangs_on.switch, each.code),  # type: ignore[union-attr] # asserted above
    )
    for switch in switches:
        assert switch.type is not None
        held = fed_by(switch, site)
        budget_w = switch.type.budget_w
        used_w = sum(
            one.taken_w
            for code, one in held.items()
            if code != unit.code and not one.port_lacks_w and one.budget_lacks_w <= NEAR_W
        )
        if budget_w is not None and used_w + draws.taken_w > budget_w + NEAR_W:
            continue
        fits = [
            (power.given_w, port)
            for port, power in switch.type.port_powers.items()
            if power.given_w >= draws.drawn_w - NEAR_W and (switch.code, port) not in taken
        ]
        if fits:
            _, port = min(fits, key=lambda each: (each[0], int(each[1])))
            text = f"hang it on port {port} of {switch.code}, which is free and feeds it"
            change = {"hangs_on": {"switch": switch.code, "port": port}}
            return [Cure("other_port", text, {"device": unit.code, "change": change})]
    return [
        Cure("other_port", f"no free port of the site feeds {draws.words}: a switch that does, or a supply of its own")
    ]
