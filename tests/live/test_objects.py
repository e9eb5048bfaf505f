"""A counter's stream over HTTP, from the box to the coil's order."""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator

import pytest
import uvicorn
from sqlalchemy import select
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import Response, StreamingResponse
from starlette.routing import Route

from lantern.cluster import free_port
from lantern.core.effects.switch.effect import Switch
from lantern.core.events import Detector, Region
from lantern.core.linking.links import LinkRule
from lantern.core.linking.outputs import Output
from lantern.core.site import Device, Place, Site
from lantern.core.tracks import Seen
from lantern.db.base import transaction
from lantern.devices.metadata import Parts, StreamError, metadata
from lantern.links.actions import save_link
from lantern.live.engine import Engine
from lantern.live.tables import EventRow, OrderRow
from lantern.people.tables import add_user
from lantern.register.tables import device_by_code
from lantern.signals.tracks.onvif import read_frame
from lantern.signals.tracks.onvif_out import write_frame
from lantern.sites.actions import add_site
from lantern.standins.tracker import CONTENT_TYPE, as_part
from lantern.tune.actions import add_detector
from loops import in_a_loop

DOOR = Region(name="door", shape="line", points=((0, 50), (100, 50)))  # A above, B below: in is downwards
DOWN = [30.0, 40.0, 55.0, 70.0]


def seen(number: int, y: float, label: str = "person") -> list[Seen]:
    return [Seen(number, (40.0, y - 10, 20.0, 20.0), 0.9, label)]


# ---- over HTTP -------------------------------------------------------------------------------------------------------


class Counter:
    """A counter whose frames a test sends one by one."""

    def __init__(self) -> None:
        self.frames: asyncio.Queue[bytes | None] = asyncio.Queue()
        self.port = free_port()

    async def __aenter__(self) -> Counter:
        async def parts() -> AsyncIterator[bytes]:
            while (frame := await self.frames.get()) is not None:
                yield as_part(frame)

        def stream(request: Request) -> Response:
            return StreamingResponse(parts(), media_type=CONTENT_TYPE)

        app = Starlette(routes=[Route("/metadata/C1", stream)])
        self.server = uvicorn.Server(uvicorn.Config(app, port=self.port, log_config=None))
        self.task = asyncio.create_task(self.server.serve())
        while not self.server.started:
            await asyncio.sleep(0.01)
        return self

    async def __aexit__(self, *error: object) -> None:
        self.frames.put_nowait(None)
        self.server.should_exit = self.server.force_exit = True
        await self.task

    @property
    def url(self) -> str:
        return f"http://127.0.0.1:{self.port}/metadata/C1"

    def send(self, t: float, objects: list[Seen]) -> None:
        self.frames.put_nowait(write_frame(t, objects, width=100, height=100))


def test_frames_come_over_http_and_what_is_no_device_is_told() -> None:
    async def run() -> list[tuple[float, int]]:
        async with Counter() as counter:
            counter.send(5.0, seen(1, 30))
            counter.send(5.1, [])
            counter.frames.put_nowait(None)
            read = [read_frame(body, where="C1", width=100, height=100) async for body in metadata(counter.url)]
            return [(t, len(found)) for t, found in read]

    assert in_a_loop(run) == [(5.0, 1), (5.1, 0)]

    async def wrong(url: str) -> None:
        async for _ in metadata(url):
            pass

    async def not_found() -> None:
        async with Counter() as counter:
            await wrong(counter.url + "x")

    with pytest.raises(StreamError, match="answers 404"):
        in_a_loop(not_found)
    with pytest.raises(StreamError, match="does not answer"):
        in_a_loop(lambda: wrong(f"http://127.0.0.1:{free_port()}/"))


def test_a_part_is_taken_as_soon_as_it_is_whole() -> None:
    part, parts = as_part(b"<a/>"), Parts(CONTENT_TYPE)
    assert parts.take(part[:30]) == []
    assert parts.take(part[30:-4]) == []
    assert parts.take(part[-4:]) == [b"<a/>"]  # it says how long it is: nobody waits for the next
    assert parts.take(part + part[:-2]) == [b"<a/>", b"<a/>"]


def test_a_part_that_does_not_say_its_length_ends_with_the_next() -> None:
    plain = b"--frame\r\nContent-Type: application/xml\r\n\r\n<a/>\r\n"
    parts = Parts("multipart/x-mixed-replace; boundary=frame")
    assert parts.take(plain) == []
    assert parts.take(plain) == [b"<a/>"]


def test_what_has_no_parts_is_told() -> None:
    with pytest.raises(StreamError, match="text/html; expected parts"):
        Parts("text/html")
    with pytest.raises(StreamError, match="what is no part"):
        Parts(CONTENT_TYPE).take(b"<html>no</html>")
    large = Parts(CONTENT_TYPE)
    with pytest.raises(StreamError, match="more than 1000000 bytes"):
        large.take(b"--frame\r\nContent-Type: application/xml\r\n\r\n" + b"x" * 1_000_002)


SITE = Site(
    name="Pier",
    places=(
        Place(
            name="Gangway",
            devices=(
                Device(code="C1", name="Counter", kind="counter", ability={"width": 100, "height": 100}),
                Device(code="M1", name="Module", kind="io_module", outputs=(Output(name="lamp", coil=0),)),
            ),
        ),
    ),
)
FULL = LinkRule(name="full", detector="people", region="occupancy", effects=(Switch(output="lamp", length_s=1.0),))


def test_from_a_box_to_the_order_of_a_lamp_and_the_count_reset(database: str) -> None:
    """Two come in past a capacity of two: three events, and one order for the lamp, for the link listens to occupancy alone."""

    async def run() -> tuple[int, str]:
        async with Counter() as counter:
            with transaction() as session:
                user = add_user(session, login="ida", name="Ida Test", password="open sesame")
                site = add_site(session, SITE)
                device = device_by_code(session, site.id, "C1")
                assert device is not None
                device.address = {"url": counter.url}
                model = Detector(
                    name="people",
                    kind="count",
                    regions=(DOOR,),
                    dials={"anchor": "centre", "capacity": 2, "rearm_s": 0},
                )
                row = add_detector(session, device_id=device.id, detector=model, reason="first", user_id=user.id)
                save_link(session, row, FULL.model_dump(mode="json"), link_id=None)
                detector, counter_id = row.id, device.id
            engine = Engine()
            await engine.start()
            for number in (1, 2):
                for i, y in enumerate(DOWN):
                    counter.send(1_772_600_000 + number + i / 10, seen(number, y))
            while engine.state(counter_id)["feed"]["received"] < 8:
                await asyncio.sleep(0.02)
            refused = ""
            try:
                await engine.told(detector, "empty")
            except Exception as error:
                refused = str(error)
            counter.send(1_772_600_010, [])
            while engine.state(counter_id)["feed"]["received"] < 9:
                await asyncio.sleep(0.02)
            was = await engine.told(detector, "empty")
            await engine.stop()
            return was, refused

    was, refused = in_a_loop(run)
    assert was == 2
    assert "nobody in view" in refused
    with transaction() as session:
        events = list(session.scalars(select(EventRow).order_by(EventRow.id)))
        assert [(e.region, e.object, e.direction, e.outcome) for e in events] == [
            ("door", "1", "in", "no link listens"),
            ("door", "2", "in", "no link listens"),
            ("occupancy", None, None, "fired"),
        ]
        assert [e.cleared_by for e in events] == ["reading", "reading", "reset"]
        assert [order.thing for order in session.scalars(select(OrderRow))] == ["lamp"]
