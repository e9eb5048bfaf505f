"""The preflight of a site in the store: looked at once for each state, accepted while it says the same, mended and undone."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import pytest

from lantern.core.faults import LanternError, Refused
from lantern.core.site import Acceptance, Channel, Site
from lantern.db.base import transaction
from lantern.links.actions import save_link, save_timetable
from lantern.links.tables import links_of, timetables_of
from lantern.people.tables import User
from lantern.preflight.actions import accept, mend, take_back, undo
from lantern.preflight.jumps import Jumps
from lantern.preflight.looking import checked_of, look, look_at_all, mark_of
from lantern.preflight.tables import LookRow
from lantern.register.devices import change_device
from lantern.register.tables import DeviceRow
from lantern.revisions import revisions_of
from lantern.sites.actions import import_site, site_document, site_file
from lantern.sites.tables import SiteRow
from lantern.tune.tables import DetectorRow
from seeded import Small

EMPTY = {"name": "never", "zone": "Europe/Amsterdam", "hours": []}
PULSE = {"output": "stop", "mode": "pulse", "length_s": 0.2}


def rules(site_id: int) -> dict[str, dict[str, Any]]:
    with transaction() as session:
        return {each["rule"]: each for each in look(session, site_id).findings}


def give_link(small: Small, **changes: Any) -> None:
    with transaction() as session:
        detector = session.get_one(DetectorRow, small.detector)
        [row] = links_of(session, small.detector)
        document = row.body | changes
        save_link(session, detector, document, link_id=row.id, base=row.revision, reason="a trial")


def test_a_site_is_looked_at_once_for_each_state(small: Small) -> None:
    with transaction() as session:
        first = look(session, small.site)
        at, mark = first.at, first.mark
        assert look(session, small.site).at == at
    give_link(small, effects=[PULSE])
    with transaction() as session:
        again = look(session, small.site)
        assert again.mark != mark
        found = {each["rule"]: each for each in again.findings}
        assert found["pulse_short"]["at"] == "links[hot to lamp]"
        assert found["pulse_short"]["code"] == "T1"
        # what was there before is as old as it was
        old = [each for each in again.findings if each["rule"] == "defaults_left" or each["rule"] == "no_watchdog"]
        assert old and all(each["since"] == at.isoformat() for each in old)
        assert found["pulse_short"]["since"] > at.isoformat()


def test_what_only_the_running_program_knows_is_looked_at_too(small: Small) -> None:
    found = rules(small.site)
    assert "never_judged" not in found  # it was scored on its take
    assert found["few_quiet_hours"]["what"].startswith("was judged on 0 min")
    assert found["one_account"]["what"].startswith("ida is the only account")
    with transaction() as session:
        checked = checked_of(session, session.get_one(SiteRow, small.site))
        assert checked.evidence is not None
        assert checked.evidence["hot"].takes == 1
        session.get_one(DetectorRow, small.detector).verdict = "no marks"
    assert "never_judged" in rules(small.site)


def test_an_output_that_another_site_switches_is_told_at_both(small: Small) -> None:
    with transaction() as session:
        module = session.get_one(DeviceRow, small.module)
        change_device(session, module, {"address": {"host": "10.1.1.1", "port": 502}}, place=module.place)
        document = site_document(session, session.get_one(SiteRow, small.site))
        other = import_site(session, document.model_copy(update={"name": "Other"}), user_id=None)
        other_id = other.id
    assert rules(small.site)["output_of_two_sites"]["what"] == "Other switches the same coil"
    assert rules(other_id)["output_of_two_sites"]["what"] == "Test site switches the same coil"


def test_an_accepted_finding_comes_back_when_it_says_something_else(small: Small) -> None:
    give_link(small, effects=[PULSE])
    at = "links[hot to lamp]"
    with transaction() as session:
        user = session.get_one(User, small.user)
        with pytest.raises(Refused, match="because"):
            accept(session, small.site, "pulse_short", at, because="  ", user=user)
        with pytest.raises(Refused, match="found no more"):
            accept(session, small.site, "coil_twice", at, because="so it is", user=user)
        accept(session, small.site, "pulse_short", at, because="A relay that is quick.", user=user)
    held = rules(small.site)["pulse_short"]["accepted"]
    assert (held["because"], held["by"]) == ("A relay that is quick.", "Ida Test")
    give_link(small, effects=[PULSE | {"length_s": 0.1}])
    found = rules(small.site)
    assert found["pulse_short"]["accepted"] is None
    assert "says something else now" in found["accepted_and_gone"]["what"]
    with transaction() as session:
        take_back(session, small.site, "pulse_short", at)
        with pytest.raises(Refused, match="not accepted"):
            take_back(session, small.site, "pulse_short", at)
    assert "accepted_and_gone" not in rules(small.site)


def test_what_is_accepted_goes_out_with_the_site_and_comes_in_again(small: Small, tmp_path: Path) -> None:
    give_link(small, effects=[PULSE])
    with transaction() as session:
        user = session.get_one(User, small.user)
        accept(session, small.site, "pulse_short", "links[hot to lamp]", because="It is quick.", user=user)
        written = site_file(site_document(session, session.get_one(SiteRow, small.site)))
        site = Site.model_validate_json(written)
        [held] = site.accepted
        assert held == Acceptance(
            rule="pulse_short",
            at="links[hot to lamp]",
            because="It is quick.",
            by="Ida Test",
            on=held.on,
            what="switches stop for 0.2 s",
        )
        row = import_site(session, site.model_copy(update={"name": "Again"}), user_id=None)
        assert site_document(session, row).accepted == site.accepted


def test_a_file_that_accepts_one_finding_twice_is_refused() -> None:
    twice = (Acceptance(rule="a", at="b", because="c"), Acceptance(rule="a", at="b", because="d"))
    with pytest.raises(Refused, match="accepted"):
        Site(name="Twice", accepted=twice).check()


def test_a_quick_fix_is_a_revision_and_is_undone(small: Small) -> None:
    give_link(small, effects=[PULSE])
    with transaction() as session:
        done = mend(session, small.site, "pulse_short", "links[hot to lamp]", user_id=small.user)
        [row] = links_of(session, small.detector)
        assert row.body["effects"][0]["length_s"] == 0.5
        assert revisions_of(session, "link", [row.id])[0].reason == "Preflight: switches stop for 0.2 s."
        with pytest.raises(Refused, match="found no more"):
            mend(session, small.site, "pulse_short", "links[hot to lamp]", user_id=small.user)
    assert "pulse_short" not in rules(small.site)
    with transaction() as session:
        undo(session, small.site, done.revision_id, done.number, user_id=small.user)
    assert "pulse_short" in rules(small.site)
    with transaction() as session, pytest.raises(LanternError, match="meanwhile"):
        undo(session, small.site, done.revision_id, done.number, user_id=small.user)


def test_a_device_and_a_timetable_are_mended_and_put_back(small: Small) -> None:
    with transaction() as session:
        camera = session.get_one(DeviceRow, small.camera)
        channels = [Channel.model_validate({"name": "1", "settings": {"time_zone": "UTC"}}).model_dump(mode="json")]
        change_device(session, camera, {"channels": channels}, place=camera.place)
        hours = [{"day": 0, "start_min": 0, "end_min": 60}]
        save_timetable(session, small.site, {"name": "UTC", "zone": "UTC", "hours": hours}, timetable_id=None)
    for rule, at in (("channel_zone_differs", "places[Shed].devices[T1]"), ("zone_differs", "timetables[UTC]")):
        assert rules(small.site)[rule]["at"] == at
        with transaction() as session:
            done = mend(session, small.site, rule, at, user_id=small.user)
        assert rule not in rules(small.site)
        with transaction() as session:
            undo(session, small.site, done.revision_id, done.number, user_id=small.user)
        assert rule in rules(small.site)
    with transaction() as session:
        assert {row.body["zone"] for row in timetables_of(session, small.site)} == {"Europe/Amsterdam", "UTC"}


def test_the_worker_looks_once_a_site_is_at_rest(small: Small) -> None:
    marks = look_at_all({})
    with transaction() as session:
        assert session.get(LookRow, small.site) is None
    look_at_all(marks)
    with transaction() as session:
        assert session.get_one(LookRow, small.site).mark == mark_of(session, small.site)
    before = marks
    give_link(small, effects=[PULSE])
    after = look_at_all(before)
    with transaction() as session:
        assert session.get_one(LookRow, small.site).mark == before[small.site]
    look_at_all(after)
    with transaction() as session:
        assert session.get_one(LookRow, small.site).mark == after[small.site]


def test_each_place_leads_to_the_page_where_it_is_mended(small: Small) -> None:
    with transaction() as session:
        to = Jumps(session, small.site).to
        assert to("places[Shed].devices[T1]") == f"/devices/{small.camera}"
        assert to("places[Shed].devices[M1].outputs[lamp]") == f"/devices/{small.module}"
        assert to("places[Shed].devices[M1].duty") == f"/devices/{small.module}/duty"
        assert to("detectors[hot]") == f"/bench/{small.detector}"
        assert to("links[hot to lamp]") == f"/links/{small.detector}"
        assert to("timetables[always on]") == f"/links/{small.detector}"
        assert to("plan.aims[x]") == "/plan"
        assert to("") == "/survey"
