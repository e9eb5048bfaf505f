"""A link keeps a clip: what its device gave before the event and after it becomes a recording that the order names."""

from __future__ import annotations

import asyncio
import time
from datetime import timedelta

import numpy as np
import pytest
from sqlalchemy import select

from lantern.core.effects.clip.effect import Clip
from lantern.core.linking.links import LinkRule
from lantern.db.base import now, transaction
from lantern.links.actions import save_link
from lantern.live import tape as tapes
from lantern.live.engine import Engine
from lantern.live.tables import EventRow, OrderRow
from lantern.live.tape import CLIP_LATE_S
from lantern.recordings import actions
from lantern.recordings.tables import RecordingRow
from lantern.signals.heat.feed import Picture
from lantern.signals.heat.wire import FrameHeader
from lantern.tune.tables import DetectorRow
from loops import in_a_loop
from seeded import Small


@pytest.fixture(autouse=True)
def no_worker(monkeypatch: pytest.MonkeyPatch) -> None:
    """What an engine queues is done here, at once."""
    monkeypatch.setattr(tapes, "defer_recording", actions.make_take)


def tied(small: Small, **clip: object) -> None:
    """The hot detector keeps a clip besides."""
    effect = Clip.model_validate({"do": "clip", **clip})
    link = LinkRule(name="hot to clip", detector="hot", effects=(effect,))
    with transaction() as session:
        save_link(session, session.get_one(DetectorRow, small.detector), link.model_dump(mode="json"), link_id=None)


def picture(seq: int, hot: bool) -> Picture:
    header = FrameHeader(
        seq=seq, t=time.time(), width=8, height=6, scale=0.01, offset_c=-273.15, emissivity_set=0.95, reflected_c=20.0
    )
    pixels = np.full((6, 8), 29315, dtype=np.uint16)
    pixels[1:5, 1:7] += 9000 if hot else 0
    return Picture(header, pixels)


def orders() -> list[OrderRow]:
    with transaction() as session:
        return list(session.scalars(select(OrderRow).where(OrderRow.do == "clip").order_by(OrderRow.id)))


def recordings() -> list[RecordingRow]:
    with transaction() as session:
        return list(session.scalars(select(RecordingRow).order_by(RecordingRow.id)))


async def until_over(count: int = 1) -> None:
    end = time.monotonic() + 20
    while len([row for row in orders() if row.stage == "over"]) < count:
        assert time.monotonic() < end, [(row.stage, row.because) for row in orders()]
        await asyncio.sleep(0.05)


def test_it_begins_before_the_event_and_the_order_names_the_recording(small: Small) -> None:
    tied(small, devices=["T1"], before_s=1.5, after_s=1.0)

    async def run() -> None:
        engine = Engine()
        await engine.start()
        assert engine.tapes.as_dict(small.camera)["ring_s"] == 1.5 + CLIP_LATE_S  # type: ignore[index]
        for seq in range(60):  # some six seconds; hot from the third to the fourth
            await engine.take(small.camera, picture(seq, 25 <= seq < 40))
            await asyncio.sleep(0.1)
        await until_over()
        await engine.stop()

    in_a_loop(run)
    order, kept = orders()[0], recordings()[0]  # a machine that stalls leaves a gap, and it raises again
    with transaction() as session:
        raised_at = session.get_one(EventRow, order.event_id).raised_at
    assert (order.result, order.because) == ("done", f"It is in recording {kept.id}.")
    assert order.from_at == raised_at - timedelta(seconds=1.5)
    assert order.to_at == raised_at + timedelta(seconds=1.0)
    assert kept.why == "link hot to clip"
    assert kept.take_id is not None
    first = (kept.start - raised_at).total_seconds()
    assert -3.5 < first <= -1.0  # a sample each 0.1 s or so, and how long storing took
    assert kept.length_s + first == pytest.approx(1.0, abs=0.9)


def test_a_device_that_gives_nothing_is_said(small: Small) -> None:
    tied(small, devices=["M1"], before_s=1.0, after_s=0.1)

    async def run() -> None:
        engine = Engine()
        await engine.start()
        for seq in range(30):
            await engine.take(small.camera, picture(seq, seq >= 5))
            await asyncio.sleep(0.1)
        await until_over()
        await engine.stop()

    in_a_loop(run)
    over = [order for order in orders() if order.stage == "over"]  # a stall is a gap, and it raises again
    assert over
    for order in over:
        assert order.result == "dropped"
        assert "gives nothing to record" in order.because
    assert recordings() == []


def test_one_that_comes_too_late_expires_and_a_camera_that_went_silent_is_said(small: Small) -> None:
    tied(small, devices=["T1"], before_s=1.0, after_s=0.2)
    with transaction() as session:
        for late_s in (600.0, 0.0):
            event = EventRow(
                site_id=small.site, compound="c", revision=0, region="", raised_at=now(), repeat=False, reading=0, why={},
                outcome="fired",
            )  # fmt: skip
            session.add(event)
            session.flush()
            body = {"do": "clip", "devices": ["T1"], "before_s": 1.0, "after_s": 0.2, "still": False}
            session.add(
                OrderRow(
                    event_id=event.id, link="late", device_id=small.camera, do="clip", body=body, names={}, thing="T1",
                    at=now() - timedelta(seconds=late_s), length_s=0.0, priority=5, expire_s=60.0, stage="ordered",
                    because="",
                )
            )  # fmt: skip

    async def run() -> None:
        engine = Engine()
        await engine.start()
        await until_over(2)
        await engine.stop()

    in_a_loop(run)
    late, silent = orders()
    assert (late.result, late.because) == ("expired", "It came more than 60 s late.")
    assert (silent.result, silent.because) == ("dropped", "Nothing came from it.")
