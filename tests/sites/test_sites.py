"""Sites: made of a file and written again, equal byte for byte; several at once; paused, removed; what a file must not have."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import orjson
import pytest
from fastapi.testclient import TestClient
from sqlalchemy import func, select

from lantern.application.app import make_app
from lantern.core.faults import Refused
from lantern.core.site import differences
from lantern.db.base import Base, transaction
from lantern.db.belonging import counted
from lantern.formats.documents import site_of
from lantern.formats.site_files import read_site
from lantern.live.plans import load_plans
from lantern.register.tables import DeviceRow
from lantern.sites.actions import import_site, only_site, remove_site, site_document, site_file
from lantern.sites.tables import SiteRow
from seeded import Small
from web.test_access import log_in

SKERROW = Path(__file__).parents[2] / "src/lantern/demo/skerrow.site.json"
TO_COME: dict[str, Any] = {
    "plan": {"picture": "ground.png", "metres_per_px": 0.05, "origin": [0, 0]},
    "compounds": [
        {
            "name": "Quiet smoulder",
            "kind": "unless",
            "quiet_s": 5.0,
            "wait_s": 0.0,
            "within_s": 0.0,
            "rearm_s": 0.0,
            "parts": [{"detector": "Smoulder in the heap", "lists": []}, {"detector": "Gate line", "lists": []}],
        },
    ],
    "messages": [{"name": "halt", "text": "Halt at {place}", "length_s": 4.0}],
    "expectations": [
        {
            "name": "lamp",
            "when": {"detector": "Gate line"},
            "must_not": [],
            "must": [{"do": "switch", "on": "Mast beacon", "within_s": 5.0}],
        },
    ],
}


@pytest.fixture
def client(small: Small) -> TestClient:
    return log_in(make_app(), "ida", "open sesame")


EFFECTS = [
    {"do": "say", "devices": ["L1"], "message": "halt", "repeats": 2, "gain_db": 0.0, "when_busy": "wait", "expire_s": 60.0},
    {"do": "go_to", "device": "Z1", "preset": 1, "length_s": 10.0, "when_busy": "drop", "expire_s": 60.0, "priority": 2},
    {"do": "follow", "device": "Z1", "length_s": 30.0, "when_busy": "drop", "expire_s": 60.0},
    {"do": "clip", "devices": ["V2"], "before_s": 5.0, "after_s": 10.0, "still": False, "expire_s": 60.0},
    {"do": "mail", "to": ["guard@example.org"], "subject": "{place}", "text": "{detector}", "expire_s": 86400.0},
    {"do": "post", "to": "mqtt://10.0.0.9/yard", "text": "{place}", "expire_s": 86400.0},
    {"do": "show", "roles": ["operator"], "expire_s": 60.0},
    {"output": "Mast beacon", "mode": "pulse", "length_s": 5.0, "expire_s": 60.0},
]  # fmt: skip


def skerrow(**changes: Any) -> dict[str, Any]:
    document: dict[str, Any] = json.loads(SKERROW.read_text())
    return document | changes


def exported(name: str) -> bytes:
    with transaction() as session:
        return site_file(site_document(session, only_site(session, name)))


# ---- the file --------------------------------------------------------------------------------------------------------


def test_a_file_comes_back_equal_byte_for_byte(database: str) -> None:
    """Import, export, import under another name, export: the same but for the name. Sorted keys, two spaces."""
    everything = {"name": "everything", "compound": "Quiet smoulder", "effects": EFFECTS}
    site = site_of(
        skerrow(**TO_COME, links=[*(each for each in skerrow()["links"] if "compound" not in each), everything]),
        where="skerrow",
    )
    with transaction() as session:
        import_site(session, site, user_id=None)
    first = exported(site.name)
    assert first == orjson.dumps(
        json.loads(first), option=orjson.OPT_SORT_KEYS | orjson.OPT_INDENT_2 | orjson.OPT_APPEND_NEWLINE
    )
    assert {key: json.loads(first)[key] for key in TO_COME} == TO_COME  # subjects to come are kept and written again
    with transaction() as session:
        import_site(session, site_of(json.loads(first) | {"name": "Second"}, where="file"), user_id=None)
    second = exported("Second")
    assert second.replace(b'"name": "Second"', f'"name": "{site.name}"'.encode()) == first
    assert differences(site, site_of(json.loads(first), where="file")) == []
    [link] = [each for each in json.loads(first)["links"] if each["name"] == "everything"]
    assert link["effects"] == EFFECTS


def test_the_demo_is_a_file_that_is_in_order() -> None:
    site = read_site(SKERROW)
    assert (len(site.places), len(site.devices), len(site.detectors)) == (10, 17, 14)
    assert site_file(site) == SKERROW.read_bytes()


def test_no_token_password_or_account_is_in_a_file(small: Small) -> None:
    text = exported("Test site").decode()
    assert small.token not in text
    assert not any(word in text for word in ("token", "password", "open sesame", "ida"))


@pytest.mark.parametrize(
    ("change", "where", "told"),
    [
        ({"zone": "Mars/North"}, "zone", "Mars/North"),
        ({"colour": "red"}, "colour", "not a known key"),
        ({"lists": [{"entries": []}]}, "lists.0.name", "missing"),
        ({"places": [{"name": "A"}, {"name": "A"}]}, "places", "2 are called 'A'"),
        ({"links": [{"name": "l", "detector": "nobody", "effects": []}]}, "links.0.detector", "there is no 'nobody'"),
    ],
)
def test_what_is_wrong_with_a_file_is_said_with_its_place(change: dict[str, Any], where: str, told: str) -> None:
    with pytest.raises(Refused) as refused:
        site_of(skerrow(**change), where="s.json")
    lines = [str(fault) for fault in refused.value.faults]
    assert any(f"s.json: {where}" in line and told in line for line in lines), lines


def test_every_fault_of_a_file_is_told_at_once() -> None:
    document = skerrow()
    document["detectors"][0]["dials"]["threshold_c"] = "hot"
    document["detectors"][1]["device"] = "T77"
    document["links"][0]["effects"][0]["output"] = "no such"
    with pytest.raises(Refused) as refused:
        site_of(document, where="s.json")
    told = "\n".join(str(fault) for fault in refused.value.faults)
    assert all(word in told for word in ("threshold_c", "'T77'", "'no such'")), told


def test_differences_name_the_place_and_go_by_names() -> None:
    one, document = site_of(skerrow(), where="a"), skerrow()
    document["places"].reverse()
    document["detectors"][0]["dials"]["threshold_c"] = 99
    name = document["detectors"][0]["name"]
    found = differences(one, site_of(document, where="b"))
    assert [each["at"] for each in found] == [f"detectors[{name}].dials.threshold_c"]
    assert found[0]["second"] == 99


# ---- several ---------------------------------------------------------------------------------------------------------


def test_an_existing_name_is_refused_and_nothing_of_it_stored(client: TestClient, small: Small) -> None:
    document = json.loads(exported("Test site"))
    with transaction() as session:
        before = session.scalar(select(func.count()).select_from(DeviceRow))
    answer = client.post("/sites/file", content=orjson.dumps(document))
    assert (answer.status_code, "is taken" in answer.text) == (422, True)
    with transaction() as session:
        assert session.scalar(select(func.count()).select_from(DeviceRow)) == before
    answer = client.post("/sites/file?name=Other", content=orjson.dumps(document))
    assert answer.status_code == 200, answer.text
    page = client.get("/sites/1/survey", headers={"accept": "text/html"}).text
    assert f"/sites/{answer.json()['id']}/survey" in page  # the switcher


def test_two_sites_share_codes_and_nothing_else(client: TestClient, small: Small) -> None:
    second = client.post("/sites/file?name=Other", content=exported("Test site")).json()["id"]
    codes = sorted((device.code, device.site_id) for device in load_plans().devices)
    assert codes == [("M1", 1), ("M1", second), ("T1", 1), ("T1", second)]
    assert small.take in {t["id"] for t in takes(client, 1)}
    assert takes(client, second) == []


def takes(client: TestClient, site: int) -> list[dict[str, Any]]:
    import re

    text = client.get(f"/sites/{site}/takes", headers={"accept": "text/html"}).text
    return [{"id": int(found)} for found in re.findall(r'id="take-(\d+)"', text)]


def test_a_paused_site_is_run_by_nobody(client: TestClient, small: Small) -> None:
    assert {d.site_id for d in load_plans().devices} == {1}
    assert client.put("/sites/1/live", json={"live": False}).status_code == 200
    assert load_plans().devices == []
    assert "paused" in client.get("/sites/1/survey", headers={"accept": "text/html"}).text
    assert client.put("/sites/1/live", json={"live": True}).status_code == 200
    assert len(load_plans().devices) == 2


# ---- removed ---------------------------------------------------------------------------------------------------------


def test_removing_asks_for_the_name_says_what_goes_and_leaves_the_others(client: TestClient, small: Small) -> None:
    second = client.post("/sites/file?name=Other", content=exported("Test site")).json()["id"]
    with transaction() as session:
        assert counted(session, 1) == {
            "devices": 2, "takes": 1, "marks": 2, "detectors": 1, "revisions": 3, "links": 1, "events": 0,
                "accepted findings": 0, "compounds": 0,
        }  # fmt: skip
        with pytest.raises(Refused, match="the site's own name"):
            remove_site(session, session.get_one(SiteRow, 1), name="test site")
    page = client.get("/sites", headers={"accept": "text/html"}).text
    assert all(words in page for words in ("1 takes", "/sites/1/site.json"))  # what goes, and its file first
    assert client.delete("/sites/1?name=Other").status_code == 422
    assert client.delete("/sites/1?name=Test%20site").status_code == 200
    with transaction() as session:
        held = {
            table.name: session.scalar(select(func.count()).select_from(table))
            for table in Base.metadata.sorted_tables
            if table.name in ("take", "mark", "frame_block", "reduction", "import_job")
        }
        assert set(held.values()) == {0}, held
        assert [row.id for row in session.scalars(select(SiteRow))] == [second]
        assert only_site(session).name == "Other"


def test_which_site_is_asked_where_there_are_several(client: TestClient, small: Small) -> None:
    client.post("/sites/file?name=Other", content=exported("Test site"))
    with transaction() as session:
        with pytest.raises(Refused, match=r"there are 2.*'Other', 'Test site'"):
            only_site(session)
        assert only_site(session, "Other").name == "Other"
