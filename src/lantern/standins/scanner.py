"""A radar that posts its scans, each with all targets that it sees, or with bare detections."""

from __future__ import annotations

from dataclasses import KW_ONLY, dataclass, field

import numpy as np

from lantern.core.radar.returns import Returns
from lantern.signals.radar.wire import SentReturn, SentScan
from lantern.standins.poster import PosterStandIn
from lantern.standins.quay import LENGTH_S, SCANS_HZ


@dataclass
class RadarStandIn(PosterStandIn):
    """It plays `returns`, of so many seconds and scans a second."""

    _: KW_ONLY
    returns: Returns
    length_s: float = LENGTH_S
    scans_hz: float = SCANS_HZ
    first: np.ndarray = field(init=False)

    def __post_init__(self) -> None:
        self.fps = self.scans_hz
        self.count = round(self.length_s * self.scans_hz)
        scans = np.floor(self.returns.t_s * self.scans_hz + 0.5).astype(int)
        self.first = np.searchsorted(scans, np.arange(self.count + 1))

    def message(self, frame: int) -> SentScan:
        rows = range(int(self.first[frame]), int(self.first[frame + 1]))
        sent = tuple(self._sent(row) for row in rows)
        return SentScan(seq=self.sent, t=self.time_s(), detections=self.returns.bare, returns=sent)

    def _sent(self, row: int) -> SentReturn:
        held = self.returns
        return SentReturn(
            target="" if held.bare else f"{held.ids[int(held.target[row])]}.{self._round}",
            range_m=float(held.range_m[row]),
            azimuth_deg=float(held.azimuth_deg[row]),
            radial_speed_mps=float(held.speed_mps[row]),
            rcs_dbsm=float(held.rcs_dbsm[row]),
            snr_db=None if held.snr_db is None else float(held.snr_db[row]),
        )
