"""Lists of plates: which of them a detector names, and what is on them."""

from __future__ import annotations

from lantern.core.named_lists import OwnLists
from lantern.core.plates.lists import PlateList

PLATE_LISTS = OwnLists(PlateList)
