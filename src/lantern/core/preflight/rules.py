"""All rules, and what they find on a site: the gravest first."""

from __future__ import annotations

from typing import NamedTuple

from lantern.core.preflight import (
    compounds,
    detectors,
    devices,
    evidence,
    expected,
    heads,
    hours,
    links,
    people,
    promises,
)
from lantern.core.preflight.checked import Checked
from lantern.core.preflight.finding import GRAVITY, Finding, Rule
from lantern.core.site import Acceptance

RULES: tuple[Rule, ...] = (
    *devices.RULES, *promises.RULES, *detectors.RULES, *hours.RULES, *links.RULES, *compounds.RULES, *heads.RULES,
    *expected.RULES, *evidence.RULES, *people.RULES,
)  # fmt: skip
STALE = "accepted_and_gone"


class Judged(NamedTuple):
    """A finding, and the acceptance of somebody who lives with it; None: nobody does."""

    finding: Finding
    acceptance: Acceptance | None

    @property
    def accepted(self) -> str | None:
        return None if self.acceptance is None else self.acceptance.because


def preflight(checked: Checked) -> list[Judged]:
    """Return what the rules find, the gravest first, and a note for each acceptance that fits nothing any more: it holds for what was
    said when it was accepted, and a finding that says something else comes back.
    """
    found = [finding for each in RULES for finding in each(checked)]
    held = {(each.rule, each.at): each for each in checked.site.accepted}
    out, fitting = [], set()
    for finding in found:
        key = (finding.rule, finding.at)
        acceptance = held.get(key)
        fits = acceptance is not None and acceptance.what in (None, finding.what)
        out.append(Judged(finding, acceptance if fits else None))
        fitting |= {key} if fits else set()
    there = {(finding.rule, finding.at) for finding in found}
    for rule, at in sorted(held.keys() - fitting):
        became = "says something else now" if (rule, at) in there else "is found no more"
        why = "It may come back unseen: an acceptance is for what was there."
        gone = Finding(STALE, "note", at, f"{rule} was accepted, and {became}", why, "take the acceptance away")
        out.append(Judged(gone, None))
    out.sort(key=lambda each: GRAVITY.index(each.finding.severity))
    return out
