"""Recording over HTTP: when a device is recorded, what was said of events, the reminder after a day, the clock, the files."""

from __future__ import annotations

import time
from datetime import UTC, datetime, timedelta
from pathlib import Path

import numpy as np
import pytest
from sqlalchemy import select

from lantern.application.app import make_app
from lantern.core.faults import Refused
from lantern.core.kinds import watch
from lantern.core.signals import frames_of
from lantern.core.watch import Sample
from lantern.db.base import now, transaction
from lantern.links.actions import delete_timetable, save_timetable
from lantern.links.tables import TimetableRow, timetables_of
from lantern.live.engine import Engine
from lantern.live.late import keep_late
from lantern.live.plans import load_plans
from lantern.live.tables import EventRow
from lantern.recordings import actions
from lantern.recordings.tables import RecordingPlanRow, RecordingRow
from lantern.sites.actions import remove_site
from lantern.sites.tables import SiteRow
from lantern.takes.tables import TakeRow
from lantern.tune.actions import rejudge
from lantern.tune.tables import DetectorRow
from loops import in_a_loop
from recordings.test_recordings import recorded, warm
from seeded import Small
from web.client import AtSite
from web.test_door import HTML, log_in


@pytest.fixture
def client(small: Small) -> AtSite:
    made = AtSite(make_app(), follow_redirects=False)
    made.headers["X-CSRF-Token"] = log_in(made)
    return made


def test_when_a_device_is_recorded_is_set_and_the_engine_takes_it_up(client: AtSite, small: Small) -> None:
    where = f"/devices/{small.camera}/recording"
    told = client.get(where).json()
    assert (told["plan"]["around"], told["recordings"], told["room_mb"], told["live"]) == (False, [], 10_000, None)
    wanted = {"around": True, "before_s": 3, "after_s": 4, "timetable": "always on"}
    assert client.put(f"{where}/plan", json=wanted).json() == wanted | {"wide": None}
    for wrong, words in (
        (wanted | {"timetable": "gone"}, "no timetable 'gone'"),
        (wanted | {"before_s": -1}, "before_s"),
        (wanted | {"after_s": 1e9}, "after_s"),
    ):
        answer = client.put(f"{where}/plan", json=wrong)
        assert (answer.status_code, words in answer.text) == (422, True)
    assert client.put("/recording/room", json={"mb": 0}).status_code == 422
    assert client.put("/recording/room", json={"mb": 50}).json() == {"room_mb": 50}
    plan = load_plans().recordings[small.camera]
    assert (plan.around, plan.ring_s, plan.after_s, plan.hours is not None) == (True, 3.0, 4.0, True)
    assert client.post(where, json={"minutes": 0}).status_code == 422
    with transaction() as session:
        [hours] = timetables_of(session, small.site)
        renamed = hours.body | {"name": "round the clock"}
        save_timetable(session, small.site, renamed, timetable_id=hours.id, base=hours.revision, reason="plainer")
    with transaction() as session, pytest.raises(Refused, match="the recording of T1"):
        delete_timetable(session, session.get_one(TimetableRow, hours.id), reason="gone", user_id=None)
    assert client.get(where).json()["plan"]["timetable"] == "round the clock"
    assert client.post(where, json={"minutes": 1}).status_code == 503  # no engine runs here

    async def in_hours() -> str:
        engine = Engine()
        await engine.reload()
        tape = engine.tapes.of(small.camera)
        at = time.time()
        for step in range(9):
            tape.take(Sample("heat", at + step / 4, warm(step)), 96, at + step / 4)
        await tape.stop()
        return tape.why

    assert in_a_loop(in_hours) == "hours round the clock"
    [row] = client.get(where).json()["recordings"]
    assert (row["why"], row["length_s"], row["state"]) == ("hours round the clock", 2.0, "waiting")


def test_a_day_wide_has_a_reminder_on_the_rail_when_it_is_over(client: AtSite, small: Small) -> None:
    where = f"/devices/{small.camera}/recording/wide"
    assert client.put(where, json={"what": "begin"}).json()["wide"]["over"] is False
    assert load_plans().recordings[small.camera].wide_until > time.time() + 86_000
    page = f"/bench/{small.detector}"
    assert "a day is recorded: tune" not in client.get(page, headers=HTML).text
    with transaction() as session:
        session.get_one(RecordingPlanRow, small.camera).wide_until = now() - timedelta(seconds=1)
    assert "a day is recorded: tune" in client.get(page, headers=HTML).text
    client.put(where, json={"what": "seen"})
    assert "a day is recorded: tune" not in client.get(page, headers=HTML).text
    assert client.put(where, json={"what": "end"}).json()["wide"] is None
    assert client.put(where, json={"what": "sideways"}).status_code == 422


def test_activity_is_past_halfway_from_the_quiet_median_to_the_threshold(small: Small) -> None:
    with transaction() as session:
        model = session.get_one(DetectorRow, small.detector).model
    live = watch(model, {"width": 8, "height": 6})

    def has_activity(at: int, hot_c: float) -> bool:
        raw = np.full((1, 6, 8), 29315, dtype=np.uint16)  # 20 °C
        raw[0] += round((hot_c - 20) * 100)
        sample = Sample("heat", float(at), frames_of(raw, np.zeros(1), scale=0.01, offset_c=-273.15))
        list(live.step(sample, 1.0))
        return live.has_activity(sample)

    level = float(live.kind.read_dials(model).threshold_c)
    assert not any(has_activity(at, 20.0) for at in range(20))
    half = (20 + level) / 2
    assert [has_activity(20, half - 0.1), has_activity(21, half + 0.1), has_activity(22, level + 1)] == [
        False,
        True,
        True,
    ]
    assert not has_activity(23, 20.0)


def test_events_are_judged_on_the_walk_page_and_the_bench_has_the_marks(client: AtSite, small: Small) -> None:
    number = recorded(small.camera, [(at / 4, warm(at)) for at in range(80)], at=1_700_000_000.0)
    with transaction() as session:
        raised = datetime.fromtimestamp(1_700_000_005, UTC)
        event = EventRow(
            detector_id=small.detector, revision=1, region="r", raised_at=raised, repeat=False, reading=60.0, why={},
            own={}, outcome="fired", device_t=1_700_000_005.0, cleared_at=raised + timedelta(seconds=2),
        )  # fmt: skip
        session.add(event)
        session.flush()
        event_id = event.id
        take = session.get_one(RecordingRow, number).take_id
    where = f"/walk/{small.detector}/events"
    assert client.put(f"{where}/{event_id}/verdict", json={"verdict": "perhaps"}).status_code == 422
    assert client.put(f"{where}/{event_id + 1}/verdict", json={"verdict": "right"}).status_code == 404
    assert client.put(f"{where}/{event_id}/verdict", json={"verdict": "wrong"}).json()["lacking"] == ""
    assert client.get(where).json()[0]["verdict"] == {"verdict": "wrong", "lacking": ""}
    keep_late(small.camera, "heat", 1_700_000_000.0, {})
    assert client.put(f"/devices/{small.camera}/recording/wide", json={"what": "begin"}).status_code == 200
    body = {"start": 1_700_000_010.0, "end": 1_700_000_012.0}
    assert client.post(f"/walk/{small.detector}/missed", json=body).json()["lacking"] == ""
    gone = {"start": 1_600_000_000.0, "end": 1_600_000_001.0}
    assert "no recording holds it" in client.post(f"/walk/{small.detector}/missed", json=gone).json()["lacking"]
    assert client.post(f"/walk/{small.detector}/missed", json=body | {"end": 5.0}).status_code == 422
    beside = client.get(f"/devices/{small.camera}/recording/{number}/live").json()["detectors"]
    assert [(each["detector"], each["text"]) for each in beside] == [
        ("hot, revision 1", "0 raises as live, and alike after 5.0 s; before that r at 5.0 s only live")
    ]
    assert client.get(f"/devices/{small.module}/recording/{number}/live").status_code == 404
    page = client.get(f"/bench/{small.detector}?take={take}", headers=HTML)
    assert page.status_code == 200
    assert "was wrong, live" in page.text
    assert "missed live" in page.text
    with transaction() as session:  # and the site can be removed with all of it
        remove_site(session, session.get_one(SiteRow, small.site), name="Test site")


def test_only_recordings_that_somebody_marked_are_evidence(client: AtSite, small: Small) -> None:
    before = client.post(f"/bench/{small.detector}/judge", json=_asked(client, small)).json()["takes"]["takes"]
    number = recorded(small.camera, [(at / 4, warm(at)) for at in range(20)])
    after = client.post(f"/bench/{small.detector}/judge", json=_asked(client, small)).json()["takes"]["takes"]
    assert [each["id"] for each in after] == [each["id"] for each in before]
    with transaction() as session:
        take = session.get_one(RecordingRow, number).take_id
    mark = {"start_s": 0, "end_s": 1, "label": "quiet"}
    assert client.post(f"/takes/{take}/marks", json=mark).status_code == 200
    after = client.post(f"/bench/{small.detector}/judge", json=_asked(client, small)).json()["takes"]["takes"]
    assert take in [each["id"] for each in after]
    recorded(small.camera, [(at / 4, warm(at)) for at in range(20)])
    with transaction() as session:  # a device that has nothing but recordings on which nobody said anything
        for held in session.scalars(select(TakeRow).where(TakeRow.id.in_([small.take, take]))):
            session.delete(held)
        session.flush()
        row = session.get_one(DetectorRow, small.detector)
        rejudge(session, small.camera, [row])
        assert row.verdict == "no marks"


def _asked(client: AtSite, small: Small) -> dict[str, object]:
    with transaction() as session:
        body = session.get_one(DetectorRow, small.detector).body
    return {"take": small.take, "detector": body, "parts": ["takes"]}


def test_a_clock_that_is_off_is_told_at_the_take(client: AtSite, small: Small, tmp_path: Path) -> None:
    number = actions.begin(small.camera, "heat", why="by hand", t0=time.time() + 7.5, came=time.time())
    actions.add_part(number, [(at / 4, warm(at)) for at in range(8)], {"frame_px": (8, 6)})
    actions.end(number, "stopped by hand", 7.5)
    actions.make_take(number)
    with transaction() as session:
        take = session.scalars(select(TakeRow).order_by(TakeRow.id.desc())).first()
        assert take is not None
        assert take.clock_caution == "The device's clock was 7.5 s ahead of ours"
        take_id = take.id
    assert "7.5 s ahead of ours" in client.get("/takes", headers=HTML).text
    answer = client.get(f"/takes/{take_id}/take.zip")
    assert (answer.status_code, answer.content[:2]) == (200, b"PK")
