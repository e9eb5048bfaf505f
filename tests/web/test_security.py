"""Log-in, form tokens, and what pages may load."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import pytest
from fastapi.testclient import TestClient

from lantern.web.app import make_app
from lantern.web.security import safe_next
from seeded import Small, small_site

HTML = {"accept": "text/html"}


@pytest.fixture
def small(database: str, tmp_path: Path) -> Small:
    return small_site(tmp_path)


@pytest.fixture
def client(small: Small) -> Iterator[TestClient]:
    with TestClient(make_app(), follow_redirects=False) as made:
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
    assert (answer.status_code, answer.headers["location"]) == (303, "/login?next=/takes")
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
