"""A live detector of objects: the same steps that tuning and rehearsal are proven against, and counts that outlive a restart."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass, field, replace
from datetime import UTC, datetime
from typing import Any

from lantern.core.decide import Change
from lantern.core.kinds import TrackKind, kind_of
from lantern.core.objects import occupancy
from lantern.core.objects.dials import CountDials
from lantern.core.objects.following import Seen, Step
from lantern.core.objects.occupancy import Occupancy
from lantern.live.recorder import Happening
from lantern.live.watch import Watch


@dataclass
class ObjectWatch(Watch):
    """Lines, zones and paths, frame by frame. `inside` is kept in the store, for a restart must not empty the hall."""

    frame_px: tuple[int, int] | None = None
    passed: Counter[str] = field(default_factory=Counter)  # raises by region, or by direction where there is one
    in_view: int = 0
    inside: Occupancy = field(default_factory=Occupancy)

    def __post_init__(self) -> None:
        kind = kind_of(self.model.kind)
        assert isinstance(kind, TrackKind)
        self.dials = kind.read_dials(self.model)
        self.kind = kind
        self._begin()
        if isinstance(self.dials, CountDials):
            self.inside = Occupancy(self.dials.start_inside)

    def _begin(self) -> None:
        self.follower = self.kind.follower(self.model.regions, self.dials, self.frame_px)

    def take(self, t: float, seen: Sequence[Seen]) -> Iterator[Happening]:
        """One frame at the device's time t. Yields what changed, object by object, and the capacity after the passages."""
        self.in_view = len(seen)
        for step in self.follower.take(t, seen):
            happening = self._happening(step, t)
            if step.what == "raise":
                self.passed[step.direction or step.region] += 1
                happening = replace(happening, then=self._counted(step, t))
            yield happening

    def _counted(self, step: Step, t: float) -> Happening | None:
        """Who is inside after a passage, and whether the capacity is raised or clears by it."""
        if not isinstance(self.dials, CountDials):
            return None
        before, self.inside = self.inside, self.inside.passed(step.direction, self.dials)
        changes: tuple[Change, ...] = ()
        if before.raised != self.inside.raised:
            changes = (Change("raise", t),) if self.inside.raised else (Change("clear", t, "reading"),)
        why = {"device_t": t, "inside": self.inside.inside, "raises_at": self.inside.level(self.dials)}
        at = datetime.now(UTC)
        what = (self.site_id, self.detector_id, self.revision, occupancy.REGION, at, changes)
        return Happening(*what, self.inside, float(self.inside.inside), why)

    def _happening(self, step: Step, t: float) -> Happening:
        changes: tuple[Change, ...] = (
            (Change("raise", t),) if step.what == "raise" else (Change("clear", t, step.cleared_by),)
        )
        if step.what == "raise" and getattr(self.dials, "when", "") != "inside":
            changes = (*changes, Change("clear", t, "reading"))  # a passage does not last
        why = {"device_t": step.at_s, "class": step.label}
        at = datetime.now(UTC)
        return Happening(
            self.site_id,
            self.detector_id,
            self.revision,
            step.region,
            at,
            changes,
            None,
            step.peak,
            why,
            str(step.object),
            step.direction,
        )

    def empty(self) -> Occupancy:
        """Somebody has seen that nobody is inside. Refused by the caller while anybody is in view."""
        self.inside = replace(self.inside, inside=0, came=0, left=0, raised=False)
        return self.inside

    def resume(self, remembered: Mapping[str, tuple[int, dict[str, Any]]]) -> bool:
        """Occupancy outlives a new revision; objects in view begin anew, for a tracker numbers them anew."""
        if isinstance(self.dials, CountDials) and occupancy.REGION in remembered:
            self.inside = Occupancy(**remembered[occupancy.REGION][1])
            if self.dials.capacity is None:
                self.inside = replace(self.inside, raised=False)
        return self.inside.raised

    def inherit(self, held: Watch) -> None:
        if isinstance(held, ObjectWatch):
            self.follower, self.passed, self.inside = held.follower, held.passed, held.inside

    def shift(self, seconds: float) -> None:
        self._begin()

    def as_dict(self, *, feed_live: bool) -> dict[str, Any]:
        readings: dict[str, float] = {}
        unit = "objects"
        standing = self.follower.standing() if self.kind.name == "zone" else {}
        if isinstance(self.dials, CountDials):
            unit = "people"
            readings = {"inside": self.inside.inside, "in": self.passed["in"], "out": self.passed["out"]}
        else:
            readings = {**standing}
            readings |= {"in view": self.in_view, "raised since the start": sum(self.passed.values())}
        decided = ["inside"] if isinstance(self.dials, CountDials) else list(standing)
        state = {
            name: {"state": self._state(name, feed_live), "why": "" if feed_live else "no frames"} for name in decided
        }
        level = self.inside.level(self.dials) if isinstance(self.dials, CountDials) else None
        return {
            "id": self.detector_id,
            "name": self.model.name,
            "revision": self.revision,
            "error": self.error,
            "readings": readings,
            "unit": unit,
            "standing": state,
            "level": level,
            "clamped": self.inside.clamped,
        }

    def _state(self, name: str, feed_live: bool) -> str:
        if not feed_live:
            return "unknown"
        if name == "inside":
            return "raised" if self.inside.raised else "clear"
        return "raised" if self.follower.standing().get(name, 0) else "clear"
