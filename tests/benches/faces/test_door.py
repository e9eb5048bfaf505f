"""The bench of faces over HTTP: curves, what a threshold costs, a wish, people, groups, a look; thresholds by list; live to the coil."""

from __future__ import annotations

import json
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select

from benches.faces.door import BARRED, DOCUMENT, STRANGERS, Door, door
from lantern.application.app import make_app
from lantern.core.faults import Refused
from lantern.db.base import transaction
from lantern.lists.actions import save_list
from lantern.lists.tables import ListRow
from lantern.live.app import make_ingest
from lantern.live.engine import Engine
from lantern.live.tables import EventRow, OrderRow
from lantern.takes.actions import import_path
from lantern.takes.tables import TakeRow
from lantern.tune.tables import DetectorRow
from loops import in_a_loop
from web.client import AtSite
from web.test_door import HTML, log_in


@pytest.fixture
def at(database: str, tmp_path: Path) -> Door:
    return door(tmp_path)


@pytest.fixture
def client(at: Door) -> AtSite:
    made = AtSite(make_app(), follow_redirects=False)
    made.headers["X-CSRF-Token"] = log_in(made)
    return made


def ask(client: AtSite, at: Door, *parts: str, own: dict[str, Any] = DOCUMENT, **more: Any) -> dict[str, Any]:
    asked = {"take": at.take, "detector": own, "parts": list(parts)} | more
    answer = client.post(f"/bench/{at.detector}/judge", json=asked)
    assert answer.status_code == 200, answer.text
    found: dict[str, Any] = answer.json()
    return found


def test_what_a_threshold_costs_by_list(client: AtSite, at: Door) -> None:
    assert client.get(f"/bench/{at.detector}", headers=HTML).status_code == 200
    crew, barred = ask(client, at, "working")["working"]["lists"]
    assert (crew["name"], crew["members"], crew["threshold"]) == ("crew", 3, 80.0)
    assert (barred["false_a_day"], barred["right"]) == (1.0, 2)
    assert ["light", "backlight", 1] in barred["false_by"]
    assert (barred["fnmr"]["errors"], barred["fnmr"]["of"]) == (2, 4)
    assert (
        barred["fmr"]["of"] == 2 * (STRANGERS + 1 + 6) + 4
    )  # the crew is not on this list; each barred one and the other
    assert barred["passers"] == STRANGERS + 1 + 6
    assert barred["growth"]["measured"][:3] == [True, True, False]


def test_a_wish_becomes_a_threshold_and_says_what_would_prove_it(client: AtSite, at: Door) -> None:
    wished = ask(client, at, "working", wishes={"false_per_day": 0.143})["working"]["lists"][1]["wished"]
    assert wished["extrapolated"]
    assert wished["threshold"] == pytest.approx(84.5)
    assert "looks of people who are on no list" in wished["needs"]
    plain = ask(client, at, "working", wishes={"false_per_day": 40})["working"]["lists"][1]["wished"]
    assert not plain["extrapolated"]
    assert plain["threshold"] < 84.5
    refused = ask(client, at, "working", wishes={"false_per_day": 5000})["working"]["lists"][1]["wished"]
    assert "fewer false alarms a day than passers" in refused["refused"]


def test_curves_with_their_interval_and_the_same_counts(client: AtSite, at: Door) -> None:
    curves = ask(client, at, "curves")["curves"]
    crew = curves["lists"][0]
    assert sum(crew["mated"]) == crew["counts"][0] == 6
    assert sum(crew["non_mated"]) == crew["counts"][1]
    assert crew["band"] is not None
    assert len(crew["det"]["threshold"]) == len(crew["det"]["at"][0])
    assert crew["cautions"] == []


def test_people_groups_and_a_look(client: AtSite, at: Door) -> None:
    barred = ask(client, at, "people")["people"]["lists"][1]
    assert barred["pairs"][0] == ["s900", "x1", 84.5, 1, 1]
    assert [row[:3] for row in barred["people"]] == [["x1", 1, 2], ["x2", 1, 2]]
    assert {(g["column"], g["word"]) for g in barred["groups"]} == {("light", "even"), ("light", "backlight")}
    look = ask(client, at, "look", also={"look_s": 20_001})["look"]
    assert look["candidates"][0] == ["x1", 84.5, 0]
    assert "x1 of barred with 84.5 (threshold 80)" in look["said"]
    asked = {"take": at.take, "detector": DOCUMENT, "parts": ["look"], "also": {}}
    assert client.post(f"/bench/{at.detector}/judge", json=asked).status_code == 422


def test_a_threshold_of_this_camera_for_one_list(client: AtSite, at: Door) -> None:
    own = DOCUMENT | {"thresholds": {"barred": 85.0}}
    crew, barred = ask(client, at, "working", own=own)["working"]["lists"]
    assert (crew["threshold"], barred["threshold"], barred["own"]) == (80.0, 85.0, True)
    assert barred["false_a_day"] == 0
    asked = {"take": at.take, "detector": DOCUMENT | {"thresholds": {"nobody": 1.0}}, "parts": ["working"]}
    assert client.post(f"/bench/{at.detector}/judge", json=asked).status_code == 422


def test_a_list_has_its_threshold_and_keeps_its_sort(client: AtSite, at: Door) -> None:
    with transaction() as session:
        row = session.get_one(ListRow, at.lists["barred"])
        save_list(session, at.site, row.body | {"threshold": 90.0}, list_id=row.id, base=1, reason="w", user_id=at.user)
    assert ask(client, at, "working")["working"]["lists"][1]["threshold"] == 90.0
    with transaction() as session, pytest.raises(Refused, match="a list of the same sort"):
        plates = {"name": "barred", "entries": []}
        save_list(session, at.site, plates, list_id=at.lists["barred"], base=2, reason="w", user_id=at.user)
    page = client.get("/lists", headers=HTML)
    assert page.status_code == 200
    assert '"barred"' not in page.text  # it shows lists of plates


def test_a_list_that_is_renamed_takes_its_threshold_along(client: AtSite, at: Door) -> None:
    with transaction() as session:
        detector = session.get_one(DetectorRow, at.detector)
        detector.body = detector.body | {"thresholds": {"barred": 85.0}}
        row = session.get_one(ListRow, at.lists["barred"])
        save_list(
            session, at.site, row.body | {"name": "not let in"}, list_id=row.id, base=1, reason="w", user_id=at.user
        )
        assert detector.body["lists"] == ["crew", "not let in"]
        assert detector.body["thresholds"] == {"not let in": 85.0}


def test_a_take_of_an_older_version_is_stale(client: AtSite, at: Door, tmp_path: Path) -> None:
    assert ask(client, at, "judged")["judged"]["cautions"] == []
    with transaction() as session:
        take = session.get_one(TakeRow, at.take)
        take.facts = take.facts | {"algorithm": "x 1.2"}
    sidecar = {"format": "lantern-take/1", "name": "Later", "kind": "faces", "device": "F1", "algorithm": "x 1.3"}
    (tmp_path / "b.csv").write_text("t_s,probe,candidate,score,mated\n1,a,m1,80,1\n")
    (tmp_path / "b.csv.json").write_text(json.dumps(sidecar | {"start": "2026-03-05T00:00:00+01:00"}))
    import_path(tmp_path / "b.csv", site_id=at.site)
    [said] = ask(client, at, "judged")["judged"]["cautions"]
    assert said.startswith("Stale: made by x 1.2, and the newest take of this device by x 1.3")


def test_each_list_has_its_strip_and_its_rates_by_take(client: AtSite, at: Door) -> None:
    crew, barred = ask(client, at, "lists")["lists"]["lists"]
    assert crew["strip"]["low"] <= 0
    assert crew["strip"]["high"] >= 100
    assert [piece[2:4] for piece in barred["strip"]["pieces"]] != [piece[2:4] for piece in crew["strip"]["pieces"]]
    [here] = barred["takes"]
    assert (here["take"], here["here"], here["algorithm"]) == ("A day", True, None)
    assert here["fmr"]["share"] == pytest.approx(1 / (2 * (STRANGERS + 1 + 6) + 4))


def test_a_list_of_people_is_made_changed_restored_and_deleted(client: AtSite, at: Door) -> None:
    assert client.get("/people-lists", headers=HTML).status_code == 200
    body = {"name": "guests", "colour": "blue", "members": ["g1", "m1"], "ends": "2020-01-01", "threshold": 71.5}
    made = client.post("/people-lists", json=body).json()
    shown = client.get("/people-lists/all").json()
    assert [each["name"] for each in shown["lists"]] == ["barred", "crew", "guests"]
    said = {(each["code"], each["list"]) for each in shown["findings"]}
    assert {("unread", "guests"), ("list_ended", "guests"), ("on_two", "crew")} <= said
    address = f"/people-lists/{made['id']}"
    changed = client.put(f"{address}?base=1&reason=one+left", json=body | {"members": ["g1"]})
    assert changed.status_code == 200
    assert client.put(f"{address}?base=1&reason=late", json=body).status_code == 409
    newest = client.get("/people-lists/all").json()["changes"][0]
    assert (newest["name"], newest["came"], newest["went"]) == ("guests", 0, 1)
    first = next(each for each in client.get("/people-lists/all").json()["changes"] if each["number"] == 1)
    restored = first["id"] if first["name"] == "guests" else made["id"]
    assert client.post(f"/people-lists/revisions/{restored}/restore?base=2").status_code == 200
    assert client.post(f"/lists/revisions/{restored}/restore?base=3").status_code == 404  # it is no list of plates
    file = client.get(f"{address}/members.csv").text
    brought = client.put(f"{address}/members.csv?base=3&reason=file", content=file.encode() + b"g2\n")
    assert (brought.json()["members"], brought.json()["revision"]) == (3, 4)
    assert client.put(f"{address}/members.csv?base=4&reason=file", content=b"member\na\na\n").status_code == 422
    refused = client.post("/people-lists", json=body | {"name": "twice", "members": ["a", "a"]})
    assert refused.status_code == 422
    assert client.delete(f"{address}?base=4").status_code == 200
    assert client.delete(f"/people-lists/{at.lists['crew']}?base=1").status_code == 422  # a detector reads it


# ---- live ----


@pytest.fixture
def ingest(at: Door) -> Iterator[tuple[TestClient, Engine]]:
    engine = Engine()
    in_a_loop(engine.reload)
    with TestClient(make_ingest(engine)) as made:
        yield made, engine


def message(seq: int, t: float, name: str, score: float) -> dict[str, Any]:
    look = {"probe": f"q{seq}", "candidates": [[name, score], ["m3", 20.0]], "groups": {"light": "even"}}
    return {"format": "lantern-looks/1", "seq": seq, "t": t, "looks": [look]}


def test_a_look_over_http_lights_the_lamp_once(ingest: tuple[TestClient, Engine], client: AtSite, at: Door) -> None:
    camera, engine = ingest
    token, now = {"Authorization": f"Bearer {at.token}"}, time.time()

    def send(body: Any, headers: dict[str, str] = token) -> tuple[int, Any]:
        answer = camera.post("/ingest/F1", json=body, headers=headers)
        return answer.status_code, answer.json().get("taken")

    assert send(message(0, now, BARRED[0], 90.0), {"Authorization": "Bearer no"})[0] == 401
    assert send(message(0, now, BARRED[0], 90.0)) == (200, True)
    assert send(message(0, now, BARRED[0], 90.0)) == (200, False)  # a retried post is no second look
    assert send(message(1, now + 0.5, BARRED[0], 91.0)) == (200, True)  # held off
    assert send(message(2, now + 1.0, "m1", 79.9)) == (200, True)
    assert send(message(3, now + 1.5, "m1", 80.0)) == (200, True)
    assert send(message(4, now + 2.0, "", 80.0))[0] == 422
    state = engine.state(at.camera)
    assert (state["feed"]["received"], state["feed"]["again"], state["feed"]["unreadable"]) == (4, 1, 1)
    assert tuple(state["feed"]["looks"][0]["candidates"][0]) == ("m1", 80.0)
    with transaction() as session:
        events = session.scalars(select(EventRow).order_by(EventRow.id)).all()
        assert [(e.object, e.own["list"], e.outcome, e.cleared_by) for e in events] == [
            (BARRED[0], "barred", "fired", "reading"),
            ("m1", "crew", events[1].outcome, "reading"),
        ]
        assert [order.thing for order in session.scalars(select(OrderRow))] == ["lamp"]
    assert client.get(f"/walk/{at.detector}", headers=HTML).status_code == 200
    assert client.get("/events", headers=HTML).status_code == 200
