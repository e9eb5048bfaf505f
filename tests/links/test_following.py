"""What is called otherwise is followed by all that names it: nothing that somebody built is cut loose by a new name."""

from __future__ import annotations

from typing import Any

import pytest
from sqlalchemy.orm import Session

from lantern.core.faults import Refused
from lantern.core.linking.expectations import Expectation
from lantern.core.linking.renaming import in_compound, in_expectation, in_link
from lantern.db.base import transaction
from lantern.links.actions import delete_timetable, save_link, save_timetable
from lantern.links.compounds import save_compound
from lantern.links.tables import CompoundRow, NamedCause, rows_of, timetables_of
from lantern.register.devices import change_device
from lantern.register.tables import DeviceRow
from lantern.rehearse.expected import save_expectation
from lantern.revisions import revisions_of
from lantern.sites.actions import site_document
from lantern.sites.tables import SiteRow
from lantern.tune.making import rename_detector
from lantern.tune.tables import DetectorRow
from seeded import ALWAYS, Small

COMPOUND = {"name": "c", "kind": "any", "timetable": "always on", "parts": [{"detector": "hot"}, {"input": "gate"}]}


def built(session: Session, small: Small) -> None:
    module = session.get_one(DeviceRow, small.module)
    outputs = [{"name": "lamp", "what": "beacon", "coil": 0, "was": "lamp", "timetable": "always on"}]
    outputs += [{"name": "stop", "coil": 1, "contact": "normally_closed", "was": "stop"}]
    inputs = [{"name": "gate", "discrete": 2, "timetable": "always on"}]
    change_device(session, module, {"outputs": outputs, "inputs": inputs}, place=module.place)
    save_compound(session, small.site, COMPOUND, compound_id=None)
    effects = [{"output": "lamp"}, {"do": "clip", "devices": ["T1"], "before_s": 1}]
    save_link(session, NamedCause(small.site, "compound", "c"), {"name": "l", "effects": effects}, link_id=None)
    must = [{"do": "switch", "on": "lamp", "within_s": 1}, {"do": "clip", "on": "T1", "within_s": 1}]
    expected = {"name": "e", "when": {"detector": "hot"}, "must": must}
    save_expectation(session, small.site, Expectation.model_validate(expected))


def document(session: Session, small: Small) -> dict[str, Any]:
    site = site_document(session, session.get_one(SiteRow, small.site))
    site.check()  # every name leads somewhere
    return site.model_dump(mode="json", exclude_none=True)


def test_a_detector_an_input_an_output_a_device_and_a_timetable_are_followed(small: Small) -> None:
    with transaction() as session:
        built(session, small)
        rename_detector(session, session.get_one(DetectorRow, small.detector), "heat", user_id=None)
        module, camera = session.get_one(DeviceRow, small.module), session.get_one(DeviceRow, small.camera)
        outputs = [
            {"name": "horn", "what": "beacon", "coil": 0, "was": "lamp"},
            {"name": "stop", "coil": 1, "was": "stop"},
        ]
        inputs = [{"name": "door", "discrete": 2, "was": "gate"}]
        change_device(session, module, {"outputs": outputs, "inputs": inputs}, place=module.place)
        change_device(session, camera, {"code": "T9"}, place=camera.place)
        [row] = timetables_of(session, small.site)
        renamed = ALWAYS.model_dump(mode="json") | {"name": "round the clock"}
        save_timetable(session, small.site, renamed, timetable_id=row.id, base=row.revision, reason="a better word")
        found = document(session, small)
    [compound] = found["compounds"]
    assert [part.get("detector") or part.get("input") for part in compound["parts"]] == ["heat", "door"]
    assert compound["timetable"] == "round the clock"
    [link] = [each for each in found["links"] if each["name"] == "l"]
    assert (link["effects"][0]["output"], link["effects"][1]["devices"]) == ("horn", ["T9"])
    [expected] = found["expectations"]
    assert expected["when"]["detector"] == "heat"
    assert [each["on"] for each in expected["must"]] == ["horn", "T9"]
    [held] = [each for place in found["places"] for each in place["devices"] if each["code"] == "M1"]
    assert held["outputs"][0]["timetable"] == "round the clock"  # the page's rows said nothing of it
    assert held["inputs"][0]["timetable"] == "round the clock"
    with transaction() as session:
        [row] = rows_of(session, CompoundRow, small.site)
        reasons = [each.reason for each in revisions_of(session, CompoundRow.WHAT, [row.id])]
        assert "hot is called heat now." in reasons


def test_what_is_used_is_not_taken_away(small: Small) -> None:
    with transaction() as session:
        built(session, small)
        [row] = timetables_of(session, small.site)
        with pytest.raises(Refused, match=r"c, .*M1 lamp, M1 gate"):
            delete_timetable(session, row, reason="gone", user_id=None)
        module = session.get_one(DeviceRow, small.module)
        with pytest.raises(Refused, match="c listens to gate"):
            change_device(session, module, {"inputs": []}, place=module.place)
        wrong = [{"name": "lamp", "what": "beacon", "coil": 0, "was": "lamp", "timetable": "nobody's"}]
        wrong += [{"name": "stop", "coil": 1, "was": "stop"}]
        with pytest.raises(Refused, match="no timetable"):
            change_device(session, module, {"outputs": wrong}, place=module.place)


def test_names_of_one_sort_are_not_taken_for_those_of_another() -> None:
    names = {"a": "b"}
    assert in_compound({"parts": [{"input": "a"}], "timetable": "a"}, "detector", names)["parts"] == [{"input": "a"}]
    assert in_link({"detector": "a", "effects": [{"output": "a"}]}, "output", names)["detector"] == "a"
    must = {"must": [{"do": "say", "on": "a"}, {"on": "a"}], "when": {"detector": "a"}}
    assert [each["on"] for each in in_expectation(must, "output", names)["must"]] == ["a", "b"]
    assert [each["on"] for each in in_expectation(must, "device", names)["must"]] == ["b", "a"]
