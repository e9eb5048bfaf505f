"""Recordings: part by part, over a killed engine, into takes like any other; room for them; verdicts that become marks."""

from __future__ import annotations

import importlib
import threading
import time
from collections.abc import Iterator
from datetime import UTC, datetime, timedelta
from typing import Any

import numpy as np
import pytest
from sqlalchemy import func, select

from examples import Example
from lantern.core.families import FAMILIES
from lantern.core.kinds import judge, watch
from lantern.core.raising import Raising
from lantern.core.scoring.marks import Mark
from lantern.core.signals import frames_of
from lantern.core.site import Device, Place, Site
from lantern.core.watch import Sample
from lantern.db.base import transaction
from lantern.live import tape as tapes
from lantern.live.tables import EventRow
from lantern.live.tape import RecordingPlan, Tape
from lantern.recordings import actions, budget, verdicts
from lantern.recordings.tables import LiveMarkRow, RecordedPartRow, RecordingRow
from lantern.register.tables import device_by_code
from lantern.sites.actions import add_site
from lantern.sites.tables import SiteRow
from lantern.takes.marking import add_marks
from lantern.takes.store import value_of_take
from lantern.takes.tables import TakeRow, marks_of
from lantern.tune.actions import save_revision
from lantern.tune.tables import DetectorRow
from loops import in_a_loop
from seeded import Small

EXAMPLES: list[Example] = [
    each for name in FAMILIES for each in importlib.import_module(f"core.{name}.examples").examples()
]
GIVES = {"heat": "thermal", "tracks": "camera", "plan-tracks": "camera", "plates": "reader"}
LIVE = [one for one in EXAMPLES if one.signal in GIVES]


@pytest.fixture(autouse=True)
def no_worker(monkeypatch: pytest.MonkeyPatch) -> None:
    """What an engine queues is done here, at once."""
    monkeypatch.setattr(tapes, "defer_recording", actions.make_take)


def warm(at: int, hot: bool = False) -> Any:
    pixels = np.full((1, 6, 8), 29315, dtype=np.uint16)
    pixels[0, 2:4, 2:4] += 4000 if hot else 0
    return frames_of(pixels + (at % 3), np.zeros(1), scale=0.01, offset_c=-273.15)


def recorded(device: int, samples: list[tuple[float, Any]], signal: str = "heat", *, at: float | None = None) -> int:
    """A recording of these samples, made a take."""
    came = time.time() - samples[-1][0] if at is None else at
    number = actions.begin(device, signal, why="by hand", t0=came, came=came)
    size = 8 if signal == "heat" else 5
    for first in range(0, len(samples), size):
        actions.add_part(number, samples[first : first + size], {"frame_px": (8, 6)})
    actions.end(number, "as long as it was wanted", 0.0)
    actions.make_take(number)
    return number


def take_of(number: int) -> TakeRow:
    with transaction() as session:
        row = session.get_one(RecordingRow, number)
        assert row.state == "done", (row.state, row.faults)
        assert row.take_id is not None
        return session.get_one(TakeRow, row.take_id)


# ---- every kind ------------------------------------------------------------------------------------------------------


def site_of(one: Example) -> int:
    px = getattr(one.value, "frame_px", None) or (one.facts.get("width", 8), one.facts.get("height", 6))
    ability = {"width": int(px[0]), "height": int(px[1])}
    device = Device(code="D1", name="Device", kind=GIVES[one.signal], ability=ability)
    with transaction() as session:
        row = add_site(session, Site(name="Quay", places=(Place(name="Edge", devices=(device,)),)))
        held = device_by_code(session, row.id, "D1")
        assert held is not None
        return held.id


@pytest.mark.usefixtures("database")
@pytest.mark.parametrize("one", LIVE, ids=lambda one: f"{one.detector.kind}")
def test_a_recording_judged_anew_says_what_was_said_live(one: Example) -> None:
    """Engine and recording began together: every raise is the same, sample by sample."""
    device = site_of(one)
    live = watch(one.detector, one.facts)
    told = []
    for sample in one.samples:
        for turn in (each for first in live.step(sample, one.interval_s) for each in first.chain()):
            told += [(round(c.t - one.samples[0].t, 5), turn.region) for c in turn.changes if c.what != "clear"]
    number = recorded(device, [(s.t - one.samples[0].t, s.value) for s in one.samples], one.signal)
    with transaction() as session:
        take = session.get_one(TakeRow, take_of(number).id)
        again = judge(one.detector, one.signal, value_of_take(session, take))
        assert isinstance(again, Raising)
        assert sorted((round(e.raised_s, 5), e.region) for e in again.events()) == sorted(told)
    assert told


# ---- the engine's part of it -----------------------------------------------------------------------------------------


def play(tape: Tape, frames: int, *, hot: range = range(0), start: float | None = None) -> Any:
    """Frames at 4 Hz of the device's clock, now by ours."""

    async def run() -> None:
        began = time.time() if start is None else start
        tape.start()
        for at in range(frames):
            if at in hot:
                tape.decided("around an event of hot", began + at / 4)
            tape.take(Sample("heat", began + at / 4, warm(at, at in hot)), 96, began + at / 4)
        await tape.stop()

    return run


def all_recordings() -> list[RecordingRow]:
    with transaction() as session:
        return list(session.scalars(select(RecordingRow).order_by(RecordingRow.id)))


def test_around_an_event_with_what_came_before(small: Small) -> None:
    tape = Tape(small.camera, (8, 6))
    tape.adopt(RecordingPlan(around=True, before_s=2.0, after_s=5.0))
    began = time.time()
    in_a_loop(play(tape, 80, hot=range(30, 31), start=began))
    [row] = all_recordings()
    assert (row.why, row.ended) == ("around an event of hot", "as long as it was wanted")
    assert row.t0 - began == pytest.approx(22 / 4)  # two seconds before the thirtieth frame
    take = take_of(row.id)
    assert take.samples == row.samples
    assert row.length_s == 2.0 + 5.0
    with transaction() as session:
        assert np.allclose(np.diff(session.get_one(TakeRow, take.id).t_s), 0.25, atol=2e-6)
        frames = np.concatenate(list(value_of_take(session, session.get_one(TakeRow, take.id)).blocks()))
        assert np.array_equal(
            frames, np.concatenate([next(iter(warm(at, at == 30).blocks())) for at in range(22, 22 + len(frames))])
        )
        assert session.scalar(select(func.count()).select_from(RecordedPartRow)) == 0


def test_a_picture_that_changes_and_a_clock_that_jumps_begin_a_new_one(small: Small) -> None:
    async def run() -> None:
        tape = Tape(small.camera, (8, 6))
        tape.start()
        tape.record_for(1000)
        now = time.time()
        for at in range(12):
            value = warm(at)
            if at >= 6:
                value = frames_of(np.zeros((1, 6, 8), np.uint16), np.zeros(1), scale=0.1, offset_c=0)
            tape.take(Sample("heat", now + at, value), 96, now + at)
        tape.jumped()
        tape.record_for(1000)
        tape.take(Sample("heat", 50.0, warm(0)), 96, now + 12)
        assert tape.clock_s == pytest.approx(50.0 - now - 12, abs=0.01)
        await tape.stop()

    in_a_loop(run)
    rows = all_recordings()
    assert [(row.samples, row.ended) for row in rows] == [
        (6, "the device's picture changed"),
        (6, "the device began anew"),
        (1, "the engine stopped"),
    ]
    assert [take_of(row.id).facts["scale"] for row in rows] == [0.01, 0.1, 0.01]


def test_the_decision_does_not_wait_and_what_is_lost_is_told(small: Small, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(tapes, "MOST_WAITING", 96 * 20)
    stored, all_taken = actions.add_part, threading.Event()

    def held_up(*args: Any, **named: Any) -> Any:
        assert all_taken.wait(30), "a decision waited for the store"
        return stored(*args, **named)

    monkeypatch.setattr(actions, "add_part", held_up)
    tape = Tape(small.camera, (8, 6))
    tape.record_for(1000)

    async def run() -> None:
        tape.start()
        now = time.time()
        for at in range(200):
            tape.take(Sample("heat", now + at / 4, warm(at)), 96, now + at / 4)
        all_taken.set()
        await tape._jobs.join()
        tape.take(Sample("heat", now + 200 / 4, warm(0)), 96, now + 50)
        await tape.stop()

    in_a_loop(run)
    [row] = all_recordings()
    assert row.samples + row.lost == 201
    assert row.lost > 100


def test_a_part_that_cannot_be_stored_ends_it_where_it_is(small: Small, monkeypatch: pytest.MonkeyPatch) -> None:
    tape, stored = Tape(small.camera, (8, 6)), actions.add_part

    def once(number: int, samples: Any, known: Any, **named: Any) -> Any:
        if samples[0][0] > 0:
            raise ValueError("a disk that is broken")
        return stored(number, samples, known, **named)

    monkeypatch.setattr(actions, "add_part", once)
    monkeypatch.setattr(tapes, "STOP_S", 120.0)  # to write the error's log takes long on a machine that has much to do
    tape.record_for(1000)
    in_a_loop(play(tape, 40))
    assert tape.full == "an error of the program: the log says more"
    assert tape.waiting == 0
    [row] = all_recordings()
    assert (row.samples, row.ended, row.state) == (8, "an error of the program: the log says more", "done")


def test_it_outlives_a_killed_engine_up_to_its_last_part(small: Small) -> None:
    now = time.time() - 100
    number = actions.begin(small.camera, "heat", why="by hand", t0=now, came=now)
    for _ in range(2):  # the second time nobody knows that it was stored
        actions.add_part(number, [(at / 4, warm(at)) for at in range(8)], {"frame_px": (8, 6)}, first=0)
    assert actions.left_over() == [number]  # as the next engine finds it
    assert actions.left_over() == [number]
    actions.make_take(number)
    actions.make_take(number)  # again: nothing more
    [row] = all_recordings()
    assert row.ended == "the engine ended: the last stored sample is at 1.8 s"
    assert take_of(number).samples == 8
    with transaction() as session:
        assert session.scalar(select(func.count()).select_from(TakeRow)) == 2  # and the imported one


def test_nothing_that_was_stored_is_no_take(small: Small) -> None:
    number = actions.begin(small.camera, "heat", why="by hand", t0=1e9, came=1e9)
    actions.end(number, "stopped by hand", None)
    actions.make_take(number)
    [row] = all_recordings()
    assert (row.state, row.take_id) == ("refused", None)
    assert row.faults[0]["what"] == "no sample was stored"


# ---- room ------------------------------------------------------------------------------------------------------------


@pytest.fixture
def tight(small: Small, monkeypatch: pytest.MonkeyPatch) -> Iterator[Small]:
    """One byte is a megabyte: a recording of eight small frames has some 250."""
    monkeypatch.setattr(budget, "MB", 1)
    yield small


def room(small: Small, most: int) -> None:
    with transaction() as session:
        session.get_one(SiteRow, small.site).recording_mb = most


def test_the_oldest_that_nobody_marked_or_cited_goes_and_imports_never(tight: Small) -> None:
    frames = [(at / 4, warm(at)) for at in range(8)]
    first, second, third = (recorded(tight.camera, frames, at=1e9 + n) for n in range(3))
    with transaction() as session:
        add_marks(session, session.get_one(TakeRow, take_of(first).id), [Mark(0, 1, "expect")])
        held = budget.used_bytes(session, tight.site)
    room(tight, held)
    fourth = actions.begin(tight.camera, "heat", why="by hand", t0=2e9, came=time.time())
    told = actions.add_part(fourth, frames, {"frame_px": (8, 6)})
    assert len(told.dropped) == 1
    assert (told.full, told.used <= told.most) == ("", True)
    rows = {row.id: row for row in all_recordings()}
    assert [rows[n].state for n in (first, second, third)] == ["done", "dropped", "done"]  # the first is marked
    assert rows[second].ended.endswith("dropped to make room")
    with transaction() as session:
        assert session.get(TakeRow, tight.take) is not None


def test_what_a_revision_cites_stays_and_then_recording_stops_loudly(tight: Small) -> None:
    frames = [(at / 4, warm(at)) for at in range(8)]
    only = recorded(tight.camera, frames, at=1e9)
    with transaction() as session:
        add_marks(session, session.get_one(TakeRow, take_of(only).id), [Mark(0, 1, "quiet")])
        row = session.get_one(DetectorRow, tight.detector)
        save_revision(session, row, row.model, reason="seen", user_id=tight.user, base=row.revision)
        for mark in marks_of(session, take_of(only).id):
            session.delete(mark)
    room(tight, 10)
    tape = Tape(tight.camera, (8, 6))
    tape.record_for(1000)
    in_a_loop(play(tape, 20))
    assert "every recording is marked, cited or under way" in tape.full
    assert take_of(only).samples == 8
    assert len(all_recordings()) == 1


# ---- what was right, wrong, missed -----------------------------------------------------------------------------------


def happened(small: Small, at: float, device_t: float, lasted_s: float | None = 2.0) -> int:
    with transaction() as session:
        raised = datetime.fromtimestamp(at, UTC)
        event = EventRow(
            detector_id=small.detector, revision=1, region="r", raised_at=raised, repeat=False, reading=60.0, why={},
            own={}, outcome="fired", device_t=device_t,
            cleared_at=None if lasted_s is None else raised + timedelta(seconds=lasted_s),
        )  # fmt: skip
        session.add(event)
        session.flush()
        return event.id


def say(small: Small, event_id: int, verdict: str) -> str:
    with transaction() as session:
        row = verdicts.judge_event(session, session.get_one(EventRow, event_id), verdict, user_id=small.user)
        return verdicts.lacking(session, row)


def test_verdicts_become_marks_by_the_devices_own_clock(small: Small) -> None:
    frames = [(at / 4, warm(at)) for at in range(80)]
    with transaction() as session:
        assert session.get_one(DetectorRow, small.detector).verdict != "misses"
    now = time.time() - 60
    number = actions.begin(small.camera, "heat", why="by hand", t0=500.0, came=now)  # its clock says 500 s
    before = happened(small, now + 3.2, 503.0)
    assert say(small, before, "right") == "it becomes a mark once its recording is over"
    for first in range(0, 80, 8):
        actions.add_part(number, frames[first : first + 8], {"frame_px": (8, 6)})
    actions.end(number, "stopped by hand", 0.0)
    actions.make_take(number)
    take = take_of(number)
    after, stands, outside = (
        happened(small, now + 10.2, 510.0),
        happened(small, now + 18, 518.0, None),
        happened(small, now + 40, 540.0),
    )
    assert [say(small, each, "wrong") for each in (after, stands)] == ["", ""]
    assert say(small, outside, "wrong").startswith("no recording holds it")
    with transaction() as session:
        found = [(m.start_s, m.end_s, m.label, m.detector, m.note) for m in marks_of(session, take.id)]
        assert [m.lead_s for m in marks_of(session, take.id)] == [3.0, 0.0, 0.0]  # its beginning is open, to the take's
    assert found == [
        (3.0, 5.0, "expect", "hot", "was right, live"),
        (10.0, 12.0, "quiet", "hot", "was wrong, live"),
        (18.0, 19.75, "quiet", "hot", "was wrong, live"),
    ]
    with transaction() as session:
        assert (
            session.get_one(DetectorRow, small.detector).verdict == "misses"
        )  # the cold frames raise nothing: told at once
    assert say(small, after, "right") == ""  # the last word counts
    with transaction() as session:
        assert [m.label for m in marks_of(session, take.id)] == ["expect", "expect", "quiet"]
        detector = session.get_one(DetectorRow, small.detector)
        at = [datetime.fromtimestamp(now + t, UTC) for t in (14, 16)]
        missed = verdicts.mark_missed(session, detector, at[0], at[1], user_id=small.user)
        assert verdicts.lacking(session, missed) == ""
        [mark] = [m for m in marks_of(session, take.id) if m.note == "missed live"]
        assert (mark.start_s, mark.end_s, mark.label) == (
            pytest.approx(14, abs=0.01),
            pytest.approx(16, abs=0.01),
            "expect",
        )
        assert session.scalar(select(func.count()).select_from(LiveMarkRow)) == 5
