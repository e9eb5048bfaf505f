"""A day of a head as it was: from the log of who had it and of where it looked; what was not known counts as unseen."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest

from core.ptz.test_days import FRAME, HEAD, LOOKS, SPOTS
from lantern.core.faults import Refused
from lantern.core.ptz.gaps import got, px_per_m
from lantern.core.watch import Aim
from lantern.db.base import transaction
from lantern.duty.looks import KEPT_DAYS, LookRow, forget_looks, looks_between, note_look
from lantern.duty.recorded import drives, recorded, recorded_days, recorded_of
from lantern.duty.tables import note_had
from seeded import Small

BEGINS = datetime(2026, 3, 2, tzinfo=UTC)


def at(s: float) -> datetime:
    return BEGINS + timedelta(seconds=s)


def looks(device: int, *told: tuple[float, Aim | None]) -> None:
    """As the engine tells them: a look that lasts is said anew every 30 s."""
    with transaction() as session:
        for n, (s, aim) in enumerate(told):
            until = told[n + 1][0] if n + 1 < len(told) else s
            t = s
            while t <= until - 1e-9 or t == s:
                note_look(session, device, at(t), aim)
                t += 30.0


def test_a_day_is_what_was_seen_and_who_had_it(small: Small) -> None:
    gate, tank = LOOKS[1], LOOKS[2]
    looks(small.camera, (100, gate), (200, tank), (260, None), (400, gate), (500, tank))
    with transaction() as session:
        note_had(session, small.camera, at(90), by="idle", do="night")
        note_had(session, small.camera, at(200), by="call", do="visitors")
        note_had(session, small.camera, at(230), by="dropped", do="gulls", because="visitors runs")
        note_had(session, small.camera, at(260), by="manual", do="Ola")
        note_had(session, small.camera, at(300), by="manual", do="Ola", because="It was given back.")
        note_had(session, small.camera, at(400), by="idle", do="night")
        found = recorded(session, small.camera, BEGINS, release_s=20.0)
    day = found.day
    assert (day.from_s, day.to_s) == (100.0, 86_400.0)
    assert [(each.from_s, each.to_s, each.by, each.do) for each in day.stretches] == [
        (100.0, 200.0, "idle", "night"), (200.0, 260.0, "call", "visitors"), (260.0, 400.0, "manual", "Ola"),
        (400.0, 86_400.0, "idle", "night"),
    ]  # fmt: skip
    assert [(each.dropped, each.at_s) for each in day.dropped] == [("gulls", 230.0)]
    spots = list(SPOTS.values())
    seen = {each.name: each for each in got(day, spots, px_per_m(spots, day.aims, HEAD, FRAME, ()))}
    assert (seen["gate"].from_s, seen["gate"].to_s) == (500.0, 86_400.0)
    assert seen["gate"].share * 86_300 == pytest.approx(200)
    assert seen["tank"].share * 86_300 == pytest.approx(60 + 90)  # 90 s after its last word nobody knows
    [call] = found.calls
    assert (call.at_s, call.for_s, call.course) == (200.0, 60.0, ((0.0, tank), (30.0, tank)))
    [hand] = found.manual
    assert (hand.from_s, hand.to_s, hand.who) == (260.0, 380.0, "Ola")


def test_what_turned_fast_showed_nothing(small: Small) -> None:
    aims = [Aim(pan, 10.0, 1.0) for pan in (0.0, 30.0, 60.0, 62.0)]
    looks(small.camera, *[(100 + 0.25 * n, aim) for n, aim in enumerate(aims)])
    with transaction() as session:
        note_had(session, small.camera, at(50), by="idle", do="night")
        day = recorded(session, small.camera, BEGINS, release_s=0.0).day
    assert sorted(day.aims[:, 0].tolist()) == [0.0, 62.0]  # 120 degrees a second, and 8 at the end


def test_days_are_those_of_which_something_is_known_and_they_are_forgotten(small: Small) -> None:
    looks(small.camera, (100, LOOKS[1]), (86_400 * 2 + 5, LOOKS[1]))
    days = [BEGINS + timedelta(days=n) for n in range(-1, 4)]
    with transaction() as session:
        assert recorded_days(session, small.camera, days) == days[1:4]
        assert recorded_days(session, small.module, days) == []
        with pytest.raises(Refused, match="nothing is known of 2026-02-01"):
            recorded_of(session, small.camera, datetime(2026, 2, 1, tzinfo=UTC), 0.0)
        forget_looks(session, small.camera, at(86_400 + KEPT_DAYS * 86_400))
        left = looks_between(session, small.camera, at(0), at(86_400 * 9))
        assert all(row.at >= at(86_400) for row in left)
        assert session.query(LookRow).count() == len(left) > 0


def test_a_way_that_somebody_drove_begins_as_it_moves_and_ends_as_it_rests(small: Small) -> None:
    way = [(111.0 + 0.5 * n, Aim(10.0 + n, 8.0, 2.0)) for n in range(9)]
    looks(small.camera, (50, Aim(9.0, 8.0, 2.0)), *way, (150, Aim(18.0, 8.0, 2.0)))
    with transaction() as session:
        note_had(session, small.camera, at(100), by="manual", do="Ola")
        note_had(session, small.camera, at(200), by="idle", do="night")
        note_had(session, small.camera, at(300), by="manual", do="Ida")  # who moved nothing
        note_had(session, small.camera, at(400), by="idle", do="night")
        [drive] = drives(session, small.camera)
    assert (drive.who, drive.at) == ("Ola", at(100))
    assert drive.moments[0] == (0.0, 9.0, 8.0, 2.0)
    assert drive.moments[1] == (0.5, 10.0, 8.0, 2.0)
    assert drive.moments[-1] == (4.5, 18.0, 8.0, 2.0)
    assert len(drive.moments) == 10
    assert drive.length_s == 4.5
