"""Scene pages and their answers over HTTP: tracks, verdicts, classes, counts by hand, the line search, one object's life."""

from __future__ import annotations

import json
import struct
from collections.abc import Iterator
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import httpx
import numpy as np
import pytest
from fastapi.testclient import TestClient
from sqlalchemy import delete

from lantern.application.app import make_app
from lantern.benches.objects import walk_routes
from lantern.core.events import Detector, Region
from lantern.core.objects.verdicts.sighted import ORDER
from lantern.db.base import transaction
from lantern.people.tables import add_user
from lantern.register.tables import device_by_code
from lantern.sites.actions import add_site
from lantern.takes.actions import import_path
from lantern.takes.tables import MarkRow, TakeRow
from lantern.tune.actions import add_detector
from lantern.tune.studies import run_study
from lantern.walk.tables import WalkTestRow
from takes.test_tracks_store import SITE, take_of_tracks
from web.client import AtSite
from web.test_door import HTML, log_in

LINE = Region(name="line", shape="line", points=((32, 48), (32, 0)))  # upwards: A on the left


@dataclass
class Pier:
    take: int
    detector: int
    body: dict[str, Any]


def walkers(folder: Path) -> Path:
    """Six who walk to the right, a second after one another, in a picture of 64 x 48 px; the last is a trolley."""
    path = take_of_tracks(folder)
    rows = [f"{i * 10 + k + 1},{i + 1},{4 * k},20,8,8,0.9,{2 if i == 5 else 1},1" for k in range(14) for i in range(6)]
    (path / "tracks.csv").write_text("\n".join(sorted(rows, key=lambda r: int(r.split(",")[0]))) + "\n")
    return path


@pytest.fixture
def pier(database: str, tmp_path: Path) -> Pier:
    with transaction() as session:
        user = add_user(session, login="ida", name="Ida Test", password="open sesame", administrator=True).id
        site = add_site(session, SITE).id
    take = import_path(walkers(tmp_path / "t"), site_id=site)
    with transaction() as session:
        device = device_by_code(session, site, "C1")
        assert device is not None
        dials = {"anchor": "centre", "band": 1.0, "rearm_s": 0.0, "classes": ["person"]}
        model = Detector(name="people", kind="count", device="C1", regions=(LINE,), dials=dials)
        row = add_detector(session, device_id=device.id, detector=model, reason="first", user_id=user)
        return Pier(take, row.id, model.model_dump(mode="json"))


@pytest.fixture
def client(pier: Pier) -> Iterator[TestClient]:
    with AtSite(make_app(), follow_redirects=False) as made:
        made.headers["x-csrf-token"] = log_in(made)
        yield made


def judge(client: TestClient, pier: Pier, *parts: str, **extra: Any) -> dict[str, Any]:
    body = {"take": pier.take, "detector": pier.body, "parts": list(parts), **extra}
    answer = client.post(f"/bench/{pier.detector}/judge", json=body)
    assert answer.status_code == 200, answer.text
    found: dict[str, Any] = answer.json()
    return found


def test_pages_of_a_scene(client: TestClient, pier: Pier) -> None:
    page = client.get(f"/bench/{pier.detector}", headers=HTML).text
    assert "The scene with its tracks" in page
    assert "Heat image" not in page
    assert "tally by hand" in page
    for path in (
        f"/rehearse/{pier.detector}",
        f"/walk/{pier.detector}",
        f"/links/{pier.detector}",
        "/takes",
        "/survey",
        f"/compare?a={pier.detector}&b={pier.detector}",
    ):
        assert client.get(path, headers=HTML).status_code == 200, path
    assert "occupancy" in client.get(f"/links/{pier.detector}", headers=HTML).text


def test_tracks_and_still_as_they_came(client: TestClient, pier: Pier) -> None:
    data = client.get(f"/takes/{pier.take}/tracks").content
    (length,) = struct.unpack("<I", data[:4])
    header = json.loads(data[4 : 4 + length])
    assert (header["samples"], header["ids"], header["classes"]) == (84, list("123456"), ["person", "trolley"])
    t_s = np.frombuffer(data, "<f4", 84, 4 + length)
    box = np.frombuffer(data, "<f4", 4 * 84, 4 + length + 4 * 84).reshape(-1, 4)
    assert t_s[:3] == pytest.approx([0, 0.1, 0.2])
    assert box[1].tolist() == [4, 20, 8, 8]
    still = client.get(f"/takes/{pier.take}/still")
    assert (still.status_code, still.headers["content-type"]) == (200, "image/png")
    assert client.get("/takes/999/tracks").status_code == 404
    assert client.get(f"/takes/{pier.take}/frames/0").status_code == 404


def test_what_became_of_each_and_what_classes_are_worth(client: TestClient, pier: Pier) -> None:
    found = judge(client, pier, "judged", "objects", "beside", "strips")
    assert [found["objects"].count(ORDER.index(code)) for code in ("raised", "class")] == [5, 1]
    assert [(c["name"], c["counts"], c["raises"]) for c in found["beside"]["classes"]] == [
        ("person", True, 5),
        ("trolley", False, 1),
    ]
    assert found["judged"]["line"] is None
    assert {"band", "rearm_s", "gap_s"} <= set(found["strips"])
    assert found["beside"]["maps"]["presence"]["most_s"] >= found["beside"]["maps"]["dwell"]["most_s"] > 0
    life = client.post(f"/bench/{pier.detector}/object/6", json={"take": pier.take, "detector": pier.body}).json()
    assert (life["verdict"]["code"], life["samples"]) == ("class", 14)
    gone = client.post(f"/bench/{pier.detector}/object/77", json={"take": pier.take, "detector": pier.body})
    assert gone.status_code == 422
    assert "no object 77" in gone.json()["faults"][0]["what"]


def test_counts_by_hand_come_go_and_are_held_against(client: TestClient, pier: Pier) -> None:
    assert judge(client, pier, "counts")["counts"]["observers"] == []
    made = client.post(
        f"/takes/{pier.take}/tallies", json={"who": "Ida", "passages": [[1.0, "in"], [2.0, "in"], [3, "out"]]}
    )
    counts = judge(client, pier, "counts", also={"every_s": 60})["counts"]
    assert (counts["who"], counts["observers"][0]["what"]) == (made.json()["id"], "tally")
    assert (counts["audit"]["in"]["counted"], counts["audit"]["in"]["by_hand"], counts["inside"]) == (5, 2, 5)
    assert counts["needs"]["has"] == 3
    assert (counts["needs"]["enough"], counts["cautions"]) == (False, [])
    other = client.post(f"/takes/{pier.take}/tallies", json={"who": "Bo", "passages": [[1.0, "in"], [3.0, "out"]]})
    [words] = judge(client, pier, "counts", also={"who": made.json()["id"]})["counts"]["cautions"]
    assert "differ by 40.0 %: more than the 1 %" in words  # one passage of two and a half on average
    client.delete(f"/counts/{other.json()['id']}")
    text = client.get(f"/counts/{made.json()['id']}.csv").text
    assert text.splitlines() == ["start_s,end_s,in,out", "0,60,2,1"]
    by_file = client.put(f"/takes/{pier.take}/counts.csv?who=file", content=b"start_s,end_s,in,out\n0,6.5,5,0\n")
    counts = judge(client, pier, "counts", also={"who": by_file.json()["id"]})["counts"]
    assert (counts["audit"]["in"]["bias"], len(counts["observers"])) == (0.0, 2)
    assert counts["cautions"] == []
    turned = client.put(f"/takes/{pier.take}/counts.csv?who=turned", content=b"start_s,end_s,in,out\n0,6.5,0,5\n")
    [words] = judge(client, pier, "counts", also={"who": turned.json()["id"]})["counts"]["cautions"]
    assert "wrong way round" in words
    assert client.delete(f"/counts/{by_file.json()['id']}").status_code == 200
    assert client.delete("/counts/999").status_code == 404


@pytest.mark.parametrize(
    ("body", "what"),
    [
        ({"who": "", "passages": []}, "who"),
        ({"who": "Ida", "passages": [[99999, "in"]]}, "within the take"),
        ({"who": "Ida", "passages": [[1, "up"]]}, "passages"),
    ],
)
def test_a_bad_tally_is_refused(client: TestClient, pier: Pier, body: dict[str, Any], what: str) -> None:
    answer = client.post(f"/takes/{pier.take}/tallies", json=body)
    assert answer.status_code == 422
    assert what in answer.text


def test_what_raises_while_its_link_sleeps_says_so(client: TestClient, pier: Pier) -> None:
    never = {"name": "never", "zone": "Europe/Amsterdam", "hours": []}
    assert client.post("/timetables", json=never).status_code == 200
    link = {"name": "asleep", "detector": "", "timetable": "never", "effects": []}
    assert client.post(f"/links/{pier.detector}", json=link).status_code == 200
    found = judge(client, pier, "objects")["objects"]
    assert [found.count(ORDER.index(code)) for code in ("raised", "outside_hours")] == [0, 5]


def test_a_bad_file_of_counts_is_refused(client: TestClient, pier: Pier) -> None:
    for content, what in (
        (b"a,b\n1,2\n", "another header"),
        (b"start_s,end_s,in,out\n0,5,-1,0\n", "whole number"),
        (b"start_s,end_s,in,out\n0,9999,1,0\n", "after the take"),
    ):
        answer = client.put(f"/takes/{pier.take}/counts.csv", content=content)
        assert answer.status_code == 422
        assert what in answer.text


def test_the_line_search_is_a_job(client: TestClient, pier: Pier) -> None:
    ask = {"take": pier.take, "detector": pier.body, "what": "line"}
    study = client.post(f"/bench/{pier.detector}/studies", json=ask).json()
    run_study(study["id"])
    refused = client.get(f"/studies/{study['id']}").json()
    assert (refused["state"], refused["faults"][0]["where"]) == ("refused", "hand counts")
    client.post(f"/takes/{pier.take}/tallies", json={"who": "Ida", "passages": [[i + 0.8, "in"] for i in range(5)]})
    study = client.post(f"/bench/{pier.detector}/studies", json=ask).json()
    run_study(study["id"])
    done = client.get(f"/studies/{study['id']}").json()
    assert done["state"] == "done"
    assert done["result"]["passages"] == 5
    assert done["result"]["caution"].startswith("1 take with 5 passages: at least 3 takes")
    moved = client.post(
        f"/bench/{pier.detector}/line", json={"take": pier.take, "detector": pier.body, "offset_px": 10, "angle_deg": 0}
    )
    assert moved.json()["points"] == [[42.0, 48.0], [42.0, 0.0]]
    far = client.post(
        f"/bench/{pier.detector}/line",
        json={"take": pier.take, "detector": pier.body, "offset_px": 900, "angle_deg": 0},
    )
    assert far.status_code == 422


def test_a_take_of_nobody_opens_and_says_so(client: TestClient, pier: Pier, tmp_path: Path) -> None:
    path = take_of_tracks(tmp_path / "empty", data="stream.xml", fps=None, still=None)
    frame = '<tt:Frame UtcTime="2026-03-07T05:20:{:02d}Z"/>'
    frames = "".join(frame.format(i) for i in range(5))
    (path / "stream.xml").write_text(
        f'<tt:MetadataStream xmlns:tt="http://www.onvif.org/ver10/schema"><tt:VideoAnalytics>{frames}</tt:VideoAnalytics></tt:MetadataStream>'
    )
    take = import_path(path, site_id=1)
    assert client.get(f"/bench/{pier.detector}?take={take}", headers=HTML).status_code == 200
    body = {
        "take": take,
        "detector": pier.body,
        "parts": ["judged", "objects", "beside", "strips", "readings", "counts"],
    }
    found = client.post(f"/bench/{pier.detector}/judge", json=body).json()
    assert (found["objects"], found["judged"]["events"], found["beside"]["classes"]) == ([], [], [])
    assert found["counts"]["audit"]["in"]["counted"] == 0
    struct.unpack("<I", client.get(f"/takes/{take}/tracks").content[:4])


def test_points_on_a_plan_are_seen_in_metres(client: TestClient, pier: Pier, tmp_path: Path) -> None:
    path = take_of_tracks(
        tmp_path / "plan", kind="plan-tracks", data="plan.csv", fps=None, width=None, height=None, still=None
    )
    (path / "plan.csv").write_text("t_s,id,x_m,y_m,class\n0,a,1,5,person\n1,a,3,5,person\n2,a,9.5,5,person\n")
    take = import_path(path, site_id=1)
    with transaction() as session:
        row = session.get_one(TakeRow, take)
        assert (row.signal, row.width, row.height, row.samples) == ("plan-tracks", 11, 6, 3)
    line = {"name": "line", "shape": "line", "points": [[5, 6], [5, 0]]}
    body = {"take": take, "detector": pier.body | {"regions": [line]}, "parts": ["judged", "objects"]}
    found = client.post(f"/bench/{pier.detector}/judge", json=body).json()
    assert [(e["raised_s"], e["object"], e["direction"]) for e in found["judged"]["events"]] == [(2.0, "a", "in")]


def test_a_part_of_another_bench_is_refused_with_those_there_are(client: TestClient, pier: Pier) -> None:
    answer = client.post(
        f"/bench/{pier.detector}/judge", json={"take": pier.take, "detector": pier.body, "parts": ["noise"]}
    )
    assert answer.status_code == 422
    assert "one that this bench has: objects, beside, counts" in answer.text


def test_what_is_asked_beside_a_state_ends_once_the_page_tells_a_later_one(client: TestClient, pier: Pier) -> None:
    address = f"/bench/{pier.detector}/judge"
    body = {
        "take": pier.take,
        "detector": pier.body,
        "parts": ["strips"],
        "strips": ["gap_s"],
        "page": "one",
        "turn": 1,
    }
    assert "gap_s" in client.post(address, json=body).json()["strips"]
    assert client.post(address, json=body | {"turn": 2, "parts": ["objects"]}).status_code == 200
    late = client.post(address, json=body)
    assert (late.status_code, late.json()["superseded"]) == (409, True)
    assert (
        client.post(address, json=body | {"parts": ["judged"]}).status_code == 200
    )  # the score is told whatever comes
    assert client.post(address, json=body | {"page": "another"}).status_code == 200
    assert client.post(address, json=body | {"turn": 3}).status_code == 200


def test_a_raise_that_no_mark_allows_is_told_apart_once_somebody_has_marked(client: TestClient, pier: Pier) -> None:
    """Without any mark a raise is a raise; with one over a single passage the other four are false."""

    def count(code: str) -> int:
        found: int = judge(client, pier, "objects")["objects"].count(ORDER.index(code))
        return found

    with transaction() as session:
        session.execute(delete(MarkRow))
    assert (count("raised"), count("raised_false")) == (5, 0)
    first = judge(client, pier, "judged")["judged"]["events"][0]["raised_s"]
    mark = {"start_s": max(first - 0.05, 0), "end_s": first + 0.05, "label": "expect"}
    assert client.post(f"/takes/{pier.take}/marks", json=mark).status_code == 200
    assert (count("raised"), count("raised_false")) == (1, 4)


def test_one_in_one_out_is_decided_by_the_server_and_kept(
    client: TestClient, pier: Pier, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Who passed is what the engine says; the verdict stands, whatever is counted afterwards."""
    counted = {"in": 16, "out": 2}

    def state(method: str, path: str) -> httpx.Response:
        content = {"detectors": [{"id": pier.detector, "readings": {"inside": 9, **counted}}]}
        return httpx.Response(200, json=content)

    monkeypatch.setattr(walk_routes, "ask_engine", state)
    began = client.post(f"/walk/{pier.detector}/passages").json()
    assert (began["open"], began["words"]) == (True, "nobody in yet, nobody out yet")
    address = f"/walk/{pier.detector}/passages/{began['id']}"
    counted["in"] = 17
    assert client.put(address).json()["words"] == "one in: right, nobody out yet"
    counted["out"] = 3
    done = client.put(address).json()
    assert (done["open"], done["verdict"]) == (False, "right")
    assert done["words"].startswith("one in: right, one out: right. Verified. Ida Test, 20")
    counted["in"] = 30
    assert client.put(address).json() == done
    with transaction() as session:
        row = session.get_one(WalkTestRow, began["id"])
        assert (row.verdict, row.revision, row.began_with, row.user.login) == ("right", 1, {"in": 16, "out": 2}, "ida")
    assert client.put(f"/walk/{pier.detector}/passages/999").status_code == 404
    monkeypatch.setattr(walk_routes, "ask_engine", lambda *a: httpx.Response(200, json={"detectors": []}))
    assert "counts nobody now" in client.post(f"/walk/{pier.detector}/passages").text
