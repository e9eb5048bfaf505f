"""From the read that decides to the barrier's coil: a reader posts over HTTP, half of the plates are listed."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Iterator

import httpx

from bench.figures import Figure, percentile, sized
from bench.store import store
from lantern.cluster import free_port

PASSAGES, READS, EVERY_S, PULSE_S = sized(120, 6), 4, 0.5, 0.2
DECIDES = 2  # which read of a passage, from 0


def run() -> Iterator[Figure]:
    with store():
        delays, missed, opened = asyncio.run(_drive())
    yield Figure(f"deciding read to coil, median of {len(delays)}", percentile(delays, 0.5), "ms")
    yield Figure("  p99", percentile(delays, 0.99), "ms", 100.0)
    yield Figure("  listed plates without a coil", float(missed), "", 0.0)
    yield Figure("  strangers that opened", float(opened), "", 0.0)


async def _drive() -> tuple[list[float], int, int]:
    from lantern.live.app import make_ingest
    from lantern.live.engine import Engine
    from lantern.serving import server as server_of
    from lantern.standins.relay import RelayStandIn

    relay = RelayStandIn(free_port())
    await relay.start()
    token = site_of_a_gate(relay_port=relay.port)
    engine, port = Engine(), free_port()
    await engine.start()
    server = server_of(make_ingest(engine), "127.0.0.1", port)
    serving = asyncio.create_task(server.serve())
    while not server.started:
        await asyncio.sleep(0.05)
    decided: list[tuple[bool, float]] = []
    async with httpx.AsyncClient(headers={"Authorization": f"Bearer {token}"}, trust_env=False) as client:
        seq = 0
        for number in range(PASSAGES):
            listed = number % 2 == 0
            text = f"AB{number % 100:02d}CDE" if listed else f"XY{number % 100:02d}JKL"
            for k in range(READS):
                if k == DECIDES:
                    decided.append((listed, time.time()))
                read = {"vehicle": f"v{number}", "text": text, "confidence": 0.98}
                body = {"seq": seq, "t": time.time(), "reads": [read]}
                answer = await client.post(f"http://127.0.0.1:{port}/ingest/P1", json=body)
                answer.raise_for_status()
                seq += 1
            await asyncio.sleep(EVERY_S)
    await asyncio.sleep(1.0)
    server.should_exit = True
    await serving
    await engine.stop()
    await relay.stop()
    delays, missed, opened = [], 0, 0
    for listed, at in decided:
        on = next((t for t, _, state in relay.switched if state and at <= t < at + EVERY_S), None)
        if on is not None and listed:
            delays.append((on - at) * 1000)
        missed += listed and on is None
        opened += not listed and on is not None
    return delays, missed, opened


def site_of_a_gate(*, relay_port: int) -> str:
    """A reader, a barrier and a list of a hundred plates; returns the reader's token."""
    from lantern.core.effects.switch.effect import Switch
    from lantern.core.kinds import detector_of
    from lantern.core.linking.links import LinkRule
    from lantern.core.linking.outputs import Output
    from lantern.core.site import Device, Place, Site
    from lantern.db.base import transaction
    from lantern.links.actions import save_link
    from lantern.lists.actions import save_list
    from lantern.register.tables import device_by_code
    from lantern.sites.actions import add_site
    from lantern.tune.actions import add_detector

    reader = Device(code="P1", name="Reader", kind="reader", ability={"width": 1920, "height": 1080})
    module = Device(
        code="M1",
        name="Module",
        kind="io_module",
        outputs=(Output(name="barrier", coil=0),),
        address={"host": "127.0.0.1", "port": relay_port},
    )
    entries = [{"text": f"AB{n:02d}CDE"} for n in range(100)]
    dials = {"min_reads": DECIDES + 1, "min_vote": 0.5, "tempering": 1.0, "rearm_s": 0.0}
    with transaction() as session:
        site = add_site(session, Site(name="Bench", places=(Place(name="p", devices=(reader, module)),)))
        save_list(session, site.id, {"name": "all", "entries": entries}, list_id=None, reason="bench", user_id=None)
        device = device_by_code(session, site.id, "P1")
        assert device
        document = {"name": "in", "kind": "plate", "dials": dials, "lists": ["all"]}
        row = add_detector(session, device_id=device.id, detector=detector_of(document), reason="bench", user_id=None)
        rule = LinkRule(name="opens", detector="in", effects=(Switch(output="barrier", length_s=PULSE_S),))
        save_link(session, row, rule.model_dump(mode="json"), link_id=None)
        return device.token
