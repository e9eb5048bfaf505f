"""Revisions: saved with a reason and scores, never overwritten, restored as new ones."""

from __future__ import annotations

import pytest

from lantern.core.faults import Refused
from lantern.core.units import CELSIUS
from lantern.db.base import transaction
from lantern.links.tables import armed_links
from lantern.revisions import StaleRevisionError, revisions_of
from lantern.takes.tables import TakeRow
from lantern.tune import bench, evidence
from lantern.tune.actions import changed_keys, restore_revision, save_revision
from lantern.tune.tables import DetectorRow
from seeded import Small


def saved(small: Small, base: int, reason: str = "because", **dials: object) -> None:
    with transaction() as session:
        row = session.get_one(DetectorRow, small.detector)
        model = row.model.model_copy(update={"dials": row.model.dials | dials})
        save_revision(session, row, model, reason=reason, user_id=small.user, base=base)


def test_a_revision_keeps_who_why_and_how_it_scored(small: Small) -> None:
    saved(small, 1, "ten seconds outlast the pass", sustain_s=10)
    with transaction() as session:
        newest, first = revisions_of(session, "detector", [small.detector])
        assert (newest.number, newest.reason, newest.user.name) == (2, "ten seconds outlast the pass", "Ida Test")
        assert [(s["card"]["hits"], s["card"]["misses"], s["card"]["false_alarms"]) for s in first.scores] == [
            (1, 0, 1)
        ]
        assert newest.scores[0]["card"]["misses"] == 1
        assert session.get_one(DetectorRow, small.detector).verdict == "misses"
        assert changed_keys(first.body, newest.body, "heat") == [{"what": "sustain_s", "before": 1.0, "after": 10.0}]


def test_a_reason_is_asked_for(small: Small) -> None:
    with pytest.raises(Refused, match="reason"):
        saved(small, 1, "  ")


def test_a_save_on_an_old_base_overwrites_nothing(small: Small) -> None:
    saved(small, 1, sustain_s=2)
    with pytest.raises(StaleRevisionError, match="Revision 2"):
        saved(small, 1, sustain_s=3)
    with transaction() as session:
        assert session.get_one(DetectorRow, small.detector).model.dials["sustain_s"] == 2


def test_bad_values_are_not_saved(small: Small) -> None:
    with pytest.raises(Refused, match="sustain_s"):
        saved(small, 1, sustain_s=-2)
    with transaction() as session:
        assert len(revisions_of(session, "detector", [small.detector])) == 1


def test_restoring_adds_a_revision(small: Small) -> None:
    saved(small, 1, sustain_s=2)
    with transaction() as session:
        row = session.get_one(DetectorRow, small.detector)
        restored = restore_revision(session, row, 1, user_id=small.user, base=row.revision)
        assert (restored.number, restored.reason) == (3, "Restored revision 1: first")
        assert row.model.dials["sustain_s"] == 1
        with pytest.raises(Refused, match="no revision 9"):
            restore_revision(session, row, 9, user_id=small.user, base=row.revision)


def test_the_bench_shows_what_the_command_line_scores(small: Small) -> None:
    with transaction() as session:
        row, take = session.get_one(DetectorRow, small.detector), session.get_one(TakeRow, small.take)
        judged = bench.judged(session, row.model, take, armed_links(session, small.site, row.id))
        assert [(e["raised_s"], e["verdict"]) for e in judged["events"]] == [(6.0, "hit"), (13.5, "false")]
        assert [(e["output"], e["on_s"], e["off_s"]) for e in judged["effects"]] == [
            ("lamp", 6.0, 8.0),
            ("lamp", 13.5, 15.5),
        ]
        strips = evidence.strips(evidence.hold(session, row.model, [take]), None, None, CELSIUS)
        assert {"threshold_c", "sustain_s", "hysteresis_c", "clear_s", "rearm_s"} <= set(strips)
        assert "delta_c" not in strips
        for strip in strips.values():
            assert strip["pieces"][0][0] == strip["low"]
            assert strip["pieces"][-1][1] == strip["high"]
        readings = bench.drawn_readings(session, row.model, take)
        assert max(readings["all"]["x"]) == 60.0


def test_thinning_keeps_every_extreme() -> None:
    import numpy as np

    from lantern.core.signals import Series

    rng = np.random.default_rng(0)
    s = Series(np.arange(50_000.0), rng.normal(0, 1, 50_000))
    drawn = bench.thinned(s, 500)
    assert len(drawn["x"]) <= 1000
    assert max(drawn["x"]) == round(float(s.x.max()), 3)
    assert min(drawn["x"]) == round(float(s.x.min()), 3)


def test_a_reduction_is_kept_and_the_frames_are_not_read_again(small: Small, monkeypatch: pytest.MonkeyPatch) -> None:
    from lantern.core.readings.heat import reductions
    from lantern.tune import judging

    judging.MEMORY.forget()  # a fresh process: nothing in memory
    monkeypatch.setattr(reductions, "_reduce", lambda *a: pytest.fail("frames were read again"))
    with transaction() as session:
        row, take = session.get_one(DetectorRow, small.detector), session.get_one(TakeRow, small.take)
        assert [e.raised_s for e in judging.subject(session, row.model, take).events()] == [6.0, 13.5]
