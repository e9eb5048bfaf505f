"""A probe that posts what a table holds, row by row in its own time; or, without a table, the two temperatures of a made-up kiln."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Mapping
from contextlib import closing
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
import structlog

from lantern.core.faults import Fault, Refused
from lantern.core.signals import Floats
from lantern.formats import columns as tables
from lantern.formats.units import unit_of
from lantern.signals.series.looks import unit_of_header
from lantern.signals.series.wire import SentReadings
from lantern.standins.line import Line, LineError

log = structlog.get_logger()
RECONNECT_S = 0.5
NOT_READ = 422
PAUSE_S = 1.0  # before the table begins anew
KILN_S, STEP_S = 240.0, 0.5


@dataclass(frozen=True)
class Table:
    """Named columns (n,) over `t_s` (n,), with the unit of each as its file has it."""

    t_s: Floats
    columns: Mapping[str, Floats]
    units: Mapping[str, str]


def kiln() -> Table:
    """Four minutes: the shell stands at 48 °C, and its bearing warms from 41 to 68 °C and cools again."""
    t_s = np.arange(0, KILN_S, STEP_S)
    rng = np.random.default_rng(11)
    warm = 27 / (1 + np.exp(-(t_s - 90) / 9)) - 27 / (1 + np.exp(-(t_s - 170) / 12))
    made = {"Shell": 48 + rng.normal(0, 0.15, t_s.size), "Bearing": 41 + warm + rng.normal(0, 0.2, t_s.size)}
    return Table(t_s, {name: np.round(x, 2) for name, x in made.items()}, dict.fromkeys(made, "°C"))


def table_of(path: Path, *, times: str | None, fps: float | None, units: Mapping[str, str]) -> Table:
    """Return what a CSV file holds. Without `times` and `fps` the first column that rises is the time. Raises `Refused`."""
    layout = tables.layout_of(path, where=path.name)
    if times is None and fps is None:
        rising = tables.rising(path, layout, where=path.name)
        if not rising:
            raise Refused(
                [Fault("--times", "is not given, and no column rises", "a column of times; or --fps, rows a second")]
            )
        times = rising[0]
    t_s, columns = tables.read_columns(path, where=path.name, times=times, fps=fps)
    unknown = [name for name in units if name not in columns]
    if unknown:
        raise Refused([Fault("--unit", f"there is no column {', '.join(unknown)}", f"one of {', '.join(columns)}")])
    for name, text in units.items():
        if unit_of(text) is None:
            raise Refused([Fault("--unit", f"{name}: {text!r} is no unit that is known", "such as °C, °F, bar")])
    return Table(t_s, columns, {name: units.get(name, unit_of_header(name)) for name in columns})


@dataclass
class ProbeStandIn:
    """Posts to `url`, with the device's token, at so many times its own pace."""

    table: Table
    url: str
    token: str
    speed: float = 1.0
    seq: int = 0
    _reached: bool = field(default=False, init=False)

    async def run(self) -> None:
        """Send rows until it is told to end; a row that nobody takes is sent again."""
        with closing(Line(self.url, self.token)) as line:
            clock = time.time()
            while True:
                began = time.time()
                for row, at_s in enumerate(self.table.t_s.tolist()):
                    await asyncio.sleep(max(began + at_s / self.speed - time.time(), 0))
                    await self._post(line, self._said(row, clock + at_s))
                await asyncio.sleep(PAUSE_S)
                clock = max(clock + float(self.table.t_s[-1]) + PAUSE_S, time.time())

    def _said(self, row: int, t: float) -> SentReadings:
        """Return a row's readings by its own clock, which runs as fast as it plays: rules see what they saw in the
        table.
        """
        self.seq += 1
        readings = {name: float(x[row]) for name, x in self.table.columns.items()}
        return SentReadings(seq=self.seq, t=round(t, 6), readings=readings, units=dict(self.table.units))

    async def _post(self, line: Line, said: SentReadings) -> None:
        while True:
            try:
                answer = await line.post(said.model_dump_json())
            except LineError as error:
                self._tell(reached=False, why=str(error))
            else:
                self._tell(reached=answer.is_success, why=answer.text[:300])
                if answer.is_success or answer.status == NOT_READ:
                    return
            await asyncio.sleep(RECONNECT_S)

    def _tell(self, *, reached: bool, why: str) -> None:
        if reached != self._reached or (not reached and self.seq == 1):
            log.info("probe stand-in", reached=reached, why="" if reached else why)
        self._reached = reached
