"""The bench of plates over HTTP: passages, who voted what, truth, capture, a year; lists; the way to the coil, live."""

from __future__ import annotations

import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import orjson
import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select

from benches.plates.gate import DOCUMENT, Gate, gate
from lantern.application.app import make_app
from lantern.core.faults import Refused
from lantern.core.kinds import detector_of
from lantern.core.plates.reads import Read
from lantern.db.base import transaction
from lantern.lists.tables import ListRow
from lantern.live.app import make_ingest
from lantern.live.engine import Engine
from lantern.live.tables import EventRow, LateRow, OrderRow
from lantern.recordings import actions
from lantern.recordings.tables import RecordingRow
from lantern.revisions import revisions_of
from lantern.takes.store import value_of_take
from lantern.takes.tables import TakeRow, marks_of
from lantern.tune.actions import add_detector, restore_revision
from lantern.tune.tables import DetectorRow
from loops import in_a_loop
from web.client import AtSite
from web.test_door import HTML, log_in


@pytest.fixture
def at(database: str, tmp_path: Path) -> Gate:
    return gate(tmp_path)


@pytest.fixture
def client(at: Gate) -> AtSite:
    made = AtSite(make_app(), follow_redirects=False)
    made.headers["X-CSRF-Token"] = log_in(made)
    return made


def ask(client: AtSite, at: Gate, *parts: str, **also: Any) -> dict[str, Any]:
    asked = {"take": at.take, "detector": DOCUMENT, "parts": list(parts), "also": also}
    answer = client.post(f"/bench/{at.detector}/judge", json=asked)
    assert answer.status_code == 200, answer.text
    found: dict[str, Any] = answer.json()
    return found


def test_passages_with_the_read_that_decided_and_what_came_of_each(client: AtSite, at: Gate) -> None:
    assert client.get(f"/bench/{at.detector}", headers=HTML).status_code == 200
    found = ask(client, at, "reads", "passages", "judged")
    rows = found["passages"]["rows"]
    assert [(row["text"], row["list"], row["code"], row["decided"]) for row in rows] == [
        ("AB12CDE", "crews", "raised", 1),
        ("XY99ZZZ", "barred", "raised", 1),
        ("GH34JKL", None, "unlisted", None),
    ]
    assert [row["verdict"] for row in rows] == ["hit", "false", ""]
    assert [len(each["reads"]) for each in found["reads"]["passages"]] == [4, 4, 4]
    assert found["reads"]["light"] == [[0.0, 51.5, 0.0, "day, as the take says"]]
    outcomes = [event["outcome"]["code"] for event in found["judged"]["events"]]
    assert outcomes == ["fired", "other_region"]  # the barred one is on no list that the barrier's link hears
    assert [effect["output"] for effect in found["judged"]["effects"]] == ["barrier"]


def test_who_voted_what(client: AtSite, at: Gate) -> None:
    found = ask(client, at, "character", passage=0, place=2)["character"]
    assert [(s["symbol"], len(s["reads"]), s["taken"]) for s in found["symbols"]] == [("1", 4, True)]
    assert found["text"].startswith("All 4 reads that voted say 1")
    asked = {"take": at.take, "detector": DOCUMENT, "parts": ["character"], "also": {"passage": 9, "place": 0}}
    assert client.post(f"/bench/{at.detector}/judge", json=asked).status_code == 422


def test_what_a_plate_truly_was_is_typed_and_counted(client: AtSite, at: Gate) -> None:
    def say(text: str, vehicle: str = "v1", at_s: float = 10.0) -> int:
        body = {"object": vehicle, "at_s": at_s, "text": text}
        return client.put(f"/takes/{at.take}/truths", json=body).status_code

    assert say("ab12 cde") == 200
    assert say("XY99ZZ2", "v2", 30.0) == 200
    assert say("???") == 422
    found = ask(client, at, "truth", "passages")
    truth = found["truth"]
    assert truth["capture"] | {"low": 0, "high": 0} == {"k": 3, "n": 4, "low": 0, "high": 0}  # one was never read
    assert (truth["reading"]["k"], truth["reading"]["n"]) == (1, 2)
    assert (truth["characters"]["k"], truth["characters"]["n"]) == (13, 14)
    assert truth["confusions"] == [{"truth": "2", "read": "Z", "n": 4, "of": 8}]
    assert [row["correct"] for row in found["passages"]["rows"]] == [True, False, None]
    assert say("") == 200  # taken back
    assert ask(client, at, "truth")["truth"]["known"] == 1


def test_capture_by_light_and_a_year(client: AtSite, at: Gate) -> None:
    found = ask(client, at, "capture", "year", passages_a_year=1000, wish_a_year=10)
    by = found["capture"]["by"]
    assert set(by) == {"all", "day"}
    # By hand: plates are 60 to 78 px wide, 12.81 to 16.65 px high; characters 79 of 111 mm of that.
    assert by["all"]["character_px"]["least"] == pytest.approx(60 * 111 / 520 * 79 / 111)
    assert by["all"]["ways"] == {"towards": 3, "away": 0, "unknown": 0}
    assert by["all"]["angle_deg"]["middle"] == pytest.approx(0, abs=1e-3)
    year = found["year"]
    assert (year["year"]["seen"], year["year"]["passages"], year["year"]["a_year"]) == (1, 2, 500)
    assert year["passages_needed"] == pytest.approx(299.57, abs=0.01)  # 3.00 N / n, the rule of three


def test_a_list_changes_and_the_detector_sees_it(client: AtSite, at: Gate) -> None:
    page = client.get("/lists", headers=HTML)
    assert page.status_code == 200
    shown = client.get("/lists/all").json()
    crews = next(held for held in shown["lists"] if held["name"] == "crews")
    assert crews["readers"] == ["in"]
    body = {key: crews[key] for key in ("name", "colour", "purpose", "ends")}
    entries = [{k: e[k] for k in ("text", "from", "until", "note", "id")} for e in crews["entries"]]
    body["entries"] = [*entries, {"text": "GH34JKL", "from": None, "until": "2026-03-03", "note": None}]
    where = f"/lists/{crews['id']}"
    assert client.put(f"{where}?base=1&reason=", json=body).status_code == 422
    assert client.put(f"{where}?base=1&reason=a+new+van", json=body).json()["revision"] == 2
    assert client.put(f"{where}?base=1&reason=late", json=body).status_code == 409
    rows = ask(client, at, "passages")["passages"]["rows"]
    assert (rows[2]["code"], "ended on 2026-03-03" in rows[2]["said"]) == ("expired", True)
    says = [finding["code"] for finding in client.get("/lists/all").json()["findings"]]
    assert says.count("ended") == 1
    taken = client.delete(f"{where}?base=2")
    assert (taken.status_code, "is read by in" in taken.text) == (422, True)


def test_a_list_that_is_renamed_stays_with_its_detectors(client: AtSite, at: Gate) -> None:
    body = {"name": "staff", "entries": [{"text": "AB12CDE", "id": "one"}]}
    where = f"/lists/{at.lists['crews']}?base=1&reason=clearer"
    assert client.put(where, json=body).json()["revision"] == 2
    with transaction() as session:
        [newest, first] = revisions_of(session, "detector", [at.detector])
        assert (newest.document["lists"], newest.reason) == (["staff", "barred"], "crews is called staff now.")
        assert newest.scores == first.scores


def test_entries_go_out_and_in_as_csv(client: AtSite, at: Gate) -> None:
    where = f"/lists/{at.lists['crews']}/entries.csv"
    text = client.get(where).text
    assert text == "text,from,until,note\nAB12 CDE,,,the blue van\n"
    more = text + "GH34JKL,2026-03-01,2026-12-31,=not a formula\n"
    assert client.put(f"{where}?base=1&reason=yearly", content=more.encode()).json()["entries"] == 2
    assert "'=not a formula" in client.get(where).text
    bad = client.put(f"{where}?base=2&reason=x", content=b"text,from,until,note\nAB,2026-13-01,,\n,,,\n")
    assert [fault["where"] for fault in bad.json()["faults"]] == [
        "list file, line 2, from",
        "list file, line 3, text",
    ]
    with transaction() as session:
        [second, first] = revisions_of(session, "list", [at.lists["crews"]])
        ids = [entry["id"] for entry in second.document["entries"]]
        assert ids[0] == first.document["entries"][0]["id"] == "one"


def test_an_entry_that_is_removed_is_gone_everywhere_and_stays_gone(client: AtSite, at: Gate) -> None:
    where = f"/lists/{at.lists['crews']}"
    gone = client.delete(f"{where}/entries/one?base=1").json()
    assert gone == {"revisions": 1, "events": 0, "reads": 4}
    with transaction() as session:
        revisions = revisions_of(session, "list", [at.lists["crews"]])
        assert [entry["text"] for saved in revisions for entry in saved.document["entries"]] == [""]
        assert [entry["id"] for saved in revisions for entry in saved.document["entries"]] == ["one"]
        reads = value_of_take(session, session.get_one(TakeRow, at.take))
        assert set(reads.text) == {"", "XY99ZZZ", "GH34JKL"}
        assert [mark.note for mark in marks_of(session, at.take)] == ["", "MN56PQR"]
        old = next(saved.id for saved in revisions if saved.number == 1)
    assert client.post(f"/lists/revisions/{old}/restore?base=2").json()["revision"] == 3
    shown = client.get("/lists/all").json()
    assert next(held for held in shown["lists"] if held["name"] == "crews")["entries"] == []
    assert b"AB12" not in orjson.dumps(shown)
    assert client.delete(f"{where}/entries/one?base=3").status_code == 422


# ---- live ------------------------------------------------------------------------------------------------------------


@pytest.fixture
def ingest(at: Gate) -> Iterator[tuple[TestClient, Engine]]:
    engine = Engine()
    in_a_loop(engine.reload)
    with TestClient(make_ingest(engine)) as made:
        yield made, engine


def message(seq: int, t: float, text: str = "AB12CDE", vehicle: str = "v1") -> dict[str, Any]:
    read = {"vehicle": vehicle, "text": text, "confidence": 0.95, "box": [100, 100, 60, 13]}
    return {"format": "lantern-reads/1", "seq": seq, "t": t, "reads": [read]}


def test_reads_over_http_open_the_barrier_once(ingest: tuple[TestClient, Engine], client: AtSite, at: Gate) -> None:
    reader, engine = ingest
    token, now = {"Authorization": f"Bearer {at.token}"}, time.time()

    def send(body: Any, headers: dict[str, str] = token) -> tuple[int, Any]:
        answer = reader.post("/ingest/P1", json=body, headers=headers)
        return answer.status_code, answer.json().get("taken")

    assert send(message(0, now), {"Authorization": "Bearer no"})[0] == 401
    assert send(message(0, now)) == (200, True)
    assert send(message(0, now)) == (200, False)  # it comes again
    assert send(message(1, now + 0.2)) == (200, True)
    assert send(message(2, now + 0.4)) == (200, True)
    assert send({"format": "lantern-reads/1", "seq": 3, "t": now, "reads": [{"vehicle": "v1"}]})[0] == 422
    assert send(message(4, now - 30, vehicle="v9")) == (200, True)  # older than the last: kept, and nothing more
    assert send(message(5, now + 1, "XY99ZZZ", "v2")) == (200, True)
    assert send(message(6, now + 1.2, "XY99ZZZ", "v2")) == (200, True)
    assert send(message(7, now + 1.1, "XY99ZZZ", "v2")) == (200, True)  # it took a little longer than the last one
    state = engine.state(at.reader)["feed"]
    assert (state["received"], state["again"], state["dropped"], state["unreadable"]) == (5, 1, 2, 1)
    assert [each["texts"] for each in client.get(f"/walk/{at.detector}/late").json()] == [["XY99ZZZ"], ["AB12CDE"]]
    with transaction() as session:
        events = session.scalars(select(EventRow).order_by(EventRow.id)).all()
        assert [(e.object, e.own["list"], e.outcome) for e in events] == [
            ("v1", "crews", "fired"),
            ("v2", "barred", "no link listens"),
        ]
        assert [order.thing for order in session.scalars(select(OrderRow))] == ["barrier"]


def test_reads_that_come_late_open_nothing(ingest: tuple[TestClient, Engine], at: Gate) -> None:
    client, engine = ingest
    token, then = {"Authorization": f"Bearer {at.token}"}, time.time() - 20
    for seq in range(4):
        assert client.post("/ingest/P1", json=message(seq, then + seq / 5), headers=token).json()["taken"]
    assert engine.state(at.reader)["feed"]["late"] == 4
    delayed = message(2, then + 0.1, "AB12 CDE", "v7")  # it took longer on its way than the ones after it
    assert client.post("/ingest/P1", json=delayed, headers=token).json()["taken"]
    assert not client.post("/ingest/P1", json=delayed, headers=token).json()["taken"]  # and comes again
    with transaction() as session:
        assert session.scalars(select(EventRow)).all() == []


def test_what_came_late_is_shown_and_blanked_with_its_entry(
    ingest: tuple[TestClient, Engine], client: AtSite, at: Gate
) -> None:
    token, then = {"Authorization": f"Bearer {at.token}"}, time.time() - 20
    for seq, text in enumerate(("AB12CDE", "XY99ZZZ")):
        ingest[0].post("/ingest/P1", json=message(seq, then + seq, text), headers=token)
    shown = client.get(f"/walk/{at.detector}/late").json()
    assert [(each["texts"], each["late_s"] > 18) for each in shown] == [(["XY99ZZZ"], True), (["AB12CDE"], True)]
    assert client.delete(f"/lists/{at.lists['crews']}/entries/one?base=1").json()["reads"] == 5
    assert [each["texts"] for each in client.get(f"/walk/{at.detector}/late").json()] == [["XY99ZZZ"], ["removed"]]
    with transaction() as session:
        [late] = [row for row in session.scalars(select(LateRow)) if row.body["reads"][0]["text"] == ""]
        assert late.body["reads"][0]["vehicle"] == "v1"


def test_an_entry_that_is_removed_is_gone_from_a_recording_under_way(client: AtSite, at: Gate) -> None:
    now = time.time()
    number = actions.begin(at.reader, "plates", why="by hand", t0=now, came=now)
    for second, text in enumerate(("AB 12 CDE", "XY99ZZZ", "")):
        seen = [Read("v1", text, 0.9)] if text else []
        actions.add_part(number, [(float(second), seen)], {"frame_px": (1920, 1080)})
    assert client.delete(f"/lists/{at.lists['crews']}/entries/one?base=1").json()["reads"] == 4 + 1
    actions.end(number, "stopped by hand", 0.0)
    actions.make_take(number)
    with transaction() as session:
        take = session.get_one(RecordingRow, number).take
        assert take is not None
        assert value_of_take(session, take).text == ("", "XY99ZZZ")


def test_lists_in_a_detectors_own_file_become_lists_of_the_site(client: AtSite, at: Gate) -> None:
    """So that an entry that is removed is found; and the file that goes out again has them."""
    own = {"name": "staff", "entries": [{"text": "ZZ11ZZZ", "note": "the baker"}]}

    def add(name: str, lists: list[Any]) -> int:
        with transaction() as session:
            made = detector_of(DOCUMENT | {"name": name, "lists": lists})
            return add_detector(session, device_id=at.reader, detector=made, reason="first", user_id=None).id

    first, _ = add("one", [own, "barred"]), add("two", [own])
    with pytest.raises(Refused, match="'staff' is another list"):
        add("three", [{"name": "staff", "entries": []}])
    document = client.get(f"/bench/{first}/detector.json").json()
    assert [held["name"] for held in document["lists"]] == ["staff", "barred"]
    [entry] = document["lists"][0]["entries"]
    with transaction() as session:
        row = session.scalars(select(ListRow).where(ListRow.name == "staff")).one()
        [saved] = revisions_of(session, "detector", [first])
        assert saved.document["lists"] == ["staff", "barred"]
        saved.body = saved.document | {"lists": [own]}  # as an earlier program kept it
        where = f"/lists/{row.id}"
    assert client.delete(f"{where}/entries/{entry['id']}?base=1").json()["revisions"] == 2
    with transaction() as session:
        [saved] = revisions_of(session, "detector", [first])
        assert saved.document["lists"][0]["entries"] == [{"text": "", "note": None}]
        row = session.get_one(DetectorRow, first)
        back = restore_revision(session, row, 1, user_id=None, base=1)  # and what was removed is not had again
        assert back.document["lists"] == ["staff"]
        assert session.scalars(select(ListRow).where(ListRow.name == "staff")).one().body["entries"] == []


def test_a_detector_that_names_no_list_of_the_site_is_refused(at: Gate) -> None:
    with transaction() as session, pytest.raises(Refused, match="the site has no list 'staff'"):
        made = detector_of(DOCUMENT | {"name": "other", "lists": ["staff"]})
        add_detector(session, device_id=at.reader, detector=made, reason="first", user_id=None)
