"""Masks of a head that hide from a zoom on, switched at the device as its zoom goes: the standard's messages know no zoom.

One is on before the head is sent to its zoom, and off only once the head has come back. A head that somebody drives is asked once a
second: its own picture may show for so long what the pages' never do.
"""

from __future__ import annotations

from lantern.core.ptz.masks import Hides, Mask
from lantern.devices.onvif.masks import Masks
from lantern.devices.onvif.ptz import Ptz


class AtDevice:
    """Those masks of one head that the device keeps, by their tokens; used by one thread at a time."""

    def __init__(self, masks: tuple[Mask, ...]) -> None:
        self._masks = tuple(each for each in masks if each.token)
        self._hides = Hides()
        self._on: frozenset[str] | None = None  # None: what the device does is not known

    def forget(self) -> None:
        """It was lost, and may have been set otherwise meanwhile."""
        self._on = None

    def switch(self, head: Ptz, zoom: float | None, *, rests: bool) -> None:
        """Have the device hide what is hidden at a zoom, in times; None: nobody knows it, and all of them hide. While it does not rest
        nothing is shown that was hidden.
        """
        if not self._masks:
            return
        wanted = frozenset(each.token for each in self._hides.now(self._masks, zoom))
        wanted |= frozenset() if rests or self._on is None else self._on
        if wanted == self._on:
            return
        masks, known = Masks(head.held), {each.token for each in self._masks}
        for each in masks.kept():
            if each.token in known and each.enabled != (each.token in wanted):
                masks.switch(each, each.token in wanted)
        self._on = wanted
