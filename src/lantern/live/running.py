"""A detector of the store as the engine runs it: its decision, its links, and what is wrong with it, if anything is."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from lantern.core.kinds import watch
from lantern.core.linking.arming import Armed
from lantern.core.logic.timetable import Timetable
from lantern.core.watch import AnyWatch
from lantern.live.plans import Plan

SILENT = "no frames"


@dataclass
class Running:
    """One revision of one detector. `watch` holds all that changes with its samples."""

    detector_id: int
    site_id: int
    revision: int
    watch: AnyWatch
    links: list[Armed]
    hours: Timetable | None = None  # outside them a raise is stored, and fires nothing
    beside: Mapping[int, str] = field(default_factory=dict)  # devices whose samples it is decided with: their codes
    fault: str = ""  # why it cannot run
    unfit: str = ""  # why it cannot watch what came last
    error: str = ""

    def resume(self, remembered: Mapping[str, tuple[int, dict[str, Any]]]) -> bool:
        """Go on where an earlier engine stopped, as far as the revision is the same. Returns whether anything stands raised."""
        states = {region: fields for region, (_, fields) in remembered.items()}
        outdated = {region for region, (revision, _) in remembered.items() if revision != self.revision}
        return self.watch.resume(states, outdated)

    def as_dict(self, *, silent: str = "") -> dict[str, Any]:
        """Return how it stands, for the pages. `silent`: why nothing comes from its device, if nothing does."""
        error = self.fault or self.unfit or self.error
        trouble = silent or error
        return {
            "id": self.detector_id,
            "name": self.watch.detector.name,
            "revision": self.revision,
            "error": error,
            **self.watch.standing(trouble=trouble).as_dict(),
        }


def running(plan: Plan) -> Running:
    """Return the detector of a plan, at its beginning."""
    return Running(
        detector_id=plan.detector_id,
        site_id=plan.site_id,
        revision=plan.revision,
        watch=watch(plan.model, plan.facts),
        links=plan.links,
        hours=plan.hours,
        beside=plan.beside,
        fault=plan.fault,
    )
