"""A live detector that follows: objects of the cameras that it is told come to the plan, and its head is told where to look."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from typing import Any

import numpy as np

from lantern.core.company import Around, Stands
from lantern.core.decide import Change
from lantern.core.faults import Refused
from lantern.core.following.detector import Areas, FollowDetector, check_shapes
from lantern.core.following.dials import FollowDials
from lantern.core.following.follower import Follower, Place, Turned
from lantern.core.kind import Kind
from lantern.core.optics.feet import feet, view_of
from lantern.core.optics.mount import View
from lantern.core.ptz.pointing import Direction
from lantern.core.ptz.standing import USUAL, head_of, rest_of
from lantern.core.signals import Floats
from lantern.core.tracks import Seen
from lantern.core.watch import Aim, AnySample, AnyWatch, Sample, Standing, Turn, Watch


class FollowWatch(Watch[Sequence[Seen]]):
    """A sample is all objects that one moment shows: on the plan those of its own, in a picture those of a camera."""

    detector: FollowDetector
    kind: Kind[FollowDials]

    def __init__(self, detector: FollowDetector, kind: Kind[FollowDials], facts: Mapping[str, Any]) -> None:
        super().__init__(detector, kind)
        check_shapes(detector)
        around: Around = facts.get("around") or Around(Stands(None), {})
        self.dials = kind.read_dials(detector)
        self.head = detector.head or head_of(around.own) or USUAL
        self.areas = Areas(detector)
        self.missing: dict[str, str] = {}
        self.views = dict(self._views(around))
        self.home = rest_of(around.own) if detector.home_deg is None else Direction(*detector.home_deg)
        self.aim = Aim(*self.home, 1.0)
        self._wanted: Aim | None = None
        self._begin()

    def _begin(self) -> None:
        self.follower = Follower(self.head, self.dials, self.home)

    def _views(self, around: Around) -> Iterator[tuple[str, View]]:
        for code in self.detector.cameras:
            stands = around.others.get(code)
            if stands is None:
                self.missing[code] = f"the site has no device {code}"
                continue
            try:
                yield code, view_of(stands, None)
            except Refused as refused:
                self.missing[code] = f"{code} {refused.faults[0].what}"

    def step(self, sample: Sample[Sequence[Seen]], interval_s: float) -> Iterator[Turn]:
        places = np.array([each.box[:2] for each in sample.value], dtype=np.float64).reshape(-1, 2)
        yield from self._moment(sample.t, [each.id for each in sample.value], places)

    def accompany(self, code: str, t: float, sample: AnySample) -> Iterator[Turn]:
        view = self.views.get(code)
        if view is None or sample.signal != "tracks":
            return
        boxes = np.array([each.box for each in sample.value], dtype=np.float64).reshape(-1, 4)
        places = view.ground(feet(boxes))[:, :2]
        there = np.flatnonzero(np.isfinite(places).all(axis=1)).tolist()
        yield from self._moment(t, [f"{code}-{sample.value[at].id}" for at in there], places[there])

    def _moment(self, t: float, names: Sequence[int | str], places: Floats) -> Iterator[Turn]:
        may, regions = self.areas.region(places[:, 0], places[:, 1])
        here = [
            Place(name, x, y, region, bool(is_free))
            for name, (x, y), region, is_free in zip(names, places.tolist(), regions, may, strict=True)
        ]
        turned, command = self.follower.take(t, here, self.aim)
        if command is not None:
            self._wanted = command
        for each in turned:
            yield self._turn(each)

    def _turn(self, turned: Turned) -> Turn:
        change = Change("raise", turned.t) if turned.begins else Change("clear", turned.t, turned.by)
        why = {"device_t": turned.t, "x_m": turned.target.x, "y_m": turned.target.y, "ended": turned.why}
        return Turn(turned.target.region, (change,), None, 0.0, why, str(turned.target.name))

    def wanted(self) -> Aim | None:
        out, self._wanted = self._wanted, None
        return out

    def calls(self) -> bool:
        return self.follower.current is not None

    def looks(self, aim: Aim) -> None:
        self.aim = aim

    def resume(self, remembered: Mapping[str, dict[str, Any]], outdated: Collection[str]) -> bool:
        """Whoever is there begins anew, for cameras number them anew."""
        return False

    def inherit(self, held: AnyWatch) -> None:
        if isinstance(held, FollowWatch):
            self.follower, self.aim = held.follower, held.aim

    def shift(self, seconds: float) -> None:
        self._begin()

    def standing(self, *, trouble: str = "") -> Standing:
        current = self.follower.current
        word = "" if current is None else str(current.name)
        trouble = "; ".join(self.missing.values()) or trouble
        regions = [region.name for region in self.detector.regions if region.role == "watch"] or [""]
        states = {
            name: ("unknown", trouble)
            if trouble
            else ("raised" if current is not None and current.region == name else "clear", word)
            for name in regions
        }
        also = {"follows": word, "aim": list(self.aim), "targets": len(self.follower.known)}
        return Standing(readings={"targets": len(self.follower.known)}, unit="", states=states, also=also)
