"""What geometry promises and does not keep: the same claims as the plan shows."""

from __future__ import annotations

from collections.abc import Iterator

from lantern.core.preflight.checked import Checked
from lantern.core.preflight.finding import Found, rule
from lantern.core.promise.claim import Around, Claim
from lantern.core.promise.claims import claims


def _claims(checked: Checked, verdict: str) -> Iterator[Claim]:
    plan = checked.site.plan
    if plan is None:
        return
    others = list(checked.stood.values())
    for code, stood in checked.stood.items():
        around = Around(plan, [each for each in others if each.code != code], checked.site.zone)
        yield from (claim for claim in claims(stood, around, cured=False) if claim.verdict == verdict)


def _found(checked: Checked, claim: Claim, severity: str) -> Found:
    value = "none" if claim.value is None else f"{claim.value:.3g} {claim.wish.unit}"
    of = f" of {claim.aim}" if claim.aim and claim.aim not in claim.label else ""
    what = f"{claim.label}{of}: {value}, wished {'≥' if claim.wish.at_least else '≤'} {claim.wish.goal:g} {claim.wish.unit}; {claim.reason}"
    return Found(severity, checked.device_at(claim.device), what, "the plan's cures, or another wish")  # type: ignore[arg-type]


@rule("Geometry gives less than is wished: no tuning makes up for it.")
def promise_fails(checked: Checked) -> Iterator[Found]:
    for claim in _claims(checked, "fail"):
        yield _found(checked, claim, "error")


@rule("It just does: rain, dirt or a mount that is a little off, and it does no more.")
def promise_marginal(checked: Checked) -> Iterator[Found]:
    for claim in _claims(checked, "marginal"):
        yield _found(checked, claim, "warning")


@rule("What the plan wants of a device that stands nowhere is never met.")
def aim_of_nobody(checked: Checked) -> Iterator[Found]:
    for aim in checked.site.plan.aims if checked.site.plan is not None else ():
        device = checked.devices.get(aim.device)
        if device is not None and not device.retired and aim.device not in checked.stood:
            yield Found(
                "warning", f"plan.aims[{aim.name}]", f"{aim.device} stands nowhere on the plan", "a place for it"
            )
        if device is not None and device.retired:
            yield Found("error", f"plan.aims[{aim.name}]", f"{aim.device} is retired", "another device")


RULES = (promise_fails, promise_marginal, aim_of_nobody)
