"""Can this device do that? For any device and detector kind, with the reason, and with what would cure it.

A kind stands on an ability of the device's type. What is on, and what detectors need, share one processor, one firmware and
one cable; an analytics box works on the pictures of others. `can` asks about a kind, `carries` about a detector that is there.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from typing import Any, Literal

from lantern.core.devices import DEVICE_KINDS, given_by, in_words
from lantern.core.kinds import KINDS, family_of, kind_of
from lantern.core.register import curing, limits
from lantern.core.register.cures import Cure
from lantern.core.register.device_type import Ability, DeviceType
from lantern.core.register.installed import Site, SwitchedOn, Unit, Work, serves
from lantern.core.register.load import Burden, Part, part_of
from lantern.core.register.reason import Reason

Answer = Literal["yes", "no", "unsure"]
NO_TYPES: Mapping[str, DeviceType] = {}


@dataclass(frozen=True)
class Verdict:
    """`unsure`: nothing speaks against it, and something that must be known for a yes is not said."""

    kind: str
    answer: Answer
    ability: str | None  # that it stands on
    reasons: Sequence[Reason] = ()
    cures: Sequence[Cure] = ()
    burden: Burden | None = None  # of its processor, with what was asked for
    by: str | None = None  # the box that does it for the device

    @property
    def why(self) -> str:
        """Return all of it, in a line."""
        if self.reasons:
            return "; ".join(reason.text for reason in self.reasons)
        return f"by {self.by}, as {self.ability}" if self.by else f"as {self.ability}"


@dataclass(frozen=True)
class _Trial:
    """A kind on one ability: what would run then, and what speaks against it."""

    part: Part
    burden: Burden
    reasons: Sequence[Reason] = field(default=())

    @property
    def weight(self) -> tuple[int, int, int]:
        """The best trial is the least: first those without a no, then what is on already."""
        noes = sum(not reason.unsure for reason in self.reasons)
        return noes, len(self.reasons), int(self.part.asked)


def can(unit: Unit, kind: str, site: Site, *, types: Mapping[str, DeviceType] = NO_TYPES) -> Verdict:
    """Return whether a detector of this kind can stand on the device, beside what is there. `types`: of the register,
    for a cure.

    Raises `Refused` for a kind that there is not.
    """
    return _asked(unit, kind, site, None, types)


def carries(
    unit: Unit, work: Work, site: Site, *, types: Mapping[str, DeviceType] = NO_TYPES, cured: bool = True
) -> Verdict:
    """Return whether the device can carry this detector, which is on it. Not `cured`: the answer alone, which takes
    less time.
    """
    return _asked(unit, work.kind, site, work, types) if cured else _without_cures(unit, work.kind, site, work)


def burden_of(unit: Unit, site: Site) -> Burden:
    """Return all that is on, or that a detector needs, of a device whose type is known."""
    assert unit.type is not None
    return Burden(_running(unit, site), unit.type.reserve_percent)


def _asked(unit: Unit, kind: str, site: Site, work: Work | None, types: Mapping[str, DeviceType]) -> Verdict:
    kind_of(kind)
    verdict = _without_cures(unit, kind, site, work)
    if verdict.answer != "no":
        return verdict
    elsewhere = [*_others(unit, kind, site), *_boxes(unit, kind, site)]
    better = [] if elsewhere else [t for t in types.values() if t.kind == unit.kind and _candidates(t, kind)]
    cures = curing.cures(unit, verdict.reasons, verdict.burden, site, elsewhere=elsewhere, better_types=better)
    return replace(verdict, cures=cures)


def _without_cures(unit: Unit, kind: str, site: Site, work: Work | None, of: str | None = None) -> Verdict:
    """`of`: the device whose pictures a box is asked to work on."""
    if unit.type is None:
        return _of_no_type(unit, kind)
    power = limits.power_reasons(unit, site)
    trials = [_trial(unit, ability, kind, site, work, of) for ability in _candidates(unit.type, kind)]
    best = min(trials, key=lambda trial: trial.weight, default=None)
    if best is None:
        return _done_by_a_box(unit, kind, site, power) or Verdict(
            kind, "no", None, [_lacking(unit.type, kind), *power], burden=burden_of(unit, site)
        )
    reasons = sorted([*best.reasons, *power], key=lambda reason: reason.unsure)  # what forbids it comes first
    answer: Answer = "yes" if not reasons else "unsure" if all(reason.unsure for reason in reasons) else "no"
    return Verdict(kind, answer, best.part.ability.name, reasons, burden=best.burden)


def _candidates(of: DeviceType, kind: str) -> list[Ability]:
    return [ability for ability in of.abilities if serves(ability, kind, kind_of(kind).signals)]


def _of_no_type(unit: Unit, kind: str) -> Verdict:
    """Return the verdict of a device of no known type, of which only its signals are known."""
    gives = DEVICE_KINDS[unit.kind]
    reads = kind_of(kind).signals
    if not set(gives.signals) & set(reads):
        text = f"it looks at {in_words(reads)}; {gives.a_title} gives {given_by(unit.kind)}"
        return Verdict(kind, "no", None, [Reason("ability", text)])
    said = f"the register has no type {unit.type_name!r}" if unit.type_name else "no type is given"
    return Verdict(kind, "unsure", None, [Reason("type", f"{said}: what it costs is not known", unsure=True)])


def _lacking(of: DeviceType, kind: str) -> Reason:
    has = ", ".join(of.ability_names) or "nothing to look at"
    reads = in_words(kind_of(kind).signals)
    return Reason("ability", f"{of.name} has no ability for it: it looks at {reads}, and the device has {has}")


def _running(unit: Unit, site: Site, work: Work | None = None) -> list[Part]:
    """Return what is on, and what enabled detectors (and `work`) need besides."""
    assert unit.type is not None
    parts = [part_of(on, ability, unit, site) for on in unit.on if (ability := unit.type.ability(on.name)) is not None]
    works = [each for each in unit.works if each.enabled or each == work]
    for each in works:
        at = next((n for n, part in enumerate(parts) if _stands_on(part, each)), None)
        if at is not None:
            parts[at] = replace(parts[at], needed_by=(*parts[at].needed_by, each.name))
            continue
        ability = next(iter(_candidates(unit.type, each.kind)), None) if each.kind in KINDS else None
        if ability is not None and ability.limits.streams is None:
            on = SwitchedOn(name=ability.name, channel=each.channel)
            parts.append(replace(part_of(on, ability, unit, site), needed_by=(each.name,)))
    return parts


def _stands_on(part: Part, work: Work) -> bool:
    fits = work.kind in KINDS and serves(part.ability, work.kind, kind_of(work.kind).signals)
    return fits and (work.channel is None or part.on.channel in (None, work.channel))


def _trial(unit: Unit, ability: Ability, kind: str, site: Site, work: Work | None, of: str | None) -> _Trial:
    assert unit.type is not None
    channel = work.channel if work else None
    running = _running(unit, site, work)
    asked = Work("", kind, channel)
    part = next(
        (p for p in running if p.ability == ability and _stands_on(p, asked) and (of is None or p.on.of == of)), None
    )
    if part is None:
        on = SwitchedOn(name=ability.name, channel=channel, of=of)
        part = part_of(on, ability, unit, site, asked=True)
        running = [*running, part]
    burden = Burden(running, unit.type.reserve_percent)
    served = [each for each in unit.works if each.enabled or each == work]
    served = [each for each in served if each.kind in KINDS and serves(ability, each.kind, kind_of(each.kind).signals)]
    families = {each: _family(each) for each in (p.ability for p in running)}
    reasons = [
        *limits.firmware_reasons(ability, unit.firmware),
        *limits.excluded_reasons(part, running, unit.type),
        *limits.load_reasons(burden),
        *limits.picture_reasons(part),
        *limits.number_reasons(ability, served),
        *limits.stream_reasons(part, running, unit.type, families),
    ]
    return _Trial(part, burden, reasons)


def _family(ability: Ability) -> str:
    """The family whose kinds stand on it; of one that no kind of this program reads, its signal."""
    kinds = [kind.name for kind in KINDS.values() if serves(ability, kind.name, kind.signals)]
    return family_of(kinds[0]).name if kinds else ability.signal


# ---- other devices ---------------------------------------------------------------------------------------------------


def _done_by_a_box(unit: Unit, kind: str, site: Site, power: Sequence[Reason]) -> Verdict | None:
    """A box of the site that works on this device's pictures already."""
    for box in site.in_use():
        on = [each for each in box.on if each.of == unit.code]
        if box.type is None or not any(
            (ability := box.type.ability(each.name)) and serves(ability, kind, kind_of(kind).signals) for each in on
        ):
            continue
        there = _without_cures(box, kind, site, None, of=unit.code)
        reasons = [replace(reason, text=f"{box.code}: {reason.text}") for reason in there.reasons] + list(power)
        answer: Answer = "yes" if not reasons else "unsure" if all(each.unsure for each in reasons) else "no"
        return replace(there, answer=answer, reasons=reasons, by=box.code)
    return None


def _others(unit: Unit, kind: str, site: Site) -> list[Cure]:
    """Devices of the site that can, without a change."""
    cures = []
    for other in site.in_use():
        if other.code != unit.code and other.type is not None and not other.type.takes_streams:
            verdict = _without_cures(other, kind, site, None)
            if verdict.answer == "yes" and verdict.by is None:
                text = f"{other.code} can, as {verdict.ability}: put the detector there"
                cures.append(Cure("other_device", text, {"device": other.code}))
    return cures


def _boxes(unit: Unit, kind: str, site: Site) -> list[Cure]:
    """Boxes of the site that have room for this device's pictures."""
    cures = []
    for box in site.in_use():
        if box.code == unit.code or box.type is None or not box.type.takes_streams:
            continue
        verdict = _without_cures(box, kind, site, None, of=unit.code)
        if verdict.answer != "no" and verdict.ability is not None:
            on: list[dict[str, Any]] = [each.model_dump(mode="json", exclude_none=True) for each in box.on]
            on.append({"name": verdict.ability, "of": unit.code})
            text = f"{box.code} has room for its pictures: give it the stream, as {verdict.ability}"
            cures.append(Cure("add_stream", text, {"device": box.code, "change": {"abilities": on}}))
    return cures
