"""A kind that decides on plates: what such a kind must say of itself."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from lantern.core.events import Detector, Shape
from lantern.core.faults import FaultList
from lantern.core.kind import Kind
from lantern.core.modelled import read_model
from lantern.core.plates.detector import PlateDetector
from lantern.core.plates.lists import PlateList
from lantern.core.tuning.measures import Yardstick
from lantern.core.tuning.raises import RAISES


@dataclass(frozen=True, kw_only=True)
class PlateKind(Kind):
    """Decided passage by passage."""

    signals: tuple[str, ...] = ("plates",)
    detector: type[Detector] = PlateDetector
    yardstick: Yardstick = RAISES

    @property
    def shapes(self) -> tuple[Shape, ...]:
        return ("polygon", "box")

    def lists_named(self, detector: Detector) -> tuple[str, ...]:
        assert isinstance(detector, PlateDetector)
        return tuple(held for held in detector.lists if isinstance(held, str))

    def with_lists(self, detector: Detector, lists: Mapping[str, Mapping[str, Any]]) -> Detector:
        assert isinstance(detector, PlateDetector)
        faults = FaultList()
        for name in self.lists_named(detector):
            if name not in lists:
                known = ", ".join(lists) or "none is there yet"
                faults.add("detector: lists", f"the site has no list {name!r}", f"one of: {known}")
        faults.refuse_if_any()
        held = [
            read_model(PlateList, lists[each], where=f"list {each}") if isinstance(each, str) else each
            for each in detector.lists
        ]
        return detector.model_copy(update={"lists": tuple(held)})

    def lists_within(self, detector: Detector) -> tuple[Detector, list[dict[str, Any]]]:
        assert isinstance(detector, PlateDetector)
        held = [each for each in detector.lists if isinstance(each, PlateList)]
        names = tuple(each if isinstance(each, str) else each.name for each in detector.lists)
        documents = [each.model_dump(mode="json", by_alias=True) for each in held]
        return detector.model_copy(update={"lists": names}), documents

    def sources(self, detector: Detector) -> list[str]:
        """Its regions; "" where it has none, for then it watches the whole picture."""
        return super().sources(detector) or [""]
