"""Scans as a radar sends them: a message a scan (`wire.py`), over a WebSocket, or over HTTP again and again until it is answered."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, ClassVar

from lantern.core.radar.returns import Return
from lantern.core.watch import Sample
from lantern.core.wording import many
from lantern.signals.feed import BYTES_A_MOMENT, BYTES_A_THING, Way
from lantern.signals.posted import PostedFeed, PostedMoment, late_by
from lantern.signals.radar.wire import LARGEST_MESSAGE, SentScan, unpack_scan

REACH_M = 100.0  # that is drawn before anything was seen


class Moment(PostedMoment[SentScan]):
    """All that a radar saw at one moment. One that comes late opens nothing, and need not be kept: the next is a tenth of a second on."""

    @property
    def size(self) -> int:
        return BYTES_A_MOMENT + BYTES_A_THING * len(self.sent.returns)

    def sample(self) -> Sample[Sequence[Return]]:
        return Sample("radar", self.t, [each.seen() for each in self.sent.returns])

    def late(self, *, follows: bool) -> dict[str, Any] | None:
        return None

    def words(self) -> str:
        return many(len(self.sent.returns), "target") if self.sent.returns else "nothing in it"


@dataclass
class ScanFeed(PostedFeed[Moment]):
    """The feed of a radar."""

    ways: ClassVar[tuple[Way, ...]] = ("http", "ws")
    largest = LARGEST_MESSAGE

    last: SentScan | None = None
    reach_m: float = REACH_M

    def read(self, message: bytes) -> Moment:
        sent = unpack_scan(message)
        return Moment(sent, late_by(sent.t))

    def keep(self, frame: Moment) -> None:
        super().keep(frame)
        self.last = frame.sent
        self.reach_m = max((self.reach_m, *(each.range_m for each in frame.sent.returns)))

    def as_dict(self) -> dict[str, Any]:
        returns = self.last.returns if self.last is not None else ()
        points = [[*each.seen().place, _word(each.seen())] for each in returns]
        nearest = min(returns, key=lambda each: each.range_m, default=None)
        return super().as_dict() | {
            "points": points,
            "rangeM": self.reach_m,
            "nearest": None if nearest is None else [nearest.target, nearest.range_m, nearest.radial_speed_mps],
        }


def _word(seen: Return) -> str:
    return f"{seen.target}: {seen.range_m:.1f} m, {seen.speed_mps:+.1f} m/s, {seen.rcs_dbsm:.0f} dBsm"
