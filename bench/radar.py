"""A day of ten returns a scan at ten scans a second, decided and swept; against a plain loop over some of it."""

from __future__ import annotations

import resource
import time
from collections.abc import Iterator
from pathlib import Path
from tempfile import TemporaryDirectory

import numpy as np

from bench.figures import Figure, seconds, sized
from lantern.core.promise.radar import Radar
from lantern.core.radar.approach import Approach
from lantern.core.radar.dials import RadarDials
from lantern.core.radar.family import RADAR
from lantern.core.radar.least import from_there
from lantern.core.radar.regions import RadarDetector
from lantern.core.radar.returns import Return, Returns
from lantern.core.radar.subject import RadarSubject, judge
from lantern.core.scoring.marks import Mark
from lantern.signals.radar.table import read_returns

SCANS, AT_ONCE, LASTS = sized(864_000, 4_000), 10, 300  # scans of a day, targets in each, scans that a target lasts
AT_A_TIME = 500_000  # rows that are written at once
LOOPED = sized(200_000, 5_000)
DETECTOR = RadarDetector.model_validate(
    {
        "name": "d",
        "kind": "radar",
        "regions": [{"name": "s", "shape": "sector", "points": [[3, -50], [60, 50]]}],
        "dials": {"profile": "inbound", "distance_m": 3.0, "bridge_s": 1.0},
    }
)


def day(scans: int) -> Returns:
    """Ten targets at a time, each for half a minute, that come nearer or go away and dither."""
    rng = np.random.default_rng(4)
    lives = scans // LASTS + 1
    towards = rng.choice([-1.0, 1.0], (lives, AT_ONCE)) * rng.uniform(0.1, 2.0, (lives, AT_ONCE))
    start = rng.uniform(5, 60, (lives, AT_ONCE))
    life = np.arange(scans) // LASTS
    since = (np.arange(scans) % LASTS) / 10
    speed = towards[life] + rng.normal(0, 0.3, (scans, AT_ONCE))
    away = np.abs(start[life] + towards[life] * since[:, None])
    bearing = rng.uniform(-70, 70, (lives, AT_ONCE))[life]
    targets = life[:, None] * AT_ONCE + np.arange(AT_ONCE)
    return Returns(
        t_s=np.repeat(np.arange(scans) / 10, AT_ONCE),
        target=targets.ravel(),
        range_m=away.round(2).ravel(),
        azimuth_deg=bearing.round(1).ravel(),
        speed_mps=speed.round(2).ravel(),
        rcs_dbsm=np.zeros(scans * AT_ONCE),
        ids=tuple(range(lives * AT_ONCE)),
    )


def decided(returns: Returns) -> int:
    return len(judge(DETECTOR, RADAR, returns).events())


def written(path: Path, returns: Returns) -> None:
    """As a file; a part at a time, for as text a day is large."""
    columns = (returns.t_s, returns.target, returns.range_m, returns.azimuth_deg, returns.speed_mps)
    with path.open("w") as file:
        file.write("t_s,target,range_m,azimuth_deg,radial_speed_mps,rcs_dbsm\n")
        for start in range(0, len(returns), AT_A_TIME):
            part = (column[start : start + AT_A_TIME].tolist() for column in columns)
            file.writelines(
                f"{t:.1f},{target},{away:.2f},{bearing:.1f},{speed:.2f},0\n"
                for t, target, away, bearing, speed in zip(*part, strict=True)
            )


def swept(subject: RadarSubject) -> int:
    hours = [Mark(3600.0 * hour, 3600.0 * hour + 600, "expect") for hour in range(24)]
    return len(subject.rows_exact("distance_m", hours, 0.0, 50.0))


def plainly(returns: Returns, count: int) -> None:
    """The same decision return by return, as it runs live, without asking where the region lies."""
    dials: RadarDials = RADAR.read_dials(DETECTOR)
    held: dict[int, Approach] = {}
    columns = (returns.range_m, returns.azimuth_deg, returns.speed_mps, returns.rcs_dbsm)
    for row in range(count):
        target = int(returns.target[row])
        seen = Return(str(target), *(float(column[row]) for column in columns))
        there = 3 <= seen.range_m <= 60 and -50 <= seen.azimuth_deg <= 50
        held.setdefault(target, Approach()).take(float(returns.t_s[row]), seen, dials, there=there)


def run() -> Iterator[Figure]:
    returns = day(SCANS)
    began = time.perf_counter()
    events = decided(returns)
    own_s = time.perf_counter() - began
    yield Figure(f"{len(returns)} returns decided, {events} events", own_s, "s", 5)
    subject = judge(DETECTOR, RADAR, returns)
    yield Figure("every way that may be asked for, exactly", seconds(lambda: swept(subject)), "s", 2)
    hour, old = (
        day(sized(10_000, 2_000)),
        Radar(x_m=0.0, y_m=0.0, height_m=4.0, azimuth_deg=0.0, sector_deg=140.0, range_m=100.0),
    )
    held, moved = judge(DETECTOR, RADAR, hour), old.model_copy(update={"x_m": 8.0, "azimuth_deg": 10.0})
    began = time.perf_counter()
    from_there(held, old, moved).card([Mark(100.0, 200.0, "expect")])
    took_ms = 1000 * (time.perf_counter() - began)
    yield Figure(f"{len(hour)} returns seen from another place, to its score card", took_ms, "ms", 300)
    yield Figure("memory at most", resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024, "MiB", 1024)
    with TemporaryDirectory() as folder:
        path = Path(folder) / "day.csv"
        written(path, returns)
        began = time.perf_counter()
        count = len(read_returns(path, where=path.name))
        size = path.stat().st_size / 2**20
    yield Figure(f"{count} returns read from a file of {size:.0f} MiB", time.perf_counter() - began, "s", 20)
    loop_s = seconds(lambda: plainly(returns, LOOPED))
    yield Figure(f"a plain loop over {LOOPED} returns", loop_s, "s")
    yield Figure("of that, return for return", (own_s / len(returns)) / (loop_s / LOOPED), "times")
