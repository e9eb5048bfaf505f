"""Lists of plates: which of them a detector names, and what is on them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from lantern.core.events import Detector
from lantern.core.faults import FaultList
from lantern.core.modelled import read_model
from lantern.core.named_lists import NamedLists
from lantern.core.plates.detector import PlateDetector
from lantern.core.plates.lists import PlateList


class PlateLists(NamedLists):
    """A detector of plates names lists of the site, or holds them itself."""

    def named(self, detector: Detector) -> tuple[str, ...]:
        assert isinstance(detector, PlateDetector)
        return tuple(held for held in detector.lists if isinstance(held, str))

    def filled(self, detector: Detector, lists: Mapping[str, Mapping[str, Any]]) -> Detector:
        assert isinstance(detector, PlateDetector)
        faults = FaultList()
        for name in self.named(detector):
            if name not in lists:
                known = ", ".join(lists) or "none is there yet"
                faults.add("detector: lists", f"the site has no list {name!r}", f"one of: {known}")
        faults.refuse_if_any()
        held = [
            read_model(PlateList, lists[each], where=f"list {each}") if isinstance(each, str) else each
            for each in detector.lists
        ]
        return detector.model_copy(update={"lists": tuple(held)})

    def parted(self, detector: Detector) -> tuple[Detector, list[dict[str, Any]]]:
        assert isinstance(detector, PlateDetector)
        held = [each for each in detector.lists if isinstance(each, PlateList)]
        names = tuple(each if isinstance(each, str) else each.name for each in detector.lists)
        documents = [each.model_dump(mode="json", by_alias=True) for each in held]
        return detector.model_copy(update={"lists": names}), documents


PLATE_LISTS = PlateLists()
