"""What goes wrong with evidence: numbers that nothing was held against, too little of it, or that of another device."""

from __future__ import annotations

from collections.abc import Iterator

from lantern.core.preflight.checked import Checked, Evidence
from lantern.core.preflight.finding import Found, rule
from lantern.core.site import SiteDetector

ENOUGH_H = 1.0
AT_MOST = 3.0  # the rule of three: none in so many hours is, with 95 %, no more than 3 by these hours (Hanley and Lippman-Hand 1983)


def _known(checked: Checked) -> Iterator[tuple[SiteDetector, str, Evidence]]:
    """Each detector at work with what is known of it; of a file nothing is."""
    for detector in checked.working if checked.evidence is not None else ():
        if checked.evidence is not None and detector.name in checked.evidence:
            yield detector, f"detectors[{detector.name}]", checked.evidence[detector.name]


@rule("Numbers that nothing was held against are guesses.")
def never_judged(checked: Checked) -> Iterator[Found]:
    for _, at, known in _known(checked):
        if not known.takes:
            yield Found("warning", at, "was held against no take with marks", "a take, marked, on its bench")


@rule("What is missed on the take is missed on site.")
def misses(checked: Checked) -> Iterator[Found]:
    for _, at, known in _known(checked):
        if known.standing == "misses":
            yield Found("warning", at, "misses a mark of its takes", "its dials, on its bench")


@rule("Whoever is called for nothing does not come for something.")
def cries_wolf(checked: Checked) -> Iterator[Found]:
    for _, at, known in _known(checked):
        if known.standing == "cries wolf":
            yield Found("warning", at, "raises falsely on its takes", "its dials, on its bench")


@rule("No false alarm in a few minutes says little of a night.")
def few_quiet_hours(checked: Checked) -> Iterator[Found]:
    for _, at, known in _known(checked):
        if known.takes and known.quiet_h is not None and known.quiet_h < ENOUGH_H:
            most = f"up to {AT_MOST / known.quiet_h:.0f} an hour would not show" if known.quiet_h > 0 else "none at all"
            what = f"was judged on {known.quiet_h * 60:.0f} min in which nothing should raise: {most}"
            yield Found("note", at, what, f"a take of {ENOUGH_H:g} h or more without anything")


@rule("Another version of its program makes other numbers: what was tuned is tuned for the old ones.")
def judged_on_others(checked: Checked) -> Iterator[Found]:
    for _, at, known in _known(checked):
        if known.stale:
            yield Found("warning", at, known.stale, "takes of what it makes now")


RULES = (never_judged, misses, cries_wolf, few_quiet_hours, judged_on_others)
