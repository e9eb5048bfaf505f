"""A whole site on one clock: its small take through detector, compound and links; what is expected is kept, broken or not shown."""

from __future__ import annotations

from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

import pytest
from fastapi.testclient import TestClient
from sqlalchemy.orm import Session

from lantern.application.app import make_app
from lantern.core.faults import Refused
from lantern.core.linking.expectations import Expectation
from lantern.db.base import transaction
from lantern.links.actions import save_link
from lantern.links.compounds import save_compound
from lantern.links.tables import NamedCause, links_of_site
from lantern.rehearse.expected import delete_expectation, save_expectation
from lantern.rehearse.playing import heard, played, to_judge
from lantern.rehearse.site_wide import shown
from lantern.sites.actions import site_document
from lantern.sites.tables import SiteRow
from lantern.takes.tables import TakeRow
from lantern.tune.actions import save_revision
from lantern.tune.tables import DetectorRow
from seeded import Small
from web.test_access import log_in


def expect(small: Small, name: str, on: str, within_s: float, **when: Any) -> None:
    with transaction() as session:
        must = [{"do": "switch", "on": on, "within_s": within_s}]
        save_expectation(session, small.site, Expectation.model_validate({"name": name, "when": when, "must": must}))


def test_it_is_judged_played_and_held_against_what_is_expected(small: Small) -> None:
    expect(small, "lamp", "lamp", 1.0, detector="hot")
    expect(small, "stop", "stop", 1.0, detector="hot")
    expect(small, "twice", "lamp", 1.0, compound="twice")
    with transaction() as session:
        parts = [{"detector": "hot"}, {"detector": "hot"}]
        save_compound(
            session,
            small.site,
            {"name": "twice", "kind": "sequence", "within_s": 0.5, "parts": parts},
            compound_id=None,
        )
        cause = NamedCause(small.site, "compound", "twice")
        save_link(session, cause, {"name": "t", "effects": [{"do": "show", "roles": ["operator"]}]}, link_id=None)
    with transaction() as session:
        [(row, take)] = to_judge(session, small.site)
        one = heard(session, row, take)
        assert one.verdicts.count("hit") == 1
        assert [label for _, _, label, _, _ in one.marks] == ["expect", "quiet"]
        for laid in ("day", "recorded"):
            told = shown(played(session, small.site, laid))  # type: ignore[arg-type]
            [place] = told["places"]
            [lane] = place["lanes"]
            assert (place["name"], lane["name"], lane["code"]) == ("Shed", "hot", "T1")
            assert len(lane["events"]) == len(one.events)
            assert {each["result"] for each in told["orders"]} == {"done"}
            assert told["lanes"] == ["lamp"]
            words = {each["expectation"]: each["result"] for each in told["expectations"]}
            assert words == {"lamp": "kept", "stop": "broken", "twice": "not shown"}
            assert dict(told["stations"])["raised"] == len(one.events)
            assert dict(told["stations"])["orders done"] == len(told["orders"])
            assert told["load"]["count"] == len(told["orders"])
        made = shown(played(session, small.site, "made up", seed=5))
        times = round(sum(b - a for a, b in made["spans"]) / take.length_s)
        assert times > 1  # an hour of it, or two where it was recorded over the end of one
        assert len(made["orders"]) == times * len(day_orders(session, small.site))
        assert made["unknown"] == {"T1": 23 if times * take.length_s < 3600 + take.length_s else 22}
        assert made["load"]["length_s"] == pytest.approx(times * take.length_s)
        recorded = shown(played(session, small.site, "recorded"))
        assert recorded["spans"][0][0] == 0.0
        assert recorded["begins"] == take.start.timestamp()
        day = shown(played(session, small.site, "day"))
        assert day["begins"] + day["spans"][0][0] == pytest.approx(take.start.timestamp(), abs=1)


def day_orders(session: Session, site_id: int) -> list[Any]:
    orders: list[Any] = shown(played(session, site_id, "day"))["orders"]
    return orders


def test_a_made_up_day_ends_at_its_midnight(small: Small) -> None:
    with transaction() as session:
        take = session.get_one(TakeRow, small.take)
        take.stored_start = datetime(2026, 3, 2, 23, 30, tzinfo=ZoneInfo("Europe/Amsterdam"))
        take.length_s = 1_199.5  # the fourth begins a second and a half before midnight
        session.flush()
        made = shown(played(session, small.site, "made up", seed=5))
        assert made["spans"] == [(23 * 3600.0, 24 * 3600.0)]
        raised = [at for place in made["places"] for lane in place["lanes"] for _, at, *_ in lane["events"]]
        [(row, held)] = to_judge(session, small.site)
        whole = [each.raised_s for each in heard(session, row, held).events]
        by_hand = [begins + t for begins in (82_800.0 + n * 1_199.5 for n in range(4)) for t in whole]
        assert any(t >= 86_400.0 for t in by_hand)
        assert raised == pytest.approx(sorted(t for t in by_hand if t < 86_400.0))


def test_an_expectation_of_one_name_is_changed_goes_out_with_the_site_and_away(small: Small) -> None:
    expect(small, "lamp", "lamp", 1.0, detector="hot")
    expect(small, "lamp", "lamp", 9.0, detector="hot")
    with transaction() as session:
        [held] = site_document(session, session.get_one(SiteRow, small.site)).expectations
        assert held.must[0].within_s == 9.0
        delete_expectation(session, small.site, "lamp")
        with pytest.raises(Refused, match="none called"):
            delete_expectation(session, small.site, "lamp")
        assert site_document(session, session.get_one(SiteRow, small.site)).expectations == ()


def test_its_page_judges_plays_and_keeps(small: Small) -> None:
    client: TestClient = log_in(make_app(), "ida", "open sesame")
    root = f"/sites/{small.site}"
    assert client.get(f"{root}/rehearsal").status_code == 200
    assert client.post(f"{root}/rehearsal/judge/{small.detector}?take={small.take}").json()["events"] >= 1
    told = client.post(f"{root}/rehearsal/play?laid=recorded").json()
    order = told["orders"][0]
    must = [{"do": order["do"], "on": order["on"], "within_s": 5}]
    document = {"name": "hot: lamp", "when": {"detector": "hot"}, "must": must}
    assert client.post(f"{root}/expectations", json=document).status_code == 200
    [kept] = client.post(f"{root}/rehearsal/play").json()["expectations"]
    assert (kept["result"], kept["sentence"]) == ("kept", "hot: switch on lamp within 5 s")
    assert client.post(f"{root}/expectations", json={**document, "must": []}).status_code == 422
    assert client.post(f"{root}/rehearsal/play?laid=sideways").status_code == 422
    assert client.delete(f"{root}/expectations?name=hot: lamp").status_code == 200


def test_a_run_is_held_against_the_last_that_was_another_with_what_was_changed(small: Small) -> None:
    expect(small, "lamp", "lamp", 1.0, detector="hot")
    client: TestClient = log_in(make_app(), "ida", "open sesame")

    def play() -> dict[str, Any]:
        since: dict[str, Any] = client.post(f"/sites/{small.site}/rehearsal/play").json()["since"]
        return since

    assert play() == {"before": None, "differences": [], "changes": [], "takes": []}
    assert play()["before"] is None  # the same again is not another
    with transaction() as session:
        [row] = links_of_site(session, small.site)
        body = row.body | {"delay_s": 3.0}
        cause = session.get_one(DetectorRow, small.detector)
        save_link(session, cause, body, link_id=row.id, base=row.revision, reason="later", user_id=None)
    told = play()
    assert told["before"] is not None
    found = {(each["sort"], each["name"], each["before"], each["after"], each["worse"]) for each in told["differences"]}
    assert found == {("expectation", "lamp", "kept", "broken", True)}
    assert [(each["what"], each["name"], each["why"]) for each in told["changes"]] == [("link", "hot to lamp", "later")]
    assert play()["differences"] == told["differences"]  # looked at again it says the same


def suppose(client: TestClient, small: Small, **document: Any) -> dict[str, Any]:
    answer = client.post(f"/sites/{small.site}/rehearsal/suppose?laid=recorded", json=document)
    assert answer.status_code == 200, answer.text
    out: dict[str, Any] = answer.json()
    return out


def test_what_if_says_what_comes_out_otherwise_and_keeps_nothing(small: Small) -> None:
    expect(small, "lamp", "lamp", 1.0, detector="hot")
    client: TestClient = log_in(make_app(), "ida", "open sesame")
    as_it_is = client.post(f"/sites/{small.site}/rehearsal/play?laid=recorded").json()
    count = len(as_it_is["orders"])
    nothing = suppose(client, small)
    assert (nothing["differences"], nothing["orders"]) == ([], [])
    down = suppose(client, small, down=["M1"])
    [same] = down["orders"]
    assert (same["on"], same["words"], same["times"]) == ("lamp", "lost instead of done", count)
    assert down["otherwise"] == count
    found = {(each["name"], each["before"], each["after"], each["worse"]) for each in down["differences"]}
    assert ("lamp", "kept", "broken", True) in found
    assert {each["result"] for each in down["run"]["orders"]} == {"lost"}
    assert down["load"][1]["count"] == 0  # a lamp that is dark tells nobody
    blind = suppose(client, small, down=["T1"])
    assert blind["run"]["orders"] == [] and ("lamp", "kept", "not shown") in {
        (each["name"], each["before"], each["after"]) for each in blind["differences"]
    }
    late = suppose(client, small, late_s=2.5)
    assert {each["words"] for each in late["orders"]} == {"2.5 s later"}
    shared = suppose(client, small, guards=2)
    assert [each["count"] for each in shared["load"]] == [count, (count + 1) // 2]  # they take turns
    other_hour = suppose(client, small, later_h=-3)
    assert other_hour["run"]["begins"] == as_it_is["begins"] - 3 * 3600
    again = client.post(f"/sites/{small.site}/rehearsal/play?laid=recorded").json()
    assert again["since"]["before"] is None  # none of them was kept


def test_what_if_a_detector_were_as_it_was(small: Small) -> None:
    client: TestClient = log_in(make_app(), "ida", "open sesame")
    with transaction() as session:
        row = session.get_one(DetectorRow, small.detector)
        changed = row.model.model_copy(update={"dials": row.model.dials | {"threshold_c": 500.0}})
        number = row.revision
        save_revision(session, row, changed, reason="never", user_id=None, base=number)
    assert client.post(f"/sites/{small.site}/rehearsal/play").json()["orders"] == []
    told = suppose(client, small, revisions={"hot": number})
    assert {each["words"] for each in told["orders"]} == {"comes, done"}
    assert any(each["what"] == "hit" and each["worse"] is False for each in told["differences"])


def test_what_if_of_nothing_that_is_there_is_refused(small: Small) -> None:
    client: TestClient = log_in(make_app(), "ida", "open sesame")
    at = f"/sites/{small.site}/rehearsal/suppose"
    for document, words in (
        ({"down": ["Q9"]}, "no device 'Q9'"),
        ({"revisions": {"hot": 77}}, "no revision 77"),
        ({"revisions": {"cold": 1}}, "'cold' has no revision 1"),
        ({"late_s": -1}, "late_s"),
    ):
        answer = client.post(at, json=document)
        assert answer.status_code == 422 and words in answer.text
