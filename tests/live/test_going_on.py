"""Feeds that go on: bad frames are dropped and said, a store that is away is waited for, what fails is tried again, nothing twice."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from sqlalchemy import event as listened
from sqlalchemy import select
from starlette.websockets import WebSocketDisconnect

from lantern.core.events import Detector
from lantern.db.base import StoreAwayError, engine, transaction
from lantern.links.actions import save_link
from lantern.live import engine as live_engine
from lantern.live.app import make_app, make_ingest
from lantern.live.engine import Engine
from lantern.live.listening import listen
from lantern.live.plans import load_plans
from lantern.live.recorder import record
from lantern.live.tables import EventRow
from lantern.register.tables import device_by_code
from lantern.signals.heat.wire import FrameHeader, pack_frame
from lantern.signals.tracks.feed import ObjectFeed, Scene
from lantern.tune.actions import add_detector
from lantern.tune.tables import DetectorRow
from live.test_delivery import happening, links, play, until, with_engine
from live.test_objects import Counter, seen
from loops import in_a_loop
from seeded import LINK, Small
from takes_on_disk import DETECTOR, pictures, raw


def events() -> list[str]:
    with transaction() as session:
        return [row.region for row in session.scalars(select(EventRow).order_by(EventRow.id))]


# ---- events ----------------------------------------------------------------------------------------------------------


def test_stored_again_it_is_stored_once(small: Small) -> None:
    once = happening(small)
    assert record(once, links(small)) == record(once, links(small)) == ["fired"]
    assert len(events()) == 1
    record(happening(small), links(small))
    assert len(events()) == 2


def test_an_event_waits_for_the_store_and_frames_wait_for_it(small: Small, monkeypatch: pytest.MonkeyPatch) -> None:
    """The store is away three times, once after it had stored: nobody knows, and it is tried again."""
    tries: list[str] = []

    def unsure(one: Any, armed: Any, hours: Any) -> Any:
        tries.append(one.turn.region)
        if len(tries) == 2:
            record(one, armed, hours)
        if len(tries) < 4:
            raise StoreAwayError("the database restarts")
        return record(one, armed, hours)

    monkeypatch.setattr(live_engine, "record", unsure)

    async def body(engine: Engine, relay: Any) -> None:
        playing = asyncio.create_task(play(engine, stop=14))
        await until(lambda: "waits to be stored" in engine.feeds[small.camera].error)
        before = engine.feeds[small.camera].received
        await playing
        assert before < 14 == engine.feeds[small.camera].received
        assert engine.feeds[small.camera].error == ""
        assert engine.state(small.camera)["news"][-1]["outcome"] == "fired"

    with_engine(small, body)
    assert events() == ["all"]


def test_a_detector_that_fails_stops_neither_the_others_nor_the_feed(
    small: Small, monkeypatch: pytest.MonkeyPatch
) -> None:
    with transaction() as session:
        other = Detector.model_validate(DETECTOR | {"name": "other"})
        add_detector(session, device_id=small.camera, detector=other, reason="second", user_id=None)

    async def body(engine: Engine, relay: Any) -> None:
        broken, _ = engine.runs[small.camera]

        def fails(*frame: Any) -> Iterator[Any]:
            raise ZeroDivisionError
            yield

        monkeypatch.setattr(broken.watch, "step", fails)
        await play(engine, stop=14)
        assert "ZeroDivisionError" in engine.state(small.camera)["detectors"][0]["error"]
        assert engine.state(small.camera)["detectors"][1]["error"] == ""
        assert engine.feeds[small.camera].received == 14

    with_engine(small, body)
    assert events() == ["all"]


# ---- devices that are asked ------------------------------------------------------------------------------------------


def test_a_frame_that_cannot_be_read_is_dropped_counted_and_said_and_the_next_comes() -> None:
    got: list[float] = []

    async def take(frame: Scene) -> None:
        got.append(frame.t)
        if len(got) == 2:
            raise RuntimeError("a fault of the program")

    async def run() -> ObjectFeed:
        async with Counter() as counter:
            feed = ObjectFeed("C1", 1, frame_px=(100, 100), where=counter.url)
            listening = asyncio.create_task(listen(feed, take))
            counter.send(5.0, seen(1, 30))
            counter.frames.put_nowait(_frame('<tt:Transformation><tt:Scale x="a" y="1"/></tt:Transformation>', "-0.2"))
            counter.frames.put_nowait(_frame("", "a"))
            counter.frames.put_nowait(b"\x00\xff<")
            await until(lambda: feed.unreadable >= 3)
            counter.send(6.0, [])
            await until(lambda: len(got) == 2)
            await until(lambda: "RuntimeError" in feed.error)
            while len(got) < 3:  # the first may still go to the connection that is being given up
                counter.send(7.0, seen(1, 40))
                await asyncio.sleep(0.2)
            assert feed.error == ""
            counter.frames.put_nowait(None)
            await until(lambda: feed.error == "the device ended its stream")
            listening.cancel()
        return feed

    feed = in_a_loop(run)
    assert got[:3] == [5.0, 6.0, 7.0]
    assert feed.as_dict()["unreadable"] == feed.unreadable >= 3
    assert feed.unreadable_why


def _frame(first: str, left: str) -> bytes:
    return (
        '<tt:MetadataStream xmlns:tt="http://www.onvif.org/ver10/schema"><tt:VideoAnalytics>'
        f'<tt:Frame UtcTime="2026-03-07T05:20:00Z">{first}<tt:Object ObjectId="1"><tt:Appearance><tt:Shape>'
        f'<tt:BoundingBox left="{left}" top="0.5" right="-0.1" bottom="0.1"/></tt:Shape></tt:Appearance></tt:Object>'
        "</tt:Frame></tt:VideoAnalytics></tt:MetadataStream>"
    ).encode()


# ---- devices that send -----------------------------------------------------------------------------------------------


@contextmanager
def ingest(small: Small) -> Iterator[tuple[TestClient, Engine]]:
    started = Engine()
    in_a_loop(started.reload)
    with TestClient(make_ingest(started)) as client:
        yield client, started


def message(seq: int) -> bytes:
    pixels = np.ascontiguousarray(raw(pictures())[0])
    return pack_frame(FrameHeader(seq=seq, t=1_700_000_000.0 + seq, width=8, height=6), pixels)


@pytest.mark.parametrize("by", ["header", "query"])
def test_a_device_shows_its_token_and_a_bad_frame_does_not_end_the_connection(small: Small, by: str) -> None:
    headers = {"Authorization": f"Bearer {small.token}"} if by == "header" else {}
    query = f"?token={small.token}" if by == "query" else ""
    with ingest(small) as (client, engine):
        with client.websocket_connect(f"/ingest/T1{query}", headers=headers) as socket:
            socket.send_bytes(message(1))
            socket.send_bytes(b"\x00\x00\x00\x02{}")
            socket.send_text("no bytes at all")
            socket.send_bytes(message(2))
        feed = engine.feeds[small.camera]
        _settle(lambda: feed.received == 2)
        assert feed.unreadable == 2
        assert "expected" in feed.unreadable_why


@pytest.mark.parametrize(
    ("path", "header"),
    [("T1?token=wrong", ""), ("T2?token={}", ""), ("T1", ""), ("T1", "Bearer wrong"), ("T1", "Basic {}")],
)
def test_nobody_else_sends(small: Small, path: str, header: str) -> None:
    with ingest(small) as (client, _), pytest.raises(WebSocketDisconnect):
        headers = {"Authorization": header.format(small.token)}
        with client.websocket_connect("/ingest/" + path.format(small.token), headers=headers) as socket:
            socket.receive()


def test_the_ingest_serves_nothing_else_and_the_rest_asks_for_the_secret(small: Small) -> None:
    with ingest(small) as (client, engine):
        inside = TestClient(make_app(engine))
        for path in (
            "/health",
            f"/state/{small.camera}",
            f"/stream/{small.camera}",
            f"/frame/{small.camera}",
            "/waits",
        ):
            assert client.get(path).status_code == 404
            assert inside.get(path).status_code == 401
            assert inside.get(path, headers={"Authorization": "Bearer wrong"}).status_code == 401
        assert client.post("/told/1/empty").status_code == 404
        assert inside.post("/told/1/empty").status_code == 401
        known = {"Authorization": "Bearer test"}
        assert inside.get(f"/state/{small.camera}", headers=known).json()["feed"]["code"] == "T1"


def _settle(condition: Any) -> None:
    deadline = time.monotonic() + 30
    while not condition():
        assert time.monotonic() < deadline
        time.sleep(0.01)


# ---- what there is to watch ------------------------------------------------------------------------------------------


def test_a_change_is_told_and_taken_up(small: Small) -> None:
    """Of a link, which changes no detector; nobody asks the engine to look."""

    async def body(engine: Engine, relay: Any) -> None:
        def save() -> None:
            with transaction() as session:
                row = session.get_one(DetectorRow, small.detector)
                document = LINK.model_dump(mode="json") | {"name": "second", "delay_s": 3}
                save_link(session, row, document, link_id=None)

        assert len(engine.runs[small.camera][0].links) == 1
        await asyncio.to_thread(save)
        await until(lambda: len(engine.runs[small.camera][0].links) == 2)

    with_engine(small, body)


def test_what_there_is_to_watch_takes_a_fixed_number_of_queries(small: Small) -> None:
    def queries() -> int:
        asked: list[str] = []

        def note(connection: Any, cursor: Any, statement: str, *rest: Any) -> None:
            asked.append(statement)

        listened.listen(engine(), "before_cursor_execute", note)
        try:
            load_plans()
        finally:
            listened.remove(engine(), "before_cursor_execute", note)
        return len(asked)

    few = queries()
    with transaction() as session:
        for number in range(20):
            camera = device_by_code(session, small.site, "T1")
            assert camera is not None
            other = Detector.model_validate(DETECTOR | {"name": f"other {number}"})
            row = add_detector(session, device_id=camera.id, detector=other, reason="more", user_id=None)
            save_link(session, row, LINK.model_dump(mode="json") | {"name": f"link {number}"}, link_id=None)
    assert queries() == few <= 10
    assert len(load_plans().detectors) == 21
