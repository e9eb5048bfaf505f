"""What a head's device says of where it looks, kept: once it looks elsewhere, and now and then while it does not."""

from __future__ import annotations

from datetime import UTC, datetime

import structlog

from lantern.core.ptz.turned import Pointing
from lantern.core.watch import Aim
from lantern.db.base import StoreAwayError, transaction
from lantern.duty.looks import forget_looks, note_look

log = structlog.get_logger()
TURNED_DEG = 0.3  # at zoom 1; less is the same look
NEARER = 1.03  # of the zoom
ANEW_S = 30.0  # a look that lasts is said anew, so that one that ended with the engine does not last on
FORGOTTEN_EVERY_S = 3600.0


class Looked:
    """Of one head; used by one thread at a time."""

    def __init__(self, device_id: int) -> None:
        self.device_id = device_id
        self._last: tuple[float, Aim | None] | None = None
        self._forgot_at = 0.0

    def note(self, t: float, aim: Aim | None) -> None:
        """It looks there at `t`, s of the clock; None: nobody knows."""
        if self._last is not None and t - self._last[0] < ANEW_S and self._is_alike(self._last[1], aim):
            return
        at = datetime.fromtimestamp(t, UTC)
        try:
            with transaction() as session:
                note_look(session, self.device_id, at, aim)
                if t - self._forgot_at > FORGOTTEN_EVERY_S:
                    forget_looks(session, self.device_id, at)
                    self._forgot_at = t
        except StoreAwayError as error:  # the head goes on; what was not kept is unknown afterwards
            log.warning("where a head looks is not kept", device=self.device_id, error=str(error))
            return
        self._last = (t, aim)

    @staticmethod
    def _is_alike(one: Aim | None, other: Aim | None) -> bool:
        if one is None or other is None:
            return one is other
        near = Pointing.apart_deg(one[:2], other[:2]) <= TURNED_DEG / max(other.zoom, 1.0)
        return near and 1 / NEARER <= other.zoom / one.zoom <= NEARER
