"""Seven devices recorded while live decides: four thermal cameras of 320 x 240 at 9 Hz, two counters and a yard camera at 10 Hz.

`BENCH_SECONDS` sets how long (600).
"""

from __future__ import annotations

import asyncio
import os
import time
from collections.abc import Iterator
from dataclasses import dataclass, field
from pathlib import Path

import numpy as np
from sqlalchemy import select

from bench.figures import Figure, percentile, sized
from bench.live import FPS, HEIGHT, HOT_EVERY, WIDTH, site_of_cameras
from bench.store import store
from lantern.cluster import free_port
from lantern.core.site import Device

SECONDS = float(os.environ.get("BENCH_SECONDS", sized("600", "2")))
CAMERAS, OBJECTS_HZ = 4, 10.0
OTHERS = {"N1": 4, "N2": 4, "V1": 12}  # objects in view
SETTLED_S = 60.0  # after which memory must not grow
MIB = 2**20


@dataclass
class Run:
    delays_ms: list[float] = field(default_factory=list)
    missed: int = 0
    sent: dict[str, int] = field(default_factory=dict)
    stored: dict[str, int] = field(default_factory=dict)
    bytes_h: dict[str, float] = field(default_factory=dict)
    lost: int = 0
    grown_mib: float = 0.0


def run() -> Iterator[Figure]:
    with store():
        found = asyncio.run(_drive())
    yield Figure(f"recorded for {SECONDS:g} s: frame to coil, p99", percentile(found.delays_ms, 0.99), "ms", 100.0)
    yield Figure("raises without a coil", float(found.missed), "", 0.0)
    lacking = sum(found.sent[code] - found.stored.get(code, 0) for code in found.sent)
    yield Figure("samples sent and not stored", float(lacking), "", 0.0)
    yield Figure("samples told as lost", float(found.lost), "", 0.0)
    for code, size in sorted(found.bytes_h.items()):
        yield Figure(f"{code}: stored an hour", size / 1e6, "MB")
    yield Figure("resident memory, from the first minute to the end", found.grown_mib, "MiB", 50.0)


async def _drive() -> Run:
    from lantern.live import tape
    from lantern.live.app import make_ingest
    from lantern.live.engine import Engine
    from lantern.serving import server as server_of
    from lantern.standins.relay import RelayStandIn

    tape.defer_recording = lambda number: None  # type: ignore[assignment]  # no worker runs beside it
    relay = RelayStandIn(free_port())
    await relay.start()
    picture = {"width": 960, "height": 540}
    others = [Device(code=code, name=code, kind="camera", ability=picture) for code in OTHERS]
    tokens = site_of_cameras(relay_port=relay.port, cameras=CAMERAS, others=others)
    engine, port, found = Engine(), free_port(), Run()
    await engine.start()
    server = server_of(make_ingest(engine), "127.0.0.1", port)
    serving = asyncio.create_task(server.serve())
    while not server.started:
        await asyncio.sleep(0.05)
    for feed in engine.feeds.values():
        engine.tapes.of(feed.device_id).record_for(SECONDS + 60)
    by_code = {feed.code: feed.device_id for feed in engine.feeds.values()}
    hot_at: list[tuple[int, float]] = []
    work = [_camera(n, port, tokens[n], hot_at, found) for n in range(CAMERAS)]
    work += [_objects(engine, by_code[code], code, many, found) for code, many in OTHERS.items()]
    memory = asyncio.create_task(_resident(found))
    await asyncio.gather(*work)
    memory.cancel()
    await asyncio.gather(memory, return_exceptions=True)
    await asyncio.sleep(1.5)
    server.should_exit = True
    await serving
    await engine.stop()
    await relay.stop()
    for number, at in hot_at:
        on = next((t for t, coil, state in relay.switched if coil == number and state and at <= t < at + 1.5), None)
        if on is None:
            found.missed += 1
        else:
            found.delays_ms.append((on - at) * 1000)
    _count(found)
    return found


async def _camera(number: int, port: int, token: str, hot_at: list[tuple[int, float]], found: Run) -> None:
    """Noise as a bolometer has it: 0.05 K, so that frames pack as real ones do."""
    from websockets.asyncio.client import connect

    from lantern.signals.heat.wire import FrameHeader, pack_frame

    rng = np.random.default_rng(number)
    frames = [(29_315 + rng.normal(0, 5, (HEIGHT, WIDTH))).astype(np.uint16) for _ in range(32)]
    address = f"ws://127.0.0.1:{port}/ingest/C{number}?token={token}"
    async with connect(address, max_size=None, compression=None) as socket:
        start, clock = time.monotonic() + number * 0.5, time.time()
        for i in range(int(SECONDS * FPS)):
            await asyncio.sleep(max(0.0, start + i / FPS - time.monotonic()))
            pixels = frames[i % len(frames)]
            if i % HOT_EVERY == 9:
                pixels = pixels.copy()
                pixels[100:120, 100:120] = 34_315
                hot_at.append((number, time.time()))
            header = FrameHeader(seq=i, t=clock + i / FPS, width=WIDTH, height=HEIGHT)
            await socket.send(pack_frame(header, pixels))
            found.sent[f"C{number}"] = i + 1


async def _objects(engine: object, device_id: int, code: str, many: int, found: Run) -> None:
    """People who walk about: as an engine gets them, frame by frame."""
    from lantern.core.tracks import Seen
    from lantern.live.engine import Engine
    from lantern.signals.tracks.feed import Scene

    assert isinstance(engine, Engine)
    rng = np.random.default_rng(device_id)
    place, step = rng.uniform(100, 400, (many, 2)), rng.normal(0, 2, (many, 2))
    start, clock = time.monotonic(), time.time()
    for i in range(int(SECONDS * OBJECTS_HZ)):
        await asyncio.sleep(max(0.0, start + i / OBJECTS_HZ - time.monotonic()))
        place = (place + step) % 480
        seen = [
            Seen(n + 100 * (i // 200), (*map(float, np.round(place[n], 1)), 20.0, 50.0), 0.9, "person")
            for n in range(many)
        ]
        await engine.take(device_id, Scene(clock + i / OBJECTS_HZ, seen))
        found.sent[code] = i + 1


async def _resident(found: Run) -> None:
    """The greatest of the last ten seconds against that around the first minute."""
    first, seen = 0.0, 0.0
    began = time.monotonic()
    while True:
        pages = int(Path("/proc/self/statm").read_text().split()[1])
        seen = pages * os.sysconf("SC_PAGESIZE") / MIB
        if time.monotonic() - began < min(SETTLED_S, SECONDS / 3):
            first = max(first, seen)
        found.grown_mib = seen - first
        await asyncio.sleep(1.0)


def _count(found: Run) -> None:
    from lantern.db.base import transaction
    from lantern.recordings.tables import RecordingRow

    with transaction() as session:
        for row in session.scalars(select(RecordingRow)):
            code = row.device.code
            found.stored[code] = found.stored.get(code, 0) + row.samples
            found.bytes_h[code] = found.bytes_h.get(code, 0.0) + row.packed_bytes / SECONDS * 3600
            found.lost += row.lost
