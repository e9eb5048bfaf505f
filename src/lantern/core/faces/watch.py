"""A live detector of faces: the same machine as on takes, look by look."""

from __future__ import annotations

import math
from collections import deque
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from lantern.core.decide import Change
from lantern.core.faces.deciding import Seen, dials_of, threshold_of
from lantern.core.faces.detector import FaceDetector, FaceList
from lantern.core.faces.dials import MASK, MASKS
from lantern.core.faces.kind import FaceKind
from lantern.core.faces.looks import Look
from lantern.core.rearm import rearmed
from lantern.core.watch import AnyWatch, Sample, Standing, Turn, Watch

FORGET_S = 60.0  # beyond what a dial asks for
KEEP_S = 5.0  # what holds over a restart is stored this often while somebody stays in sight


@dataclass(frozen=True)
class Remembered:
    """What holds over a restart: of each candidate of each list (list, candidate, looks since its last raise, when it raised, when it
    was last seen, whether it is held off); `last_s`: when a face on no list raised last.
    """

    seen: tuple[tuple[str, str, tuple[float, ...], float | None, float | None, bool], ...]
    last_s: float | None


class FaceWatch(Watch[Sequence[Look]]):
    """Looks of one device."""

    detector: FaceDetector
    kind: FaceKind

    def __init__(self, detector: FaceDetector, kind: FaceKind, facts: Mapping[str, Any]) -> None:
        super().__init__(detector, kind)
        self.dials = kind.read_dials(detector)
        self.lists = detector.known_lists
        self._on = [frozenset(held.members) for held in self.lists]
        self.seen: dict[tuple[str, str], Seen] = {}
        self.last_s: float | None = None
        self.said: dict[str, Any] = {}  # of the last look
        self._forgot_s = self._kept_s = -math.inf

    def step(self, sample: Sample[Sequence[Look]], interval_s: float) -> Iterator[Turn]:
        for look in sample.value:
            yield from self._look(look, sample.t)

    def _look(self, look: Look, t: float) -> Iterator[Turn]:
        bests = [self._best(look, members) for members in self._on]
        self.said = {"probe": look.probe, "t": t} | self._told(bests)
        if look.late:
            return
        if self.dials.when != "listed":
            yield from self._by_itself(look, t, bests)
            return
        turns, longer = [], False
        for held, best in zip(self.lists, bests, strict=True):
            if best is None or best[1] < threshold_of(held, self.dials):
                continue
            seen = self.seen.setdefault((held.name, best[0]), Seen())
            fate = seen.take(t, dials_of(held, self.dials))
            if fate == "raised":
                turns.append((held, best))
            longer |= fate == "held_off"
        self._forget(t)
        then: Turn | None = None
        for held, best in reversed(turns):  # lists that are due at one look raise together
            then = self._turn(look, t, best[0], best[1], held, then)
        if then is not None:
            self._kept_s = t
            yield then
        elif longer and t - self._kept_s >= KEEP_S:  # who stays in sight is held off for longer, over a restart too
            self._kept_s = t
            yield Turn("", (), self._memory(), math.nan, {})

    @staticmethod
    def _best(look: Look, members: Collection[str]) -> tuple[str, float] | None:
        own = [each for each in look.candidates if each[0] in members]
        return max(own, key=lambda each: each[1]) if own else None  # of equals the first

    def _told(self, bests: Sequence[tuple[str, float] | None]) -> dict[str, Any]:
        pairs = zip(self.lists, bests, strict=True)
        return {"bests": [[held.name, *best] for held, best in pairs if best is not None]}

    def _by_itself(self, look: Look, t: float, bests: Sequence[tuple[str, float] | None]) -> Iterator[Turn]:
        """A look that is on no list, or of the class that is asked for."""
        pairs = zip(self.lists, bests, strict=True)
        if self.dials.when in MASKS:
            if look.groups.get(MASK) != MASKS[self.dials.when]:
                return
        elif any(best is not None and best[1] >= threshold_of(held, self.dials) for held, best in pairs):
            return
        if rearmed(t, self.last_s, self.dials.rearm_s):
            self.last_s = t
            yield self._turn(look, t, look.probe, max(score for _, score in look.candidates), None, None)

    def _turn(self, look: Look, t: float, name: str, score: float, held: FaceList | None, then: Turn | None) -> Turn:
        why = {"device_t": t, "score": score, "probe": look.probe} | dict(look.groups)
        if held is not None:
            why |= {"threshold": threshold_of(held, self.dials), "looks": self.dials.min_looks}
        own = {"list": None if held is None else held.name}
        changes = (Change("raise", t), Change("clear", t, "reading"))
        return Turn("", changes, self._memory(), score, why, name, own=own, then=then)

    def _memory(self) -> Remembered:
        seen = tuple(
            (*key, tuple(each.since), each.raised_s, each.last_s, each.held) for key, each in self.seen.items()
        )
        return Remembered(seen, self.last_s)

    def _forget(self, t: float) -> None:
        """Let go of who plays no part any more, so that a year of passers does not pile up."""
        if t - self._forgot_s < FORGET_S:
            return
        self._forgot_s = t
        longest_s = max((dials_of(held, self.dials).holdoff_s for held in self.lists), default=0.0)
        reach = max(self.dials.looks_within_s, longest_s, self.dials.reannounce_s) + FORGET_S
        self.seen = {key: each for key, each in self.seen.items() if t - each.latest_s <= reach}

    def taken_for(self, sample: Sample[Sequence[Look]]) -> dict[str, str]:
        pairs = [(held, members) for held, members in zip(self.lists, self._on, strict=True)]
        out = {}
        for look in sample.value:
            bests = [(self._best(look, members), threshold_of(held, self.dials)) for held, members in pairs]
            matched = [best for best, threshold in bests if best is not None and best[1] >= threshold]
            if matched:
                out[look.probe] = max(matched, key=lambda each: each[1])[0]
        return out

    # ---- over a restart ----

    def resume(self, remembered: Mapping[str, dict[str, Any]], outdated: Collection[str]) -> bool:
        """Who is held off stays so over a restart. Nothing stands raised: a raise of a face is over with it."""
        for fields in remembered.values():
            self.last_s = fields.get("last_s")
            for name, candidate, since, raised_s, last_s, held in fields.get("seen", ()):
                self.seen[name, candidate] = Seen(deque(since), raised_s, last_s, held)
        return False

    def inherit(self, held: AnyWatch) -> None:
        if isinstance(held, FaceWatch):
            self.last_s, known = held.last_s, {(one.name, each) for one in self.lists for each in one.members}
            self.seen = {key: seen for key, seen in held.seen.items() if key in known}  # who left a list is forgotten

    def shift(self, seconds: float) -> None:
        for each in self.seen.values():
            each.shift(seconds)
        self._forgot_s += seconds
        self._kept_s += seconds
        self.last_s = None if self.last_s is None else self.last_s + seconds

    def standing(self, *, trouble: str = "") -> Standing:
        state = ("unknown", trouble) if trouble else ("clear", "")
        thresholds = {held.name: threshold_of(held, self.dials) for held in self.lists}
        readings = {name: score for name, _, score in self.said.get("bests", ())}
        return Standing(
            readings=readings, unit="", states={"": state}, also={"last": self.said, "thresholds": thresholds}
        )
