"""What geometry promises of each device on a plan, held against what the plan wishes of it, with cures that are solved.

A claim is one figure: of an aim of the plan, of a line that a detector has, or of a radar's channel. A cure changes one quantity of
the mount or of the aim, the least that meets the wish, and says what that costs the device's other wishes. Each sort of aim has a
module of its own; here is which, for which sort of mount.
"""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import replace

from lantern.core.optics.mount import Mount
from lantern.core.optics.verdicts import OFTEN, Wish
from lantern.core.promise import (
    behind,
    capturing,
    counting,
    density,
    following,
    hearing,
    interfering,
    measuring,
    walking,
)
from lantern.core.promise.claim import Around, Claim, Remedy, Standing, Stood
from lantern.core.promise.following import Turning
from lantern.core.promise.plan import Aim
from lantern.core.promise.radar import Radar
from lantern.core.promise.sound import Speaker

Claimer = Callable[[Stood, Aim, Around, bool], list[Claim]]
CLAIMERS: dict[str, tuple[type[Standing], Claimer]] = {
    "reading": (Mount, capturing.claims),
    "likeness": (Mount, capturing.claims),
    "density": (Mount, density.claims),
    "measuring": (Mount, measuring.claims),
    "counting": (Mount, counting.claims),
    "following": (Turning, following.claims),
    "walk": (Radar, walking.claims),
    "hearing": (Speaker, hearing.claims),
}
ORDER = ("fail", "marginal", "pass")


def claims(stood: Stood, around: Around, *, cured: bool = True) -> list[Claim]:
    """Return what the plan's aims for a device, and its lines, promise; those that fail first."""
    found = _found(stood, around, cured)
    if cured:
        found = [replace(claim, remedies=_priced(claim, found, stood, around)) for claim in found]
    return sorted(found, key=lambda claim: ORDER.index(claim.verdict))


def _found(stood: Stood, around: Around, cured: bool) -> list[Claim]:
    out: list[Claim] = []
    for aim in around.plan.aims:
        if aim.device == stood.code:
            sort, claimer = CLAIMERS[aim.what]
            out += claimer(stood, aim, around, cured) if isinstance(stood.mount, sort) else [_unfit(stood, aim)]
    out += behind.claims(stood, around.plan)
    return out + counting.of_lines(stood) + interfering.claims(stood, around, cured)


def _unfit(stood: Stood, aim: Aim) -> Claim:
    reason = f"{stood.code} is no device for {aim.what}: give the aim to another"
    return Claim(stood.code, "fits", aim.name, None, Wish("fits", 1, "", True, OFTEN), "fail", reason, aim.name)


def _priced(claim: Claim, now: Sequence[Claim], stood: Stood, around: Around) -> list[Remedy]:
    """The remedies of a claim, each with what it costs the device's other wishes."""
    out = []
    for remedy in claim.remedies:
        costs = _costs(now, remedied(stood, around, claim, remedy)) if remedy.mount or remedy.aim else []
        odd = _unusual(stood, remedy)
        more = [*([f"costs: {', '.join(costs)}"] if costs else []), *([odd] if odd else [])]
        out.append((bool(odd), replace(remedy, text="; ".join((remedy.text, *more)))))
    return [remedy for _, remedy in sorted(out, key=lambda each: each[0])]  # what nobody does comes last


def _unusual(stood: Stood, remedy: Remedy) -> str:
    """Return in words that a cure goes beyond what is usual of such a device; empty: it does not."""
    height_m = remedy.mount.get("height_m")
    if height_m is None or stood.usual_height_m is None:
        return ""
    low, high = stood.usual_height_m
    return "" if low <= height_m <= high else f"beyond the {low:g} to {high:g} m at which such devices usually hang"


def remedied(stood: Stood, around: Around, claim: Claim, remedy: Remedy) -> list[Claim]:
    """Return what would be promised once a remedy is taken."""
    mount = stood.mount.model_copy(update=dict(remedy.mount))
    aims = tuple(
        each.model_copy(update=dict(remedy.aim)) if remedy.aim and each.name == claim.aim else each
        for each in around.plan.aims
    )
    plan = around.plan.model_copy(update={"aims": aims})
    return _found(replace(stood, mount=mount), replace(around, plan=plan), False)


def _costs(before: Sequence[Claim], after: Sequence[Claim]) -> list[str]:
    held = {(claim.name, claim.aim, claim.label): claim for claim in after}
    out = []
    for claim in before:
        then = held.get((claim.name, claim.aim, claim.label))
        if then is not None and ORDER.index(then.verdict) < ORDER.index(claim.verdict):
            value = "unknown" if then.value is None else f"{then.value:.2f}".rstrip("0").rstrip(".")
            of = f" of {claim.aim}" if claim.aim and len({each.aim for each in before}) > 1 else ""
            out.append(f"{claim.label.lower()}{of} {value} {claim.wish.unit} ({then.verdict})".replace("  ", " "))
    return out
