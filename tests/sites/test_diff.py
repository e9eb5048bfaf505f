"""Two sites held against each other, or a site against a file, object by object."""

from __future__ import annotations

from typing import Any

import orjson
import pytest
from fastapi.testclient import TestClient

from lantern.application.app import make_app
from lantern.core.site import Site, by_object, differences
from lantern.db.base import transaction
from lantern.register.tables import DeviceRow
from lantern.sites.actions import import_site, only_site, site_document, site_file
from seeded import SITE, Small
from web.client import words_of
from web.test_access import log_in

HTML = {"accept": "text/html"}


@pytest.fixture
def client(small: Small) -> TestClient:
    return log_in(make_app(), "ida", "open sesame")


def running(name: str = "Test site") -> dict[str, Any]:
    with transaction() as session:
        document: dict[str, Any] = orjson.loads(site_file(site_document(session, only_site(session, name))))
        return document


def against(client: TestClient, document: dict[str, Any]) -> dict[str, dict[str, Any]]:
    answer = client.post("/sites/1/diff?name=other.json", content=orjson.dumps(document))
    assert answer.status_code == 200, answer.text
    return {each["object"]: each for each in answer.json()["objects"]}


def test_a_file_against_the_running_site_object_by_object(client: TestClient) -> None:
    document = running()
    assert against(client, document) == {}
    devices = document["places"][0]["devices"]
    devices[1]["firmware"] = "2.0"
    devices.append({"code": "V9", "name": "New", "kind": "camera", "type": "fixed camera"})
    document["timetables"] = []
    document["links"] = []
    document["zone"] = "UTC"
    found = against(client, document)
    assert found["places[Shed].devices[T1]"]["kind"] == "differs"
    assert found["places[Shed].devices[T1]"]["parts"] == [{"at": "firmware", "first": "", "second": "2.0"}]
    assert {part["at"]: part["second"] for part in found["places[Shed].devices[V9]"]["parts"]}["type"] == "fixed camera"
    assert found["places[Shed].devices[V9]"]["kind"] == "only there"
    assert found["timetables[always on]"]["kind"] == "only here"
    assert found[""]["parts"] == [{"at": "zone", "first": "Europe/Amsterdam", "second": "UTC"}]


def test_two_sites_and_who_may_see_them(client: TestClient) -> None:
    with transaction() as session:
        other = import_site(session, Site.model_validate(running() | {"name": "Second"}), user_id=None)
        session.flush()
        number = other.id
    told = words_of(client.get(f"/sites/1/diff?with={number}", headers=HTML))
    assert "Second" in told
    assert "<td>Test site</td><td>Second</td>" in told  # their names alone
    with transaction() as session:
        row = session.query(DeviceRow).filter_by(site_id=number, code="T1").one()
        row.name = "Another camera"
    told = words_of(client.get(f"/sites/1/diff?with={number}", headers=HTML))
    assert "<td>Camera</td><td>Another camera</td>" in told
    assert client.get("/sites/1/diff?with=99", headers=HTML).status_code == 404


def test_what_is_no_site_file_is_refused(client: TestClient) -> None:
    for data in (b"{", b"[]", b'{"name": "x", "colour": 1}'):
        assert client.post("/sites/1/diff", content=data).status_code == 422


def test_differences_are_put_to_the_last_named_object() -> None:
    one = SITE.model_copy(update={"name": "Other"})
    assert [name for name, _ in by_object(differences(SITE, one))] == [""]
