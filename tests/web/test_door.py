"""Log-in, sessions, form tokens, how much may be sent and how slowly, odd values, and what pages may load."""

from __future__ import annotations

import asyncio
import json
import re
import time
from collections.abc import Iterator
from datetime import timedelta

import pytest
from fastapi import HTTPException
from fastapi.testclient import TestClient
from sqlalchemy import select, update
from starlette.types import Message

from lantern.application.app import make_app
from lantern.db.base import engine as db_engine
from lantern.db.base import now, transaction
from lantern.people import routes as people_routes
from lantern.people import tables as people_tables
from lantern.people.attempts import TooManyTriesError, Turnstile, pause_s, pauses, record_attempt
from lantern.people.sessions import LogIn, digest_of
from lantern.people.tables import AttemptRow, SessionRow
from lantern.settings import settings
from lantern.web.answers import attachment
from lantern.web.door import (
    FORM_TYPE,
    SESSION_COOKIE,
    Body,
    SentTooMuchError,
    SentTooSlowlyError,
    most_bytes,
    safe_next,
)
from lantern.web.streams import Streams
from loops import in_a_loop
from seeded import Small
from takes_on_disk import DETECTOR
from web.client import AtSite, words_of

HTML = {"accept": "text/html"}


@pytest.fixture
def client(small: Small) -> Iterator[TestClient]:
    with AtSite(make_app(), follow_redirects=False) as made:
        yield made


def form_token(text: str) -> str:
    found = re.search(r'name="csrf" (?:value|content)="([^"]+)"', text)
    assert found
    return found.group(1)


def log_in(client: TestClient) -> str:
    token = form_token(client.get("/login").text)
    done = client.post("/login", data={"login": "ida", "password": "open sesame", "csrf": token, "next": "/takes"})
    assert (done.status_code, done.headers["location"]) == (303, "/takes")
    return form_token(client.get("/survey", headers=HTML).text)


def test_every_page_has_a_strict_policy(client: TestClient) -> None:
    log_in(client)
    for path in ("/login", "/survey", "/static/css/lantern.css", "/nowhere"):
        policy = client.get(path, headers=HTML).headers["content-security-policy"]
        assert "default-src 'none'" in policy
        assert "script-src 'self';" in policy
        assert "unsafe" not in policy


def test_pages_have_no_inline_script_style_or_foreign_address(client: TestClient, small: Small) -> None:
    log_in(client)
    for path in (
        "/survey",
        "/takes",
        f"/bench/{small.detector}",
        f"/bench/{small.detector}/revisions",
        f"/links/{small.detector}",
        f"/rehearse/{small.detector}",
        f"/walk/{small.detector}",
    ):
        answer = client.get(path, headers=HTML)
        assert answer.status_code == 200, path
        assert not re.search(r"<script(?![^>]*\b(src|type=\"application/json\"))", answer.text), path
        assert not re.search(r"\sstyle=|\son[a-z]+=\"", answer.text), path
        assert "http" not in re.sub(r"http://www\.w3\.org/\S+", "", answer.text), path


def test_without_log_in_pages_redirect_and_data_is_refused(client: TestClient) -> None:
    answer = client.get("/takes", headers=HTML)
    assert (answer.status_code, answer.headers["location"]) == (303, "/login?next=/sites/1/takes")
    assert client.get("/takes/1/frames/0").status_code == 401


def test_a_wrong_password_is_told_and_what_was_typed_is_kept(client: TestClient) -> None:
    token = form_token(client.get("/login").text)
    answer = client.post("/login", data={"login": "ida", "password": "wrong", "csrf": token})
    assert answer.status_code == 422
    assert 'value="ida"' in answer.text
    assert 'aria-describedby="failed"' in answer.text


@pytest.mark.parametrize("headers", [{}, {"x-csrf-token": "guess"}])
def test_changes_need_the_sessions_token(client: TestClient, small: Small, headers: dict) -> None:
    log_in(client)
    for method, path in (
        ("POST", f"/takes/{small.take}/marks"),
        ("DELETE", f"/takes/{small.take}"),
        ("PUT", "/timetables/1"),
        ("POST", "/logout"),
    ):
        assert client.request(method, path, json={}, headers=headers).status_code == 403, path
    assert client.post("/login", data={"login": "ida", "password": "open sesame"}).status_code == 403


def test_the_session_is_new_after_log_in(client: TestClient) -> None:
    before = form_token(client.get("/login").text)
    assert log_in(client) != before


@pytest.mark.parametrize("target", ["//evil.example", "https://evil.example", "/\\evil", "evil"])
def test_nobody_is_sent_elsewhere(target: str) -> None:
    assert safe_next(target) == "/"
    assert safe_next("/takes") == "/takes"


# ---- sessions --------------------------------------------------------------------------------------------------------


def test_a_copied_cookie_is_worth_nothing_after_log_out(client: TestClient) -> None:
    csrf = log_in(client)
    stolen = {"cookie": f"{SESSION_COOKIE}={client.cookies[SESSION_COOKIE]}"}
    with AtSite(client.app, follow_redirects=False) as thief:
        assert thief.get("/survey", headers=HTML | stolen).status_code == 200
        assert client.post("/logout", data={"csrf": csrf}).status_code == 303
        assert thief.get("/survey", headers=HTML | stolen).headers["location"] == "/login?next=/sites/1/survey"
        assert thief.get("/takes/1/marks.csv", headers=stolen).status_code == 401


def test_each_log_in_has_a_key_of_its_own_and_ends_the_one_before(client: TestClient) -> None:
    log_in(client)
    first = client.cookies[SESSION_COOKIE]
    token = form_token(client.get("/login").text)
    client.post("/login", data={"login": "ida", "password": "open sesame", "csrf": token})
    assert client.cookies[SESSION_COOKIE] != first
    with AtSite(client.app, follow_redirects=False) as other:
        assert other.get("/survey", headers=HTML | {"cookie": f"{SESSION_COOKIE}={first}"}).status_code == 303
    with transaction() as session:
        [row] = session.scalars(select(SessionRow))
        assert row.digest == digest_of(client.cookies[SESSION_COOKIE])
        assert client.cookies[SESSION_COOKIE].encode() not in row.digest


def test_a_session_that_is_not_used_ends(client: TestClient) -> None:
    log_in(client)
    with transaction() as session:
        session.execute(update(SessionRow).values(seen=now() - timedelta(days=settings().session_days, minutes=1)))
    assert client.get("/survey", headers=HTML).status_code == 303


@pytest.mark.parametrize(("address", "secure"), [("https://bench.test", True), ("http://bench.test", False)])
def test_cookies_go_encrypted_where_the_page_did(small: Small, address: str, secure: bool) -> None:
    with AtSite(make_app(), base_url=address, follow_redirects=False) as made:
        page = made.get("/login")
        token = form_token(page.text)
        done = made.post("/login", data={"login": "ida", "password": "open sesame", "csrf": token})
        for cookie in (page.headers["set-cookie"], done.headers.get_list("set-cookie")[0]):
            assert ("; secure" in cookie.lower()) == secure
            assert "httponly" in cookie.lower()
            assert "samesite=lax" in cookie.lower()


# ---- passwords -------------------------------------------------------------------------------------------------------


def test_pauses_grow_by_account_and_by_address_and_nobody_is_locked_out(database: str) -> None:
    with transaction() as session:
        record_attempt(session, login="ida", address="10.0.0.1", succeeded=True)
        for number in range(20):
            record_attempt(session, login="ida", address=f"203.0.113.{number}", succeeded=False)
    with transaction() as session:
        own = pauses(session, "ida", "10.0.0.1")  # she has come from there before: strangers do not slow her
        assert own == {"address 10.0.0.1": 0.0}
        assert pauses(session, "ida", "10.0.0.2") == {"address 10.0.0.2": 0.0, "account ida": 8.0}
        assert pauses(session, "olu", "203.0.113.1") == {"address 203.0.113.1": 0.0, "account olu": 0.0}
        for _ in range(5):
            record_attempt(session, login="anybody", address="203.0.113.1", succeeded=False)
        assert pauses(session, "olu", "203.0.113.1")["address 203.0.113.1"] == 2.0
    assert [pause_s(n) for n in (0, 3, 4, 5, 8, 100)] == [0, 0, 0.5, 1, 8, 8]


def test_a_turnstile_lets_one_after_the_other_through_and_sends_a_crowd_away() -> None:
    async def run() -> tuple[list[float], int]:
        turnstile, began, times, away = Turnstile(), time.monotonic(), [], 0

        async def pass_through() -> None:
            nonlocal away
            try:
                await turnstile.turn({"account ida": 0.2})
                times.append(time.monotonic() - began)
            except TooManyTriesError:
                away += 1

        await asyncio.gather(*(pass_through() for _ in range(4)))
        turnstile._next["account ida"] = time.monotonic() + 60
        await pass_through()
        return times, away

    times, away = in_a_loop(run)
    assert all(at > 0.2 * place - 0.01 for place, at in enumerate(times, 1))  # none before its turn, however busy it is
    assert times[0] > 0.15
    assert away == 1


def test_failures_are_recorded_and_slow_the_next_try(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    token = form_token(client.get("/login").text)
    waited: list[float] = []

    async def note(pauses_s: dict[str, float]) -> None:
        waited.append(max(pauses_s.values()))

    monkeypatch.setattr(people_routes._turnstile, "turn", note)
    for number in range(7):
        body = {"login": "ida" if number % 2 else "nobody", "password": f"guess {number}", "csrf": token}
        assert client.post("/login", data=body).status_code == 422
    assert waited == [0, 0, 0, 0, 0.5, 1, 2]
    with transaction() as session:
        tried = [(row.login, row.succeeded) for row in session.scalars(select(AttemptRow).order_by(AttemptRow.id))]
    assert tried == [("ida" if n % 2 else "nobody", False) for n in range(7)]
    log_in(client)  # the right password is let in, however often it was missed before


def test_an_unknown_name_takes_the_time_of_a_known_one(small: Small) -> None:
    """Both work out one hash, and nothing else that takes time: counted, for a clock would tell of the machine."""
    from argon2 import PasswordHasher

    assert not PasswordHasher().check_needs_rehash(people_tables.NOBODY)  # as costly as a password of today
    user_by_password_of = people_tables.user_by_password
    with transaction() as session:
        user_by_password_of(session, "nobody", "x")
        work: dict[str, int] = {}
        for name in ("verify", "hash"):
            real = getattr(PasswordHasher, name)

            def counted(*args: object, _real: object = real, _name: str = name) -> object:
                work[_name] = work.get(_name, 0) + 1
                return _real(*args)  # type: ignore[operator]

            with pytest.MonkeyPatch.context() as patch:
                patch.setattr(PasswordHasher, name, counted)
                assert user_by_password_of(session, "ida", "wrong") is None
                known = dict(work)
                assert user_by_password_of(session, "nobody", "wrong") is None
                assert {k: work.get(k, 0) - known.get(k, 0) for k in work} == known
                work.clear()


@pytest.mark.parametrize(
    ("content", "kind"),
    [
        (b"", "application/x-www-form-urlencoded"),
        (b"\xff\xfe=%zz&csrf", "application/x-www-form-urlencoded"),
        (b"--x\r\nContent-Disposition: nonsense", "multipart/form-data; boundary=x"),
        (b"\x00" * 64, "multipart/form-data"),
        (b"{", "application/json"),
    ],
)
def test_a_broken_log_in_body_is_refused(client: TestClient, content: bytes, kind: str) -> None:
    client.get("/login")
    assert client.post("/login", content=content, headers={"content-type": kind}).status_code == 403


@pytest.mark.parametrize("login", ["", "a\x00b", "x" * 5000, "\u2028", "ÅÄÖ"])
def test_whatever_is_typed_as_a_login_is_answered(client: TestClient, login: str) -> None:
    token = form_token(client.get("/login").text)
    answer = client.post("/login", data={"login": login, "password": "\x00", "csrf": token})
    assert answer.status_code == 422
    assert client.post("/login", data={"csrf": token}).status_code == 422


# ---- bodies, streams, odd values -------------------------------------------------------------------------------------


def test_a_large_body_of_a_stranger_is_refused_before_it_is_read(client: TestClient) -> None:
    sent = 0

    def endless() -> Iterator[bytes]:
        nonlocal sent
        while sent < 500:
            sent += 1
            yield b"x" * 64 * 1024

    token = form_token(client.get("/login").text)
    answer = client.post("/login", content=b"x" * 100_000, headers={"content-type": FORM_TYPE, "x-csrf-token": token})
    assert answer.status_code == 413
    assert "65536 bytes" in answer.json()["message"]
    assert client.post("/takes/imports", content=endless()).status_code == 401


def test_a_body_without_a_length_is_cut_off_where_it_grows_too_large() -> None:
    read: list[int] = []

    async def run() -> None:
        async def endless() -> Message:
            read.append(1)
            return {"type": "http.request", "body": b"x" * 1000, "more_body": True}

        await Body(endless, 10_000, None).read()

    with pytest.raises(SentTooMuchError):
        in_a_loop(run)
    assert len(read) == 11


def test_a_body_that_trickles_is_given_up(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(settings(), "body_s", 0.3)

    async def run() -> float:
        async def trickle() -> Message:
            await asyncio.sleep(0.1)
            return {"type": "http.request", "body": b"x", "more_body": True}

        began = time.monotonic()
        with pytest.raises(SentTooSlowlyError):
            await Body(trickle, 10_000, None).read()
        return time.monotonic() - began

    assert 0.25 < in_a_loop(run) < 5


def test_files_may_be_larger_than_other_requests(small: Small) -> None:
    held = settings()
    known = LogIn(b"", 1, "")
    assert most_bytes("/takes/imports/1/parts", known, held) == held.part_bytes
    assert most_bytes("/takes/1/marks.csv", known, held) == held.part_bytes
    assert most_bytes("/bench/1/judge", known, held) == held.body_bytes
    assert most_bytes("/takes/imports/1/parts", None, held) == held.anonymous_body_bytes


def test_live_streams_are_so_many_a_log_in_and_so_many_in_all(database: str, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(settings(), "streams_a_session", 2)
    monkeypatch.setattr(settings(), "streams", 3)
    streams = Streams()
    first, _ = streams.take(b"a"), streams.take(b"a")
    with pytest.raises(HTTPException, match="Too many live pages"):
        streams.take(b"a")
    streams.take(b"b")
    with pytest.raises(HTTPException):
        streams.take(b"c")
    first.leave()
    first.leave()
    assert streams.open == {b"a": 1, b"b": 1}
    with streams.take(b"c"):
        assert streams.open.total() == 3
    assert streams.open.total() == 2


BEYOND = (2**31, 2**63, 10**30)


def test_numbers_no_row_can_have_and_texts_no_store_can_hold_are_refused_not_failed(
    client: TestClient, small: Small
) -> None:
    client.headers["x-csrf-token"] = log_in(client)
    routes = {path: methods for path, methods in client.get("/openapi.json").json()["paths"].items() if "{" in path}
    assert len(routes) > 25
    for route, methods in routes.items():
        for number in BEYOND:
            path = re.sub(r"\{\w*(_id|number|index)\}", str(number), route)
            path = re.sub(r"\{\w+\}", "x", path)
            for method in methods:
                answer = client.request(method, f"{path}?base=1&take={number}&part={number}&file=x", json={})
                assert answer.status_code < 500, f"{method} {path}: {answer.text}"
    nul = {"start_s": 1, "end_s": 2, "label": "quiet", "note": "a\x00b"}
    answer = client.post(f"/takes/{small.take}/marks", json=nul)
    assert answer.status_code == 422
    assert "NUL" in answer.json()["faults"][0]["what"]
    half = b'{"start_s": 1, "end_s": 2, "label": "quiet", "note": "\\ud800"}'
    typed = {"content-type": "application/json"}
    assert client.post(f"/takes/{small.take}/marks", content=half, headers=typed).status_code == 422
    assert client.get("/takes/1/marks.csv%00").status_code == 404
    assert client.get("/walk/1", headers=HTML | {"x-csrf-token": "å".encode()}).status_code == 200
    assert client.post("/logout", headers={"x-csrf-token": "å".encode()}).status_code == 403


@pytest.mark.parametrize(
    ("name", "header"),
    [
        ("plain.csv", 'attachment; filename="plain.csv"'),
        ("Zähler.csv", "attachment; filename=\"Z_hler.csv\"; filename*=UTF-8''Z%C3%A4hler.csv"),
        # RFC 6266, section 5: its third example
        ("€ rates", "attachment; filename=\"_ rates\"; filename*=UTF-8''%E2%82%AC%20rates"),
        ('a"b\r\n', "attachment; filename=\"a_b__\"; filename*=UTF-8''a%22b%0D%0A"),
    ],
)
def test_downloads_are_named_as_in_rfc_6266(name: str, header: str) -> None:
    assert attachment(name) == {"Content-Disposition": header}
    header.encode("latin-1")


def test_a_detector_with_a_name_outside_latin_1_is_downloaded(client: TestClient, small: Small) -> None:
    client.headers["x-csrf-token"] = log_in(client)
    body = {"detector": DETECTOR | {"name": "Ｈot Ж"}, "reason": "renamed", "base": 1}
    assert client.post(f"/bench/{small.detector}/revisions", json=body).status_code == 200
    answer = client.get(f"/bench/{small.detector}/detector.json")
    assert answer.status_code == 200
    assert "filename*=UTF-8''" in answer.headers["content-disposition"]


def test_a_store_that_is_away_is_told_as_such(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    log_in(client)
    monkeypatch.setattr(settings(), "database_url", "postgresql+psycopg://nobody@127.0.0.1:1/none")
    db_engine.cache_clear()
    page = client.get("/survey", headers=HTML)
    assert page.status_code == 503
    assert "The database does not answer" in page.text
    assert client.get("/takes/1/marks.csv").status_code == 503


def test_health_says_which_part_keeps_ending(client: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    assert client.get("/health").json() == {"ok": True, "parts": []}
    part = {"name": "engine", "running": False, "starts": 9, "ends": 9, "keeps_ending": True, "cause": "it fell"}
    (settings().state_dir / "parts.json").write_text(json.dumps([part]))
    answer = client.get("/health")
    assert (answer.status_code, answer.json()["ok"]) == (503, False)
    log_in(client)
    for path in ("/survey", "/takes", "/walk/1"):
        assert "engine keeps ending: 9 times within a minute" in words_of(client.get(path, headers=HTML))
    (settings().state_dir / "parts.json").write_text(json.dumps([part | {"running": True}]))
    assert client.get("/health").status_code == 200
