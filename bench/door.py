"""From a look to the coil while 5,000 looks a minute come, each with its picture, and how many of the pictures are kept."""

from __future__ import annotations

import asyncio
import base64
import time
from collections.abc import Iterator

import httpx
import numpy as np

from bench.figures import Figure, percentile, sized
from bench.store import store
from lantern.cluster import free_port

A_MINUTE, LASTS_S = 5000, sized(40.0, 2.0)
MEMBERS, MATCH_EVERY, PULSE_S = 29, 60, 0.2
PICTURES = 40  # different ones
AT_ONCE = 1  # a device waits for its answer, and sends in order


def at_the_door() -> Iterator[Figure]:
    with store():
        delays, sent, lost, kept = asyncio.run(_drive())
    yield Figure(f"look to coil, median of {len(delays)}, {sent} looks in {LASTS_S:g} s", percentile(delays, 0.5), "ms")
    yield Figure("  p99", percentile(delays, 0.99), "ms", 100.0)
    yield Figure("  matches without a coil", float(lost), "", 0.0)
    yield Figure("  looks whose picture was not kept", float(sent - kept), "", 0.0)


async def _drive() -> tuple[list[float], int, int, int]:
    from sqlalchemy import func, select

    from lantern.db.base import transaction
    from lantern.live.app import make_ingest
    from lantern.live.engine import Engine
    from lantern.persons.tables import CaptureRow
    from lantern.serving import server as server_of
    from lantern.standins.relay import RelayStandIn

    relay = RelayStandIn(free_port())
    await relay.start()
    token = site_of_a_door(relay_port=relay.port)
    engine, port = Engine(), free_port()
    await engine.start()
    server = server_of(make_ingest(engine), "127.0.0.1", port)
    serving = asyncio.create_task(server.serve())
    while not server.started:
        await asyncio.sleep(0.05)
    matches, sent = await _posted(f"http://127.0.0.1:{port}/ingest/F1", token)
    await asyncio.sleep(1.0)
    server.should_exit = True
    await serving
    await engine.stop()
    await relay.stop()
    delays, lost = [], 0
    for at in matches:
        on = next((t for t, _, state in relay.switched if state and at <= t < at + 1), None)
        lost += on is None
        delays += [] if on is None else [(on - at) * 1000]
    with transaction() as session:
        kept = session.scalar(select(func.count()).select_from(CaptureRow)) or 0
    return delays, sent, lost, kept


async def _posted(url: str, token: str) -> tuple[list[float], int]:
    """Post looks at that rate; returns when each that matches was posted, and how many there were."""
    from lantern.standins.likeness import drawing

    rng = np.random.default_rng(3)
    faces = [made / np.linalg.norm(made) for made in rng.normal(size=(PICTURES, 32))]
    pictures = [base64.b64encode(drawing(face)).decode() for face in faces]
    matches: list[float] = []
    free, tasks = asyncio.Semaphore(AT_ONCE), set()
    began, seq = time.perf_counter(), 0
    async with httpx.AsyncClient(headers={"Authorization": f"Bearer {token}"}, trust_env=False) as client:

        async def post(number: int) -> None:
            scores = [[f"m{n}", round(float(s), 1)] for n, s in enumerate(rng.normal(40, 10, MEMBERS).clip(0, 79))]
            is_match = number % MATCH_EVERY == MATCH_EVERY - 1
            if is_match:
                scores[number // MATCH_EVERY % MEMBERS][1] = 95.0
            look = {"probe": f"p{number}", "candidates": scores, "picture": pictures[number % PICTURES]}
            t = time.time()
            if is_match:
                matches.append(t)
            async with free:
                answer = await client.post(url, json={"seq": number, "t": t, "looks": [look]})
                answer.raise_for_status()

        while time.perf_counter() - began < LASTS_S:
            if time.perf_counter() - began >= seq * 60 / A_MINUTE:
                task = asyncio.create_task(post(seq))
                tasks.add(task)
                task.add_done_callback(tasks.discard)
                seq += 1
            await asyncio.sleep(0.001)
        await asyncio.gather(*tasks)
    return matches, seq


def site_of_a_door(*, relay_port: int) -> str:
    """A face camera, a lamp and a list; returns the camera's token."""
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

    camera = Device(code="F1", name="Face camera", kind="face", ability={"width": 800, "height": 600})
    module = Device(
        code="M1",
        name="Module",
        kind="io_module",
        outputs=(Output(name="lamp", coil=0),),
        address={"host": "127.0.0.1", "port": relay_port},
    )
    dials = {"threshold": 80.0, "holdoff_s": 0.1, "min_looks": 1}
    with transaction() as session:
        site = add_site(session, Site(name="Bench", places=(Place(name="p", devices=(camera, module)),)))
        members = [f"m{n}" for n in range(MEMBERS)]
        save_list(session, site.id, {"name": "all", "members": members}, list_id=None, reason="bench", user_id=None)
        device = device_by_code(session, site.id, "F1")
        assert device
        document = {"name": "in", "kind": "face", "dials": dials, "lists": ["all"]}
        row = add_detector(session, device_id=device.id, detector=detector_of(document), reason="bench", user_id=None)
        rule = LinkRule(name="shows", detector="in", effects=(Switch(output="lamp", length_s=PULSE_S),))
        save_link(session, row, rule.model_dump(mode="json"), link_id=None)
        return device.token
