"""A detector of plates: regions are where in the picture reads count, without one they count everywhere."""

from __future__ import annotations

from collections import Counter
from typing import Literal, Self

from pydantic import model_validator

from lantern.core.events import Detector, Region
from lantern.core.faults import Fault, Refused
from lantern.core.plates.lists import PlateList


class PlateRegion(Region):
    """A region in the picture where reads count: a box by two corners, or a polygon."""

    shape: Literal["box", "polygon"]

    @model_validator(mode="after")
    def _closed(self) -> Self:
        if self.shape == "box" and len(self.points) != 2:
            raise ValueError(f"{len(self.points)} points: a box has two, corner and opposite corner")
        if self.shape == "polygon" and len(self.points) < 3:
            raise ValueError(f"{len(self.points)} points: a polygon has three or more")
        return self


class PlateDetector(Detector):
    """A detector with its lists, or with the names of lists of its site: of entries with one key, or at one distance,
    the first list wins.
    """

    regions: tuple[PlateRegion, ...] = ()
    lists: tuple[PlateList | str, ...] = ()

    @model_validator(mode="after")
    def _named_once(self) -> Self:
        names = Counter(held if isinstance(held, str) else held.name for held in self.lists)
        twice = sorted(name for name, n in names.items() if n > 1)
        if twice:
            raise ValueError(f"two lists named {', '.join(twice)}: a name of its own for each")
        return self

    @property
    def known_lists(self) -> list[PlateList]:
        """Its lists with what is on them. Raises `Refused` where one is only named."""
        named = [held for held in self.lists if isinstance(held, str)]
        if named:
            what = f"{', '.join(named)} is only named: its entries are nowhere"
            raise Refused([Fault("detector: lists", what, "lists with their entries, or a site's file beside it")])
        return [held for held in self.lists if isinstance(held, PlateList)]
