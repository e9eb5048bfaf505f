"""Timetables and links in the store: checked against what the site has."""

from __future__ import annotations

import pytest

from lantern.core.faults import Refused
from lantern.db.base import transaction
from lantern.links.actions import save_link, save_timetable
from lantern.links.tables import armed_links, hours_of, links_of, timetables_of
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
        save_timetable(session, small.site, row.body | {"name": "day and night"}, timetable_id=row.id, base=row.version)
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
        save_timetable(session, small.site, table.body | {"name": "all day"}, timetable_id=table.id, base=table.version)
    with transaction() as session:
        held = session.get_one(DetectorRow, small.detector).model
        assert held.timetable == "all day"
        found = hours_of(session, small.site, held)
        assert found is not None
        assert found.summary == "always"


@pytest.mark.parametrize(
    ("change", "word"),
    [
        ({"effects": [{"output": "siren"}]}, "no output 'siren'"),
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
