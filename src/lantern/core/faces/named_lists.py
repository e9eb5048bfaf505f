"""Lists of people: which of them a detector names, and who is on them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from lantern.core.events import Detector
from lantern.core.faces.detector import FaceDetector, FaceList
from lantern.core.faults import FaultList
from lantern.core.modelled import read_model
from lantern.core.named_lists import NamedLists


class FaceLists(NamedLists):
    """A detector of faces names lists of the site, or holds them itself."""

    def named(self, detector: Detector) -> tuple[str, ...]:
        assert isinstance(detector, FaceDetector)
        return tuple(held for held in detector.lists if isinstance(held, str))

    def filled(self, detector: Detector, lists: Mapping[str, Mapping[str, Any]]) -> Detector:
        assert isinstance(detector, FaceDetector)
        faults = FaultList()
        for name in self.named(detector):
            if name not in lists:
                known = ", ".join(lists) or "none is there yet"
                faults.add("detector: lists", f"the site has no list {name!r}", f"one of: {known}")
        faults.refuse_if_any()
        held = [
            read_model(FaceList, lists[each], where=f"list {each}") if isinstance(each, str) else each
            for each in detector.lists
        ]
        return detector.model_copy(update={"lists": tuple(held)})

    def parted(self, detector: Detector) -> tuple[Detector, list[dict[str, Any]]]:
        assert isinstance(detector, FaceDetector)
        held = [each for each in detector.lists if isinstance(each, FaceList)]
        names = tuple(each if isinstance(each, str) else each.name for each in detector.lists)
        return detector.model_copy(update={"lists": names}), [each.model_dump(mode="json") for each in held]

    def renamed(self, body: Mapping[str, Any], old: str, new: str) -> dict[str, Any]:
        own = {new if name == old else name: value for name, value in body.get("thresholds", {}).items()}
        return super().renamed(body, old, new) | {"thresholds": own}


FACE_LISTS = FaceLists()
