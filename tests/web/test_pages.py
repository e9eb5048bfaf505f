"""Pages and their answers over HTTP: what is stored, what is refused, and that each says what to do."""

from __future__ import annotations

import zlib
from collections.abc import Iterator

import numpy as np
import pytest
from fastapi.testclient import TestClient

from lantern.application.app import make_app
from lantern.db.base import transaction
from lantern.takes.tables import TakeRow
from seeded import Small
from takes_on_disk import DETECTOR, pictures, raw
from web.client import AtSite, words_of
from web.test_door import HTML, log_in


@pytest.fixture
def client(small: Small) -> Iterator[TestClient]:
    with AtSite(make_app(), follow_redirects=False) as made:
        made.headers["x-csrf-token"] = log_in(made)
        yield made


def test_a_frame_comes_as_the_camera_gave_it(client: TestClient, small: Small) -> None:
    answer = client.get(f"/takes/{small.take}/frames/12")
    got = np.frombuffer(answer.content, "<u2").reshape(6, 8)
    assert (got == raw(pictures())[12]).all()
    assert answer.headers["x-dtype"] == "uint16"
    assert client.get(f"/takes/{small.take}/frames/40").status_code == 404
    assert zlib.decompress(zlib.compress(b"x")) == b"x"


def test_judging_a_draft_stores_nothing(client: TestClient, small: Small) -> None:
    body = {
        "take": small.take,
        "detector": DETECTOR | {"dials": DETECTOR["dials"] | {"sustain_s": 9}},
        "parts": ["judged", "strips", "readings"],
    }
    answer = client.post(f"/bench/{small.detector}/judge", json=body).json()
    assert (answer["judged"]["card"]["misses"], answer["judged"]["card"]["false_alarms"]) == (1, 0)
    assert answer["judged"]["marks"][str(answer["judged"]["missed"][0])]["code"] == "too_short"
    assert set(answer) == {"judged", "strips", "readings"}
    assert "threshold_c" in answer["judged"]["matters"]
    assert answer["judged"]["line"] == {"dial": "threshold_c", "level": 50.0, "clears": 49.0}
    assert "revision 1" in client.get("/survey", headers=HTML).text


@pytest.mark.parametrize(
    ("change", "where"),
    [
        ({"dials": {"threshold_c": 1e9}}, "dials.threshold_c"),
        ({"dials": {"no_such": 1}}, "dials.no_such"),
        ({"regions": []}, "detector: regions"),
        ({"regions": [{"name": "a", "shape": "box", "points": [[0, 0], [99, 99]]}]}, "region a"),
        ({"regions": [{"name": "a", "shape": "ring", "points": [[0, 0]]}]}, "detector: regions.0.shape"),
    ],
)
def test_bad_drafts_say_where(client: TestClient, small: Small, change: dict, where: str) -> None:
    answer = client.post(f"/bench/{small.detector}/judge", json={"take": small.take, "detector": DETECTOR | change})
    assert answer.status_code == 422
    assert answer.json()["faults"][0]["where"] == where


def test_save_compare_restore_export(client: TestClient, small: Small) -> None:
    body = {"detector": DETECTOR | {"dials": {"threshold_c": 55}}, "reason": "hotter", "base": 1}
    assert client.post(f"/bench/{small.detector}/revisions", json=body).json()["revision"] == 2
    assert client.post(f"/bench/{small.detector}/revisions", json=body).status_code == 409
    page = client.get(f"/bench/{small.detector}/revisions?a=1&b=2", headers=HTML).text
    assert "Revision 1 against 2" in page
    assert "Threshold" in page
    assert client.post(f"/bench/{small.detector}/restore/1?base=1").status_code == 409
    assert client.post(f"/bench/{small.detector}/restore/1?base=2").json()["revision"] == 3
    assert client.get(f"/bench/{small.detector}/detector.json").json()["dials"]["threshold_c"] == 50
    assert client.get(f"/bench/{small.detector}/revisions?a=77", headers=HTML).status_code == 404


def test_marks_are_made_changed_exported_and_deleted(client: TestClient, small: Small) -> None:
    made = client.post(f"/takes/{small.take}/marks", json={"start_s": 1, "end_s": 2, "label": "ignore"}).json()
    changed = client.put(
        f"/marks/{made['id']}", json={"start_s": 1, "end_s": 3.5, "label": "quiet", "note": "x"}
    ).json()
    assert (changed["end_s"], changed["label"], changed["note"]) == (3.5, "quiet", "x")
    assert client.get(f"/takes/{small.take}/marks.csv").text.splitlines()[1] == "1,3.5,quiet,,x"
    assert (
        client.put(
            f"/takes/{small.take}/marks.csv", content=b"start_s,end_s,label,detector,note\n5,6,expect,,\n"
        ).json()["added"]
        == 1
    )
    assert client.delete(f"/marks/{made['id']}").status_code == 200
    for bad in (
        {"start_s": 3, "end_s": 1, "label": "expect"},
        {"start_s": 1, "end_s": 2, "label": "x"},
        {"start_s": 900, "end_s": 901, "label": "expect"},
    ):
        assert client.post(f"/takes/{small.take}/marks", json=bad).status_code == 422
    assert client.put(f"/takes/{small.take}/marks.csv", content=b"nonsense").status_code == 422


def test_timetables_and_links(client: TestClient, small: Small) -> None:
    made = client.post(
        "/timetables",
        json={"name": "nights", "zone": "Europe/Amsterdam", "hours": [{"day": 0, "start_min": 1320, "end_min": 360}]},
    ).json()
    assert made["summary"] == "8 h a week"
    hours = f"/timetables/{made['id']}"
    emptied = client.put(f"{hours}?base=1&reason=why", json={"name": "nights", "hours": []}).json()
    assert emptied["revision"] == 2
    late = client.put(f"{hours}?base=1&reason=why", json={"name": "days", "hours": []})
    assert (late.status_code, "saved meanwhile" in late.json()["message"]) == (409, True)
    assert emptied["summary"] == "never: this timetable has no hours"
    link = {"name": "second", "timetable": "nights", "effects": [{"output": "stop", "mode": "latched"}]}
    saved = client.post(f"/links/{small.detector}", json=link | {"detector": ""}).json()
    assert saved["timetable"] == "nights"
    assert client.delete(f"{hours}?base=2").status_code == 422  # a link goes by it
    own = f"/links/{small.detector}/{saved['id']}"
    assert client.put(f"{own}?base=1&reason=why", json=link | {"detector": "", "delay_s": 1}).json()["revision"] == 2
    assert client.put(f"{own}?base=1&reason=why", json=link | {"detector": "", "delay_s": 9}).status_code == 409
    assert client.delete(f"{own}?base=1").status_code == 409
    assert client.delete(f"{own}?base=2").status_code == 200
    assert client.delete(f"{hours}?base=1").status_code == 409
    assert client.delete(f"{hours}?base=2").status_code == 200
    bad = client.put(
        "/timetables/1?base=1&reason=shorter", json={"name": "x", "hours": [{"day": 0, "start_min": 60, "end_min": 60}]}
    )
    assert "write 00:00-24:00 for a whole day" in bad.json()["faults"][0]["expected"]


def test_deleting_a_take_leaves_the_detector(client: TestClient, small: Small) -> None:
    assert client.delete(f"/takes/{small.take}").status_code == 200
    page = client.get(f"/bench/{small.detector}", headers=HTML)
    assert "It has no evidence yet" in page.text
    assert "Import a take of T1" in page.text


def test_what_is_not_there_is_said_as_page_and_as_data(client: TestClient) -> None:
    assert "This site has no detector 99" in client.get("/bench/99", headers=HTML).text
    assert client.get("/bench/99").json() == {"message": "This site has no detector 99."}
    assert client.get("/bench/abc", headers=HTML).status_code == 404


def test_the_walk_page_says_when_the_engine_is_silent(
    client: TestClient, small: Small, monkeypatch: pytest.MonkeyPatch
) -> None:
    from lantern.settings import settings

    monkeypatch.setattr(settings(), "engine_url", "http://127.0.0.1:9")
    assert client.get(f"/devices/{small.camera}/frame").status_code == 503
    assert client.get(f"/walk/{small.detector}/events").json() == []


def test_a_stand_in_jumps_to_just_before_the_first_that_must_raise(client: TestClient, small: Small) -> None:
    page = f"/walk/{small.detector}"
    assert (
        '"jumpS":0.0' in client.get(page, headers=HTML).text
    )  # the mark is at 4 s, and the lead would begin before the take
    client.put("/marks/1", json={"start_s": 15, "end_s": 18, "label": "expect"})
    assert '"jumpS":9.0' in client.get(page, headers=HTML).text  # the quiet mark at 12 s does not count
    client.delete("/marks/1")
    assert '"jumpS":0.0' in client.get(page, headers=HTML).text


# ---- evidence --------------------------------------------------------------------------------------------------------


def test_all_parts_of_the_evidence_come_in_one_answer(client: TestClient, small: Small) -> None:
    body = {
        "take": small.take,
        "detector": DETECTOR,
        "parts": ["takes", "strips", "noise", "spot", "pixels"],
        "together": True,
        "wishes": {"false_per_day": 1, "delay_s": 20},
    }
    answer = client.post(f"/bench/{small.detector}/judge", json=body).json()
    assert answer["takes"]["together"]["hits"] == 1
    assert answer["strips"]["sustain_s"]["text"].endswith("no value shows the wishes met (false alarms)")
    assert "another statistic" in answer["strips"]["sustain_s"]["helps"][0]
    assert len(answer["pixels"]["all"]) == 48
    body["wishes"] = {"false_per_day": -1}
    assert client.post(f"/bench/{small.detector}/judge", json=body).json()["faults"][0]["where"] == "false_per_day"


def test_studies_are_asked_for_followed_and_cancelled(
    client: TestClient, small: Small, monkeypatch: pytest.MonkeyPatch
) -> None:
    queued: list[int] = []
    monkeypatch.setattr("lantern.tune.routes.defer_study", queued.append)
    asked = {"take": small.take, "detector": DETECTOR, "what": "map", "dial_x": "sustain_s", "dial_y": "threshold_c"}
    made = client.post(f"/bench/{small.detector}/studies", json=asked).json()
    assert (made["state"], queued) == ("waiting", [made["id"]])
    assert client.get(f"/studies/{made['id']}").json()["open"]
    assert client.post(f"/studies/{made['id']}/cancel").json()["state"] == "cancelled"
    assert client.post(f"/bench/{small.detector}/studies", json=asked | {"dial_y": "nonsense"}).status_code == 422
    assert client.get("/studies/999").status_code == 404
    page = client.get(f"/bench/{small.detector}", headers=HTML).text
    assert '"cancelled"' in page  # a reload shows where it stands


def test_the_scale_is_the_users_and_holds_everywhere(client: TestClient, small: Small) -> None:
    assert client.put("/me/scale", json={"scale": "°F"}).json() == {"scale": "°F"}
    assert client.put("/me/scale", json={"scale": "°R"}).status_code == 422
    page = client.get(f"/bench/{small.detector}", headers=HTML).text
    assert "Threshold in °F" in page
    assert '"factor":1.8' in page
    body = {"take": small.take, "detector": DETECTOR | {"dials": {"threshold_c": 70}}, "parts": ["judged", "strips"]}
    answer = client.post(f"/bench/{small.detector}/judge", json=body).json()
    [missed] = [m for m in answer["judged"]["marks"].values() if m["code"] == "below_threshold"]
    # 60 °C is 140 °F; 10 °C short are 18 °F
    assert missed["text"] == "all: peaked at 140.0 °F, 18.00 below the level of 158 °F."
    assert "°F" in answer["strips"]["threshold_c"]["text"]


def test_a_fan_and_a_reading_file(client: TestClient, small: Small) -> None:
    asked = {"take": small.take, "detector": DETECTOR, "region": "all", "material": "glass"}
    assert len(client.post(f"/bench/{small.detector}/fan", json=asked).json()["blades"]) == 9
    assert client.post(f"/bench/{small.detector}/fan", json=asked | {"region": "moon"}).status_code == 422
    lines = client.get(f"/bench/{small.detector}/reading.csv?take={small.take}").text.splitlines()
    assert (lines[0], lines[11]) == ("t_s,all", "5,60")


def test_comparing_two_revisions_on_the_same_take(client: TestClient, small: Small) -> None:
    body = {"detector": DETECTOR | {"dials": DETECTOR["dials"] | {"sustain_s": 9}}, "reason": "longer", "base": 1}
    client.post(f"/bench/{small.detector}/revisions", json=body)
    d = small.detector
    page = words_of(client.get(f"/compare?a={d}&b={d}", headers=HTML))
    assert "hot, revision 1 against T1 hot, revision 2" in page
    assert "2 only in the first, 0 only in the second" in page
    assert "Sustain" in page
    assert "Marks that only one catches on this take: 1 the first, 0 the second" in page
    assert client.get(f"/compare?a={d}&b={d}&ra=9", headers=HTML).status_code == 404


def test_a_take_is_set_aside_and_taken_back(client: TestClient, small: Small) -> None:
    for aside in (True, False):
        assert client.put(f"/takes/{small.take}/aside", json={"aside": aside}).json()["aside"] is aside
    assert client.put("/takes/99/aside", json={"aside": True}).status_code == 404


def test_people_are_only_counted_by_a_screening(client: TestClient, small: Small) -> None:
    answer = client.post(f"/bench/{small.detector}/people", json={"take": small.take, "detector": DETECTOR})
    assert "skin on a take of kind heat" in answer.json()["faults"][0]["expected"]


BROKEN = {
    "began before the year 1": "start = '0044-03-15 12:00+00 BC'",
    "began in year 1": "start = '0001-01-01 00:00+00'",
    "begins when nobody lives": "start = '9999-12-31 23:59+00'",
    "never began": "start = 'infinity'",
    "lasts no number of seconds": "length_s = 'NaN'",
    "lasts for ever": "length_s = 'Infinity'",
    "has fewer than no samples": "samples = -5",
    "has no size": 'facts = facts || \'{"width": null, "height": null}\'',
    "has no pixels that anybody knows": 'facts = facts || \'{"dtype": "int7"}\'',
    "was recorded as nobody records": """facts = facts || '{"recorded": {"mood": 3}}'""",
    "has other times than frames": "times = '\\x0102'",
    "is of no kind": "signal = 'smells'",
    "is said to be tracks": "signal = 'tracks'",
    "is said to be a series": "signal = 'series', facts = facts || '{\"columns\": [[1]]}'",
}


@pytest.mark.parametrize("what", BROKEN)
def test_a_row_that_nobody_checked_takes_no_page_with_it(client: TestClient, small: Small, what: str) -> None:
    """A take that is damaged in the store, beside a good one: every page is shown, and the take can be deleted."""
    with transaction() as session:
        values = ", ".join(c.name for c in TakeRow.__table__.columns if c.name != "id")
        connection = session.connection()
        connection.exec_driver_sql(f"INSERT INTO take ({values}) SELECT {values} FROM take WHERE id = {small.take}")
        connection.exec_driver_sql(f"UPDATE take SET {BROKEN[what]} WHERE id = {small.take + 1}")
        blocks = "first, count, data"
        connection.exec_driver_sql(
            f"INSERT INTO frame_block (take_id, {blocks}) SELECT {small.take + 1}, {blocks} FROM frame_block"
        )
        mark = f"({small.take + 1}, 'NaN', 'Infinity', 'expect', '', '')"
        columns = "take_id, start_s, end_s, label, detector, note"
        connection.exec_driver_sql(f"INSERT INTO mark ({columns}) VALUES {mark}")
    for page in ("/survey", "/takes", f"/bench/{small.detector}?take={small.take}", f"/walk/{small.detector}"):
        assert client.get(page, headers=HTML).status_code == 200, page
    for page in (f"/bench/{small.detector}", f"/rehearse/{small.detector}"):
        answer = client.get(f"{page}?take={small.take + 1}", headers=HTML)
        assert answer.status_code < 500, answer.text
    assert client.get(f"/takes/{small.take + 1}/frames/1").status_code < 500
    assert client.delete(f"/takes/{small.take + 1}").status_code == 200
    assert client.get(f"/takes/{small.take + 1}/marks.csv").status_code < 500
