"""A live detector of objects: the same steps that tuning and rehearsal are proven against, and counts that outlive a restart."""

from __future__ import annotations

from collections import Counter
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from lantern.core.decide import Change
from lantern.core.faults import Fault, Refused
from lantern.core.objects.counting import occupancy
from lantern.core.objects.counting.occupancy import Occupancy
from lantern.core.objects.dials import CountDials, ZoneDials
from lantern.core.objects.following import Step
from lantern.core.objects.kind import AnyTrackKind
from lantern.core.objects.region import ObjectDetector
from lantern.core.tracks import Seen
from lantern.core.watch import AnyWatch, Sample, Standing, Turn, Watch


class ObjectWatch(Watch[Sequence[Seen]]):
    """Lines, zones and paths, frame by frame: a sample is all objects that one frame shows (a sequence of `Seen`)."""

    detector: ObjectDetector
    kind: AnyTrackKind

    def __init__(self, detector: ObjectDetector, kind: AnyTrackKind, facts: Mapping[str, Any]) -> None:
        super().__init__(detector, kind)
        self.dials = kind.read_dials(detector)
        sized = {"width", "height"} <= set(facts)
        self.frame_px = (int(facts["width"]), int(facts["height"])) if sized else None
        self.passed: Counter[str] = Counter()  # raises by region, or by direction where there is one
        self.in_view = 0
        self._begin()

    def _begin(self) -> None:
        self.follower = self.kind.follower(self.detector.regions, self.dials, self.frame_px)

    def step(self, sample: Sample[Sequence[Seen]], interval_s: float) -> Iterator[Turn]:
        self.in_view = len(sample.value)
        for step in self.follower.take(sample.t, sample.value):
            if step.what == "raise":
                self.passed[step.direction or step.region] += 1
            yield self._turn(step, sample.t)

    def _turn(self, step: Step, t: float) -> Turn:
        """A passage does not last: it is cleared with its raise. A stay lasts until the object has left."""
        changes = [Change("raise", t) if step.what == "raise" else Change("clear", t, step.cleared_by)]
        if step.what == "raise" and not (isinstance(self.dials, ZoneDials) and self.dials.when == "inside"):
            changes.append(Change("clear", t, "reading"))
        why = {"device_t": step.at_s, "class": step.label}
        return Turn(step.region, tuple(changes), None, step.peak, why, str(step.object), step.direction)

    def resume(self, remembered: Mapping[str, dict[str, Any]], outdated: Collection[str]) -> bool:
        """Objects in view begin anew, for a tracker numbers them anew."""
        return False

    def inherit(self, held: AnyWatch) -> None:
        if isinstance(held, ObjectWatch):
            self.follower, self.passed = held.follower, held.passed

    def shift(self, seconds: float) -> None:
        self._begin()

    def standing(self, *, trouble: str = "") -> Standing:
        raised = self.follower.standing() if isinstance(self.dials, ZoneDials) else {}
        also = {"in view": self.in_view, "raised since the start": sum(self.passed.values())}
        states = {
            name: ("unknown", trouble) if trouble else ("raised" if many else "clear", "")
            for name, many in raised.items()
        }
        return Standing(readings=raised | also, unit=self.kind.unit(self.dials), states=states)


class CountWatch(ObjectWatch):
    """Who is inside follows from the passages; it is kept in the store, for a restart must not empty the hall."""

    dials: CountDials

    def __init__(self, detector: ObjectDetector, kind: AnyTrackKind, facts: Mapping[str, Any]) -> None:
        super().__init__(detector, kind, facts)
        self.inside = Occupancy(self.dials.start_inside)

    def _turn(self, step: Step, t: float) -> Turn:
        turn = super()._turn(step, t)
        return replace(turn, then=self._counted(step, t)) if step.what == "raise" else turn

    def _counted(self, step: Step, t: float) -> Turn:
        """Return who is inside after a passage, and whether the capacity is raised or clears by it."""
        before, self.inside = self.inside, self.inside.passed(step.direction, self.dials)
        changes: tuple[Change, ...] = ()
        if before.raised != self.inside.raised:
            changes = (Change("raise", t),) if self.inside.raised else (Change("clear", t, "reading"),)
        why = {"device_t": t, "inside": self.inside.inside, "raises_at": self.inside.level(self.dials)}
        return Turn(occupancy.REGION, changes, self.inside, float(self.inside.inside), why)

    def told(self, what: str) -> tuple[float, Turn]:
        """Nobody is inside ("empty"). Refused while anybody is in view: they would be counted out again."""
        if what != "empty":
            return super().told(what)
        if self.in_view:
            what = f"{self.in_view} in view"
            raise Refused([Fault("occupancy", what, "nobody in view: wait until the door is clear")])
        before = self.inside.inside
        self.inside = replace(self.inside, inside=0, came=0, left=0, raised=False)
        return float(before), Turn(occupancy.REGION, (), self.inside, 0.0, {})

    def resume(self, remembered: Mapping[str, dict[str, Any]], outdated: Collection[str]) -> bool:
        """Occupancy outlives a new revision."""
        if occupancy.REGION in remembered:
            self.inside = Occupancy(**remembered[occupancy.REGION])
            if self.dials.capacity is None:
                self.inside = replace(self.inside, raised=False)
        return self.inside.raised

    def inherit(self, held: AnyWatch) -> None:
        super().inherit(held)
        if isinstance(held, CountWatch):
            self.inside = held.inside

    def standing(self, *, trouble: str = "") -> Standing:
        state = ("unknown", trouble) if trouble else ("raised" if self.inside.raised else "clear", "")
        return Standing(
            readings={"inside": self.inside.inside, "in": self.passed["in"], "out": self.passed["out"]},
            unit=self.kind.unit(self.dials),
            states={"inside": state},
            level=self.inside.level(self.dials),
            also={"clamped": self.inside.clamped},
        )


def object_watch(detector: ObjectDetector, kind: AnyTrackKind, facts: Mapping[str, Any]) -> ObjectWatch:
    """Return the live decision of a detector of objects."""
    made = CountWatch if kind.counts else ObjectWatch
    return made(detector, kind, facts)
