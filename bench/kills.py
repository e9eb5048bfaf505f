"""Every part of the program is killed ten times while all demo devices play: how long until it is back, what that costs the
processor, and nothing twice; and what the demo takes at rest.

Back is: the web server answers; the engine, fed by every device, tells the store how they stand; the worker's heart beats; all
stand-ins are listened to again, the relay too; the database answers and a page that needs it does.
"""

from __future__ import annotations

import os
import signal
import time
from collections.abc import Callable, Iterator
from pathlib import Path
from typing import Any

import httpx
import psycopg

from bench.figures import Figure, sized
from bench.program import LOGIN, PASSWORD, program

REACHED = "SELECT array_agg(device_id) FROM device_state WHERE reachable AND device_id IN (SELECT id FROM device WHERE site_id = 1)"
MOST_OF_THEM = 7
KILLS = sized(10, 1)
BETWEEN_S = sized(3.0, 0.5)
PARTS_S, DATABASE_S = 2.0, 5.0
PATIENCE_S = 240.0  # for a machine that is busy
START_S = 1.5  # of the processor, from the fork until it is back
AT_REST_S, AT_REST_PERCENT = sized(30.0, 1.0), 17.0
TICKS = os.sysconf("SC_CLK_TCK")
TWICE = """
    SELECT count(*) FROM (SELECT 1 FROM event GROUP BY detector_id, region, object, repeat, why->>'device_t' HAVING count(*) > 1) t
"""


def run() -> Iterator[Figure]:
    with program() as (address, state):
        seen = Watcher(address, state)
        seen.until(seen.most_live)
        yield Figure("the demo at rest, of one core", seen.at_rest(), "%", AT_REST_PERCENT)
        for camera in ("T1", "T2", "T3", "C1", "C2", "V2"):  # where something happens, quickly
            seen.play(camera)
        before = seen.value("SELECT count(*) FROM event")
        for part, back, wish_s in (
            ("engine", seen.engine, PARTS_S),
            ("web", seen.web, PARTS_S),
            ("worker", seen.worker, PARTS_S),
            ("stand-ins", seen.standins, PARTS_S),
            ("database", seen.database, DATABASE_S),
        ):
            times, costs = zip(*(seen.kill(part, back) for _ in range(KILLS)), strict=True)
            yield Figure(f"{part}: back after {KILLS} kills, median", sorted(times)[KILLS // 2], "s")
            yield Figure(f"{part}: the longest", max(times), "s", wish_s)
            yield Figure(f"{part}: of the processor until it is back, most", max(costs), "s", START_S)
        last = seen.value("SELECT max(id) FROM event")
        seen.until(lambda: seen.value("SELECT max(id) FROM event") > last)
        yield Figure("events while parts were killed", float(seen.value("SELECT count(*) FROM event") - before), "")
        yield Figure("of them twice", float(seen.value(TWICE)), "", 0.0)
        yield Figure(
            "effects given up", float(seen.value("SELECT count(*) FROM effect_order WHERE result = 'expired'")), "", 0.0
        )


def _stats() -> Iterator[tuple[int, list[str]]]:
    """Of each process there is: what stands in its `stat` after its name."""
    for folder in Path("/proc").glob("[0-9]*"):
        try:
            yield int(folder.name), (folder / "stat").read_text().rpartition(")")[2].split()
        except OSError:  # it ended meanwhile
            continue


class Watcher:
    """Looks at the program from outside, as its devices and users do."""

    def __init__(self, address: str, state: Path) -> None:
        self.state = state
        self.devices: list[int] = []
        self.client = httpx.Client(base_url=address, timeout=5, follow_redirects=True)
        page = self.client.get("/login").text
        csrf = page.split('name="csrf" value="')[1].split('"')[0]
        self.client.post("/login", data={"login": LOGIN, "password": PASSWORD, "csrf": csrf})
        page = self.client.get("/sites/1/survey", headers={"accept": "text/html"}).text
        self.client.headers["x-csrf-token"] = page.split('name="csrf" content="')[1].split('"')[0]

    def value(self, query: str, *values: Any) -> Any:
        """Of one row; asked again while the database is away."""
        deadline = time.monotonic() + PATIENCE_S
        while True:
            try:
                url = (self.state / "database").read_text().replace("postgresql+psycopg", "postgresql")
                with psycopg.connect(url, connect_timeout=2) as connection:
                    row = connection.execute(query.encode(), values).fetchone()
                    return row[0] if row else None
            except psycopg.OperationalError:
                if time.monotonic() > deadline:
                    raise
                time.sleep(0.02)

    def until(self, condition: Callable[[], bool]) -> None:
        deadline = time.monotonic() + PATIENCE_S
        while not condition():
            if time.monotonic() > deadline:
                raise RuntimeError(f"it did not happen: {condition}")
            time.sleep(0.02)

    def play(self, code: str) -> None:
        self.client.post(f"/sites/1/walk/standins/camera/{code}/play", json={"speed": 8})

    def at_rest(self) -> float:
        """Return what all processes of the program take of a core, in percent, while devices play and nobody does anything."""
        time.sleep(BETWEEN_S)
        first = self._used()
        time.sleep(AT_REST_S)
        last = self._used()
        return sum(used - first.get(pid, 0.0) for pid, used in last.items()) / AT_REST_S * 100

    def _used(self) -> dict[int, float]:
        """Return the seconds of the processor that each process has had: the supervisor, its parts, and what they started."""
        known = {
            int(pid) for name in ("supervisor.pid", "parts.pid") for pid in (self.state / name).read_text().split()
        }
        stats = dict(_stats())
        while more := {pid for pid, stat in stats.items() if int(stat[1]) in known and pid not in known}:
            known |= more
        return {pid: (int(stat[11]) + int(stat[12])) / TICKS for pid, stat in stats.items() if pid in known}

    def kill(self, part: str, back: Callable[[float], bool]) -> tuple[float, float]:
        """Seconds from the signal to its being back, and those of the processor that it took for that."""
        time.sleep(BETWEEN_S)
        pid = self.pid(part)
        at, began = time.time(), time.monotonic()
        os.kill(pid, signal.SIGKILL)
        self.until(lambda: self.quietly(back, at) and self.pid(part) != pid)
        took_s = time.monotonic() - began
        cost_s = self._used().get(self.pid(part), 0.0)
        if part == "stand-ins":  # which begin anew at their takes' beginning, at their own pace
            for code in ("T1", "T3", "C1", "V2"):
                self.play(code)
        return took_s, cost_s

    def pid(self, part: str) -> int:
        """By the order in which the supervisor starts them, of which it keeps a list."""
        order = ["database", "web", "engine", "worker", "stand-ins"]
        pids = [int(line) for line in (self.state / "parts.pid").read_text().split()]
        return pids[order.index(part)] if len(pids) == len(order) else 0

    @staticmethod
    def quietly(back: Callable[[float], bool], at: float) -> bool:
        try:
            return back(at)
        except (httpx.HTTPError, psycopg.Error):
            return False

    # ---- is it back? `at`: when it was killed, Unix seconds ----

    def web(self, at: float) -> bool:
        return self.client.get("/login").status_code == 200

    def most_live(self) -> bool:
        """Take those that are for all there are: somebody may have made others, or cut one off."""
        self.devices = self.value(REACHED) or []
        return len(self.devices) >= MOST_OF_THEM

    def engine(self, at: float) -> bool:
        fresh = "SELECT bool_and(reachable AND (said->>'at')::float > %s) FROM device_state WHERE device_id = ANY(%s)"
        return bool(self.value(fresh, at + 0.05, self.devices))

    def worker(self, at: float) -> bool:
        return bool(self.value("SELECT max(last_heartbeat) > to_timestamp(%s) FROM procrastinate_workers", at + 0.05))

    def standins(self, at: float) -> bool:
        told = self.client.get("/sites/1/walk/standins/state").json()
        cameras = told.get("cameras", [])
        return len(cameras) > 5 and all(c["connected"] and c["sent"] > 0 for c in cameras) and told["relay"]["running"]

    def database(self, at: float) -> bool:
        return self.client.get("/sites/1/survey", headers={"accept": "text/html"}).status_code == 200
