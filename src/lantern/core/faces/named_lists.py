"""Lists of people: which of them a detector names, and who is on them."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from lantern.core.faces.detector import FaceList
from lantern.core.named_lists import OwnLists


class FaceLists(OwnLists):
    """A detector has thresholds by the names of its lists."""

    def renamed(self, body: Mapping[str, Any], old: str, new: str) -> dict[str, Any]:
        own = {new if name == old else name: value for name, value in body.get("thresholds", {}).items()}
        return super().renamed(body, old, new) | {"thresholds": own}


FACE_LISTS = FaceLists(FaceList)
