"""What is sent arrives: mail at a server that another package brings, posts over HTTP, TCP and MQTT; in order, again, once; or it expires."""

from __future__ import annotations

import asyncio
import itertools
import json
import socket
import threading
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from email import message_from_bytes
from email.message import Message
from http.server import BaseHTTPRequestHandler, ThreadingHTTPServer
from typing import Any

import pytest
from aiosmtpd.controller import Controller
from fastapi.testclient import TestClient
from sqlalchemy import select

from lantern.application.app import make_app
from lantern.cluster import free_port
from lantern.core.linking.arming import Firing
from lantern.core.linking.links import LinkRule
from lantern.db.base import transaction
from lantern.live.couriers import Couriers
from lantern.live.outbox import place
from lantern.live.tables import EventRow, OrderRow
from lantern.settings import settings
from loops import in_a_loop
from seeded import Small
from web.test_access import log_in

BEGIN = datetime(2026, 3, 4, 5, 0, tzinfo=UTC)
NAMES = {
    "detector": "hot",
    "region": "r",
    "place": "Shed",
    "time": "2026-03-04 06:00:00+01:00",
    "object": "",
    "peak": "61",
}


def order(small: Small, *effects: dict[str, Any], at: datetime = BEGIN) -> None:
    """What an event of the detector orders, as the recorder stores it."""
    link = LinkRule.model_validate({"name": "tell", "detector": "hot", "effects": list(effects)})
    with transaction() as session:
        event = EventRow(
            detector_id=small.detector, revision=1, region="r", raised_at=at, repeat=False, reading=61.0, why={}, outcome="fired"
        )  # fmt: skip
        session.add(event)
        session.flush()
        for effect in link.effects:
            for thing in effect.things:
                place(session, event.id, None, Firing("tell", effect, 0.0, thing, 0.0), at, NAMES)


def orders() -> list[tuple[str, str, str | None, int]]:
    with transaction() as session:
        rows = session.scalars(select(OrderRow).order_by(OrderRow.id))
        return [(row.do, row.stage, row.result, row.attempts) for row in rows]


def look(seconds: float, *, rounds: int = 1) -> None:
    """The couriers at some time after the begin, until what they send is sent."""

    async def run() -> None:
        couriers = Couriers(lambda: None, lambda: BEGIN + timedelta(seconds=seconds))
        for _ in range(rounds):
            await couriers.look()
            while couriers._sending:
                await asyncio.sleep(0.02)

    in_a_loop(run)


class Inbox:
    def __init__(self) -> None:
        self.mails: list[Message] = []

    async def handle_DATA(self, server: object, session: object, envelope: Any) -> str:  # noqa: N802 - the package's own name
        self.mails.append(message_from_bytes(envelope.content))
        return "250 taken"


@pytest.fixture
def mails(monkeypatch: pytest.MonkeyPatch) -> Iterator[list[Message]]:
    inbox = Inbox()
    server = Controller(inbox, hostname="127.0.0.1", port=free_port())
    server.start()
    monkeypatch.setattr(settings(), "mail_server", f"smtp://127.0.0.1:{server.port}")
    monkeypatch.setattr(settings(), "mail_from", "lantern@example.org")
    yield inbox.mails
    server.stop()


class Posts:
    """A program that takes posts over HTTP, or answers 503."""

    def __init__(self) -> None:
        self.got: list[tuple[str, str, str]] = []
        self.well = True
        posts = self

        class Handler(BaseHTTPRequestHandler):
            def do_POST(self) -> None:
                text = self.rfile.read(int(self.headers["Content-Length"])).decode()
                if posts.well:
                    posts.got.append((text, self.headers["Content-Type"], self.headers["Idempotency-Key"]))
                self.send_response(200 if posts.well else 503)
                self.end_headers()
                self.wfile.write(b"noted")

            def log_message(self, *_: Any) -> None:
                """Quiet."""

        self.server = ThreadingHTTPServer(("127.0.0.1", 0), Handler)
        threading.Thread(target=self.server.serve_forever, daemon=True).start()
        self.url = f"http://127.0.0.1:{self.server.server_port}/in"


@pytest.fixture
def posts() -> Iterator[Posts]:
    made = Posts()
    yield made
    made.server.shutdown()
    made.server.server_close()


def test_many_to_one_address_come_as_one_mail_that_has_all_of_them(
    small: Small, mails: list[Message], monkeypatch: pytest.MonkeyPatch
) -> None:
    """A server that is away for a while: what waited comes as one, the few of somebody else as they are."""
    server = settings().mail_server
    monkeypatch.setattr(settings(), "mail_server", f"smtp://127.0.0.1:{free_port()}")
    for n in range(30):
        text = f"number {n} in {{place}}"
        order(small, {"do": "mail", "to": ["one@example.org"], "subject": "{detector}", "text": text})
        if n < 3:
            order(small, {"do": "mail", "to": ["two@example.org"], "subject": "{detector}", "text": text})
    look(1.0)
    assert mails == []
    monkeypatch.setattr(settings(), "mail_server", server)
    look(10.0, rounds=5)
    one = [each for each in mails if each["To"] == "one@example.org"]
    assert [str(each["Subject"]) for each in one] == ["30 events: hot"]
    lines = one[0].get_payload(decode=True).decode().split()
    assert [word for word, after in itertools.pairwise(lines) if after == "in"] == [str(n) for n in range(30)]
    assert [str(each["Subject"]) for each in mails if each["To"] == "two@example.org"] == ["hot"] * 3
    with transaction() as session:
        rows = list(session.scalars(select(OrderRow)))
        assert {(row.stage, row.result) for row in rows} == {("over", "done")}
        grouped = [row for row in rows if row.thing == "one@example.org"]
        assert all("went with 29 others, as one" in row.because for row in grouped)


def test_a_mail_says_what_happened_and_comes_once(small: Small, mails: list[Message]) -> None:
    to = ["one@example.org", "two@example.org"]
    order(small, {"do": "mail", "to": to, "subject": "{place}: {detector}", "text": "{peak} in {region} at {time}"})
    look(1.0, rounds=3)
    assert sorted(str(each["To"]) for each in mails) == to
    assert {str(each["Subject"]) for each in mails} == {"Shed: hot"}
    assert mails[0].get_payload().strip() == "61 in r at 2026-03-04 06:00:00+01:00"
    assert len({each["Message-ID"] for each in mails}) == 2
    assert orders() == [("mail", "over", "done", 0)] * 2


def test_without_a_mail_server_it_says_which_setting_is_missing(small: Small) -> None:
    order(small, {"do": "mail", "to": ["one@example.org"]})
    look(1.0)
    assert orders() == [("mail", "over", "dropped", 0)]
    with transaction() as session:
        assert "LANTERN_MAIL_SERVER" in session.scalars(select(OrderRow)).one().because


def test_posts_keep_their_order_wait_for_who_is_away_and_arrive_once(small: Small, posts: Posts) -> None:
    posts.well = False
    for number in range(5):
        order(
            small,
            {"do": "post", "to": posts.url, "text": f'{{{{"n": {number}}}}}'},
            at=BEGIN + timedelta(seconds=number),
        )
    for second in (5, 5.5, 7, 20):
        look(second)
    assert posts.got == []
    assert orders()[0] == ("post", "waiting", None, 3)  # at 5, 7 and 20 s: it waits twice as long each time
    assert {each[1] for each in orders()[1:]} == {"ordered"}  # none overtakes it
    posts.well = True
    look(60, rounds=6)
    assert [json.loads(text)["n"] for text, _, _ in posts.got] == [0, 1, 2, 3, 4]
    assert posts.got[0][1] == "application/json"
    assert len({key for _, _, key in posts.got}) == 5
    with transaction() as session:
        first, second = list(session.scalars(select(OrderRow).order_by(OrderRow.id)))[:2]
        assert first.because == "It answered 200 noted. Sent 4 times: it may have come before."
        assert second.because == "It answered 200 noted."


def test_what_does_not_arrive_in_time_expires_and_says_why(small: Small, posts: Posts) -> None:
    posts.well = False
    order(small, {"do": "post", "to": posts.url, "text": "x", "expire_s": 10.0})
    look(1.0)
    look(11.0)
    assert orders() == [("post", "over", "expired", 1)]
    with transaction() as session:
        because = session.scalars(select(OrderRow)).one().because
        assert because.startswith("It could not be delivered within 10 s.")
        assert "503" in because


def test_a_line_over_tcp_and_a_message_over_mqtt(small: Small) -> None:
    line, broker = Listening(lambda held: held.recv(1000)), Listening(mqtt_broker)
    order(
        small,
        {"do": "post", "to": f"tcp://127.0.0.1:{line.port}", "text": "{detector}\nat {place}"},
        {"do": "post", "to": f"mqtt://127.0.0.1:{broker.port}/yard/alarm", "text": "{detector}"},
    )
    look(1.0)
    assert line.heard() == b"hot at Shed\n"
    assert broker.heard() == b"yard/alarm hot"
    assert orders() == [("post", "over", "done", 0)] * 2


class Listening:
    """One connection, answered by a function, whose value is kept."""

    def __init__(self, answer: Any) -> None:
        self._socket = socket.create_server(("127.0.0.1", 0))
        self.port = self._socket.getsockname()[1]
        self._found: list[bytes] = []
        self._thread = threading.Thread(target=self._serve, args=(answer,), daemon=True)
        self._thread.start()

    def _serve(self, answer: Any) -> None:
        held, _ = self._socket.accept()
        with held:
            held.settimeout(20)
            self._found.append(answer(held))

    def heard(self) -> bytes:
        self._thread.join(20)
        self._socket.close()
        return self._found[0]


def mqtt_broker(held: socket.socket) -> bytes:
    """Enough of MQTT 3.1.1 (OASIS standard, sections 3.1 to 3.4) to be published to once at QoS 1; gives topic and text."""

    def packet() -> tuple[int, bytes]:
        first, length = held.recv(1)[0], held.recv(1)[0]
        assert length < 128
        body = b""
        while len(body) < length:
            body += held.recv(length - len(body))
        return first, body

    first, body = packet()
    assert first == 0x10
    assert body[:6] == b"\x00\x04MQTT"
    held.sendall(b"\x20\x02\x00\x00")  # CONNACK: accepted
    first, body = packet()
    assert first & 0xF6 == 0x32  # PUBLISH at QoS 1
    length = int.from_bytes(body[:2])
    topic, number, text = body[2 : 2 + length], body[2 + length : 4 + length], body[4 + length :]
    held.sendall(b"\x40\x02" + number)  # PUBACK
    return topic + b" " + text


def test_a_program_that_is_not_there_is_tried_again(small: Small) -> None:
    order(small, {"do": "post", "to": f"mqtt://127.0.0.1:{free_port()}/t", "text": "x"})
    order(small, {"do": "post", "to": f"tcp://127.0.0.1:{free_port()}", "text": "x"})
    look(1.0)
    assert orders() == [("post", "waiting", None, 1)] * 2


def test_what_is_shown_is_shown_to_those_of_its_roles_until_one_acknowledges(small: Small) -> None:
    order(small, {"do": "show", "roles": ["operator"]})
    look(1.0)
    assert orders() == [("show", "running", None, 0)]
    client: TestClient = log_in(make_app(), "ida", "open sesame")
    [shown] = client.get(f"/sites/{small.site}/shown.json").json()
    assert (shown["link"], shown["names"]["detector"]) == ("tell", "hot")
    assert client.post(f"/sites/{small.site}/shown/{shown['id']}/acknowledge").status_code == 200
    assert client.get(f"/sites/{small.site}/shown.json").json() == []
    assert client.post(f"/sites/{small.site}/shown/{shown['id']}/acknowledge").status_code == 404
    with transaction() as session:
        assert session.get_one(OrderRow, shown["id"]).because == "It was acknowledged by Ida Test."
