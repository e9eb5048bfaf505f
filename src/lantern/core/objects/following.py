"""The kinds of objects a sample at a time: what a live detector remembers of each object, equal to the batch."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, field
from typing import Any, cast

import numpy as np
import shapely

from lantern.core.objects.dials import CountDials, CrossingDials, ObjectDials, PathDials, ZoneDials
from lantern.core.objects.filters import keeps
from lantern.core.objects.kinds import advance, direction_of, rearm
from lantern.core.objects.lines import LineState, step
from lantern.core.objects.region import ObjectRegion
from lantern.core.objects.shapes import area_of, line_of, watched_regions
from lantern.core.objects.stays import Staying
from lantern.core.rule import TIME_TOLERANCE_S, ClearedBy
from lantern.core.tracks import UNKNOWN, Id, Seen, Tracks


@dataclass(frozen=True, slots=True)
class Step:
    """What a frame changed: an object raised, or cleared (zones only, then `at_s` is when)."""

    what: str  # raise, clear
    region: str
    object: Id
    at_s: float
    peak: float = 0.0
    direction: str | None = None
    cleared_by: ClearedBy | None = None
    label: str = ""


@dataclass
class _Stay:
    """The stay of one object in one zone."""

    staying: Staying = field(default_factory=Staying)
    done: bool = False  # it has raised, or was dropped by the re-arm time: this stay raises no more
    raised: bool = False


@dataclass
class _Memory:
    """The memory of one object. `votes` keeps the order in which classes were first seen."""

    votes: Counter[str] = field(default_factory=Counter)
    last_s: float | None = None
    fresh: bool = True
    lines: dict[str, LineState] = field(default_factory=dict)
    stays: dict[str, _Stay] = field(default_factory=dict)
    began: list[float | None] = field(default_factory=list)
    rearm_since_s: dict[str, float] = field(default_factory=dict)

    def restart(self) -> None:
        """A pause: all that was under way begins anew; the class and the re-arm time run on."""
        self.fresh, self.lines, self.stays, self.began = True, {}, {}, []


class Follower:
    """One detector over the frames of one device. Frames come in order of time."""

    def __init__(
        self, regions: Sequence[ObjectRegion], dials: ObjectDials, frame_px: tuple[int, int] | None = None
    ) -> None:
        self.all_regions, self.regions = regions, watched_regions(regions)
        self.dials = dials
        self.frame_px = frame_px
        self.objects: dict[Id, _Memory] = {}
        self.lines = {r.name: line_of(r) for r in self.regions if r.shape == "line"}
        self.areas = {r.name: area_of(r) for r in self.regions if r.shape != "line"}

    def take(self, t: float, seen: Sequence[Seen]) -> list[Step]:
        """One frame at `t` (s, of any clock); gives what it changed, by region, then object."""
        out = self._forget(t)
        for each in seen:
            memory = self.objects.setdefault(each.id, _Memory())
            if not self._counts(memory, each):
                continue
            if memory.last_s is not None and t - memory.last_s > self.dials.gap_s + TIME_TOLERANCE_S:
                memory.restart()
            out += self._decide(memory, each, t)
            memory.last_s, memory.fresh = t, False
        return sorted(out, key=lambda s: (s.region, str(s.object)))

    def standing(self) -> dict[str, int]:
        """Return how many objects stand raised in each zone now."""
        return {
            r.name: sum(m.stays[r.name].raised for m in self.objects.values() if r.name in m.stays)
            for r in self.regions
        }

    # ---- within ----

    def _counts(self, memory: _Memory, seen: Seen) -> bool:
        """The filters of the batch, on one sample; it votes for its class only if the other filters let it stay."""
        classes = (seen.label,) if seen.label else ()
        one = Tracks(
            np.zeros(1),
            np.zeros(1, dtype=np.intp),
            np.array([seen.box]),
            np.array([seen.confidence]),
            np.array([0 if seen.label else UNKNOWN], dtype=np.intp),
            (seen.id,),
            classes,
            frame_px=self.frame_px,
            height_m=None if seen.height_m is None else np.array([seen.height_m]),
        )
        stays = keeps(one, self.all_regions, self.dials.model_copy(update={"classes": None}))
        if not (stays["confidence"][0] and stays["size"][0]):
            return False
        memory.votes[seen.label] += 1
        if self.dials.classes is None:
            return True
        most = max(memory.votes.values())
        leading = next(word for word, n in memory.votes.items() if n == most)
        return leading in self.dials.classes

    def _forget(self, t: float) -> list[Step]:
        """Objects that have been away for longer than the gap: what stood raised is lost since they were last seen."""
        out = []
        for name, memory in self.objects.items():
            if memory.last_s is None or t - memory.last_s <= self.dials.gap_s + TIME_TOLERANCE_S:
                continue
            for region, stay in memory.stays.items():
                if stay.raised:
                    out.append(Step("clear", region, name, memory.last_s, cleared_by="lost"))
            memory.stays = {}
        gone = [
            name
            for name, m in self.objects.items()
            if m.last_s is not None and t - m.last_s > max(self.dials.gap_s, self.dials.rearm_s, 60.0)
        ]
        for name in gone:
            del self.objects[name]
        return out

    def _decide(self, memory: _Memory, seen: Seen, t: float) -> list[Step]:
        left, top, width, height = seen.box
        down = {"foot": height, "centre": height / 2, "top": 0.0}[self.dials.anchor]
        point = (left + width / 2, top + down)
        if isinstance(self.dials, PathDials):
            return self._path(memory, seen, point, t, self.dials)
        if isinstance(self.dials, ZoneDials):
            zone = self.dials
            return [s for r in self.regions for s in self._zone(memory, seen, point, t, r.name, zone)]
        line = cast(CrossingDials | CountDials, self.dials)
        return [s for r in self.regions for s in self._line(memory, seen, point, t, r.name, line)]

    def _raise(self, memory: _Memory, made: Step) -> list[Step]:
        """Unless it falls inside the re-arm time of this object."""
        since_s = memory.rearm_since_s.get(made.region)
        passes, memory.rearm_since_s[made.region] = rearm(since_s, made.at_s, self.dials)
        return [made] if passes else []

    def _line(
        self,
        memory: _Memory,
        seen: Seen,
        point: tuple[float, float],
        t: float,
        name: str,
        dials: CrossingDials | CountDials,
    ) -> list[Step]:
        a, b = self.lines[name]
        state = memory.lines.get(name, LineState())
        after, crossed = step(state, point, np.array(seen.box), a, b, dials.band, dials.across_percent)
        memory.lines[name] = after
        direction = None if crossed is None else direction_of(crossed, dials)
        if direction is None:
            return []
        peak = abs(after.distance)
        return self._raise(memory, Step("raise", name, seen.id, t, peak, direction, label=seen.label or "unknown"))

    def _zone(
        self, memory: _Memory, seen: Seen, point: tuple[float, float], t: float, name: str, dials: ZoneDials
    ) -> list[Step]:
        within = bool(shapely.intersects_xy(self.areas[name], *point))
        stay = memory.stays.setdefault(name, _Stay())
        turn = stay.staying.take(t, within=within, fresh=memory.fresh, dials=dials)
        made = Step("raise", name, seen.id, t, label=seen.label or "unknown")
        if dials.when == "enter":
            return self._raise(memory, made) if turn == "come" and (not stay.staying.born or dials.born_inside) else []
        if dials.when == "leave":
            return self._raise(memory, made) if turn == "gone" else []
        if turn == "gone":
            raised, stay.raised = stay.raised, False
            return [Step("clear", name, seen.id, t, cleared_by="reading")] if raised else []
        if turn == "come":
            stay.done = False
        since_s = stay.staying.since_s
        if since_s is None or not within or stay.done or t - since_s < dials.dwell_s - TIME_TOLERANCE_S:
            return []
        stay.done = True
        out = self._raise(memory, made)
        stay.raised = bool(out)
        return out

    def _path(self, memory: _Memory, seen: Seen, point: tuple[float, float], t: float, dials: PathDials) -> list[Step]:
        here = []
        for region in self.regions:
            if region.shape == "line":
                a, b = self.lines[region.name]
                state = memory.lines.get(region.name, LineState())
                memory.lines[region.name], crossed = step(state, point, np.array(seen.box), a, b, dials.band)
                here.append(crossed == "a_to_b")
            else:
                here.append(bool(shapely.intersects_xy(self.areas[region.name], *point)))
        began: Sequence[Any] = memory.began or [None] * len(here)
        memory.began = advance(began, here, t, strict=dials.strict)
        first = memory.began[-1]
        if first is None or t - first > dials.within_s + TIME_TOLERANCE_S:
            return []
        memory.began = []
        return self._raise(memory, Step("raise", "path", seen.id, t, t - first, label=seen.label or "unknown"))
