"""How a head's picture is made at a preset: its focus, its exposure, its filter, applied once it has come there, and taken back on leaving."""

from __future__ import annotations

from lantern.core.ptz.turned import Kept, Pointing
from lantern.core.watch import Aim
from lantern.devices.onvif.imaging import Imaging, Picture
from lantern.devices.onvif.ptz import Ptz
from lantern.register.heads import picture_of

NEAR_DEG = 0.5  # it looks there: a preset that is farther off is told as drifted
NEAR_ZOOM = 0.1  # of the zoom


class Arriving:
    """Of one head; used by one thread at a time."""

    def __init__(self, pointing: Pointing | None) -> None:
        self._presets: list[tuple[Kept, Aim, Picture]] = []
        if pointing is not None and pointing.is_known:
            self._presets = [
                (each, pointing.aim(each.pan, each.tilt, each.zoom), picture_of(each))
                for each in pointing.turned.presets
                if picture_of(each) != Picture()
            ]
        self._made: Kept | None = None  # whose settings it has

    def looks(self, head: Ptz, aim: Aim, *, rests: bool) -> None:
        """It looks there now: at a preset it is set as that is, and elsewhere it finds by itself what was set for one."""
        there = next((each for each in self._presets if self._is_at(each[1], aim)), None) if rests else None
        if there is not None and there[0] != self._made:
            self._set(head, there[2])
            self._made = there[0]
        elif self._made is not None and not self._is_at(self._aim_of(self._made), aim):
            self._set(head, _by_itself(picture_of(self._made)))
            self._made = None

    def _aim_of(self, kept: Kept) -> Aim:
        return next(aim for each, aim, _ in self._presets if each == kept)

    @staticmethod
    def _is_at(preset: Aim, aim: Aim) -> bool:
        near = Pointing.apart_deg(preset[:2], aim[:2]) <= NEAR_DEG
        return near and abs(aim.zoom / preset.zoom - 1) <= NEAR_ZOOM

    @staticmethod
    def _set(head: Ptz, wanted: Picture) -> None:
        Imaging(head.held).make(head.source, wanted)


def _by_itself(made: Picture) -> Picture:
    """Return a picture whose device finds by itself what was set for a preset."""
    return Picture(
        focus_mode=None if made.focus_mode is None else "AUTO",
        exposure_mode=None if made.exposure_mode is None else "AUTO",
        ir_cut=None if made.ir_cut is None else "AUTO",
    )
