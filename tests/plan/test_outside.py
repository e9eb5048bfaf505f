"""Ground pictures, sheets and sites' files through their routes: read apart, refused when they take too much, ended when the page gives up."""

from __future__ import annotations

import sys
import time
from collections.abc import Iterator
from typing import Any

import pytest
from fastapi import Request
from fastapi.testclient import TestClient

from formats.test_ground import of_uses, raster, rows_and_columns
from lantern import apart
from lantern.application.app import make_app
from lantern.web import outside
from lantern.web.outside import GONE, read_outside
from loops import in_a_loop
from seeded import Small
from web.client import AtSite
from web.test_door import log_in


@pytest.fixture
def client(small: Small) -> Iterator[TestClient]:
    with AtSite(make_app(), follow_redirects=False) as made:
        made.headers["x-csrf-token"] = log_in(made)
        yield made


@pytest.mark.parametrize(("data", "told"), [(rows_and_columns(3000), "entities"), (of_uses(8, 10), "references")])
def test_what_comes_to_too_much_is_refused_and_nothing_is_kept(client: TestClient, data: bytes, told: str) -> None:
    answer = client.post("/plan/pictures?name=yard.dxf", content=data)
    assert (answer.status_code, told in answer.text, "yard.dxf" in answer.text) == (422, True, True)
    kept = client.post("/plan/pictures?name=roof.png", content=raster("PNG")).json()
    assert client.get(f"/plan/pictures/{kept['name']}").status_code == 200


@pytest.mark.parametrize(
    ("route", "where"),
    [
        ("/plan/pictures?name=roof.png", "roof.png"),
        ("/devices/table?name=a.csv", "a.csv"),
        ("/diff?name=b.json", "b.json"),
    ],
)
def test_each_is_read_in_a_process_of_its_own(
    client: TestClient, monkeypatch: pytest.MonkeyPatch, route: str, where: str
) -> None:
    """Seen by a reader that ends itself: the file is refused, and the program goes on."""
    monkeypatch.setattr(apart, "COMMAND", (sys.executable, "-c", "import os; os.abort()"))
    answer = client.post(route, content=raster("PNG"))
    assert answer.status_code == 422
    assert answer.json()["faults"][0]["where"] == where
    assert "needs more memory than a reader may take, or ends it" in answer.text


def test_the_reader_ends_when_the_page_gives_up(database: str) -> None:
    began = time.monotonic()
    body: list[Any] = [{"type": "http.request", "body": b"sum(iter(int, 1))", "more_body": False}]

    async def receive() -> Any:
        return body.pop() if body else {"type": "http.disconnect"}

    async def ask() -> None:
        request = Request({"type": "http", "method": "POST", "path": "/", "headers": []}, receive)
        await read_outside(request, eval, name="x")

    with pytest.raises(outside.HTTPException) as ended:
        in_a_loop(ask)
    assert ended.value.status_code == GONE
    assert time.monotonic() - began < 20  # generous: the machine may be starved
