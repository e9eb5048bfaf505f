"""Timetables and links in the store: checked against what the site has."""

from __future__ import annotations

import pytest

from lantern.core.faults import Refused
from lantern.db.base import transaction
from lantern.links.actions import delete_timetable, restore, save_link, save_timetable
from lantern.links.history import changes_of
from lantern.links.shown import timetable_shown
from lantern.links.tables import armed_links, hours_of, links_of, timetables_of
from lantern.plan.actions import plan_model, save_plan
from lantern.revisions import RevisionRow, StaleRevisionError, remove, revisions_of
from lantern.tune.actions import save_revision
from lantern.tune.tables import DetectorRow
from seeded import Small


def test_armed_links_carry_their_timetable(small: Small) -> None:
    with transaction() as session:
        [armed] = armed_links(session, small.site, small.detector)
        assert (armed.link.name, armed.timetable.summary) == ("hot to lamp", "always")


def test_a_renamed_timetable_stays_with_its_links(small: Small) -> None:
    with transaction() as session:
        [row] = timetables_of(session, small.site)
        save_timetable(
            session, small.site, row.body | {"name": "day and night"}, timetable_id=row.id, base=row.revision
        )
    with transaction() as session:
        assert armed_links(session, small.site, small.detector)[0].timetable.name == "day and night"


def test_a_detectors_own_hours_are_those_of_the_site_and_keep_their_name(small: Small) -> None:
    with transaction() as session:
        row = session.get_one(DetectorRow, small.detector)
        unknown = row.model.model_copy(update={"timetable": "gone"})
        with pytest.raises(Refused, match="no timetable 'gone'; expected empty \\(always\\), or one of: always on"):
            save_revision(session, row, unknown, reason="hours", user_id=None, base=1)
        own = row.model.model_copy(update={"timetable": "always on"})
        save_revision(session, row, own, reason="hours", user_id=None, base=1)
        [table] = timetables_of(session, small.site)
        save_timetable(
            session, small.site, table.body | {"name": "all day"}, timetable_id=table.id, base=table.revision
        )
    with transaction() as session:
        held = session.get_one(DetectorRow, small.detector).model
        assert held.timetable == "all day"
        found = hours_of(session, small.site, held)
        assert found is not None
        assert found.summary == "always"


@pytest.mark.parametrize(
    ("change", "word"),
    [
        ({"effects": [{"output": "siren"}]}, "there is no 'siren'"),
        ({"effects": [{"output": "stop", "flash_hz": 1}]}, "does not flash"),
        ({"effects": [{"output": "lamp", "flash_hz": 5}]}, "flash_hz"),
        ({"effects": [{"output": "lamp", "length_s": 0}]}, "length_s"),
        ({"timetable": "gone"}, "'gone'"),
        ({"delay_s": "soon"}, "delay_s"),
        ({"name": ""}, "name"),
    ],
)
def test_bad_links_are_refused(small: Small, change: dict, word: str) -> None:
    with transaction() as session:
        row = session.get_one(DetectorRow, small.detector)
        before = links_of(session, small.detector)[0].body
        with pytest.raises(Refused, match=word):
            save_link(session, row, before | {"name": "another"} | change, link_id=None)


def test_names_are_unique(small: Small) -> None:
    with transaction() as session:
        row = session.get_one(DetectorRow, small.detector)
        with pytest.raises(Refused, match="taken"):
            save_link(session, row, links_of(session, small.detector)[0].body, link_id=None)
        with pytest.raises(Refused, match="taken"):
            save_timetable(session, small.site, {"name": "always on"}, timetable_id=None)


def test_every_state_of_a_link_is_kept_and_one_can_be_had_again(small: Small) -> None:
    with transaction() as session:
        row, [link] = session.get_one(DetectorRow, small.detector), links_of(session, small.detector)
        number, before = link.id, dict(link.body)
        slower = before | {"delay_s": 5.0}
        with pytest.raises(Refused, match="reason: is empty"):
            save_link(session, row, slower, link_id=number, base=1, reason=" ")
        save_link(session, row, slower, link_id=number, base=1, reason="the pass takes a moment", user_id=small.user)
        with pytest.raises(StaleRevisionError, match="Revision 2 of hot to lamp"):
            save_link(session, row, before, link_id=number, base=1, reason="late")
        remove(session, link, reason="not needed", user_id=small.user)
    with transaction() as session:
        row = session.get_one(DetectorRow, small.detector)
        assert links_of(session, small.detector) == []
        gone, changed, _ = [each for each in changes_of(session, row) if each["what"] == "link"]
        assert (gone["deleted"], gone["why"], gone["newest"]) == (True, "not needed", 3)
        assert changed["changes"] == [{"what": "delay_s", "before": "0", "after": "5"}]
        assert (changed["who"], changed["why"]) == ("Ida Test", "the pass takes a moment")
        saved = session.get_one(RevisionRow, changed["id"])
        with pytest.raises(StaleRevisionError, match="changed meanwhile"):
            restore(session, saved, base=2, user_id=None)
        restore(session, saved, base=3, user_id=None)
    with transaction() as session:
        [link] = links_of(session, small.detector)
        assert (link.id, link.revision, link.body) == (number, 4, slower)
        assert changes_of(session, row)[0]["why"] == "Restored revision 2: the pass takes a moment"


def test_a_timetable_that_something_goes_by_is_not_deleted(small: Small) -> None:
    with transaction() as session:
        [table] = timetables_of(session, small.site)
        with pytest.raises(Refused, match="always on is used by hot to lamp"):
            delete_timetable(session, table, reason="gone", user_id=None)
        hours = [{"day": 0, "start_min": 360, "end_min": 720}]
        new = {"name": "mornings", "hours": hours}
        made = save_timetable(session, small.site, new, timetable_id=None)
        save_timetable(session, small.site, new | {"hours": []}, timetable_id=made.id, base=1, reason="never")
        row = session.get_one(DetectorRow, small.detector)
        assert changes_of(session, row)[0]["changes"] == [
            {"what": "hours", "before": "Mon 06:00-12:00", "after": "never"}
        ]
        delete_timetable(session, made, reason="gone", user_id=None)
        with pytest.raises(Refused, match="mornings was deleted then"):
            restore(session, revisions_of(session, "timetable", [made.id])[0], base=3, user_id=None)


def test_hours_by_the_sun_are_of_where_the_plan_lies(small: Small) -> None:
    document = {"name": "dusk", "zone": "Europe/London", "sun": [{"start_min": -15}]}
    with transaction() as session:
        with pytest.raises(Refused, match="nobody knows where the site lies; expected latitude and longitude"):
            save_timetable(session, small.site, document, timetable_id=None)
        plan = plan_model(session, small.site).model_dump(mode="json") | {"latitude": 54.6, "longitude": -1.6}
        save_plan(session, small.site, plan, base=0, reason="Where it lies.", user_id=small.user)
        row = save_timetable(session, small.site, document, timetable_id=None)
        assert (row.model.latitude, row.model.longitude) == (54.6, -1.6)
        assert row.model.summary == "15 min before sunset to sunrise"
        told = timetable_shown(row)
        assert told["summary"] == row.model.summary
