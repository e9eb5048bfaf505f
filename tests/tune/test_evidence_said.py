"""What was said is evidence as it was meant: verdicts bend no strip, silence is no verdict, and the rail follows takes that come and go."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from lantern.application.app import make_app
from lantern.core.scoring.marks import Mark
from lantern.db.base import transaction
from lantern.takes.actions import import_path
from lantern.takes.export import export_take
from lantern.takes.tables import TakeRow, marks_of
from lantern.tune.studies import judge_again, run_study
from lantern.tune.tables import DetectorRow
from seeded import Small
from takes_on_disk import DETECTOR
from web.client import AtSite
from web.test_door import log_in


@pytest.fixture
def client(small: Small) -> Iterator[TestClient]:
    with AtSite(make_app(), follow_redirects=False) as made:
        made.headers["x-csrf-token"] = log_in(made)
        yield made


def judged(client: TestClient, small: Small, sustain_s: float) -> dict[str, Any]:
    dials = DETECTOR["dials"] | {"sustain_s": sustain_s}
    body = {"take": small.take, "detector": DETECTOR | {"dials": dials}, "parts": ["judged"]}
    answer = client.post(f"/bench/{small.detector}/judge", json=body)
    assert answer.status_code == 200, answer.text
    return dict(answer.json()["judged"])


def test_right_bends_no_strip(client: TestClient, small: Small) -> None:
    with transaction() as session:
        for row in marks_of(session, small.take):
            session.delete(row)
    event, earlier = judged(client, small, 2)["events"][0], judged(client, small, 0)["events"][0]
    assert earlier["raised_s"] == event["raised_s"] - 2
    made = client.post(f"/takes/{small.take}/marks", json=event["marks"]["right"]).json()
    assert made["lead_s"] == min(30.0, event["raised_s"])
    assert judged(client, small, 2)["missed"] == judged(client, small, 0)["missed"] == []
    # dragged: now somebody has said when it began, and what comes before it does not find it
    dragged = {key: made[key] for key in ("start_s", "end_s", "label", "detector", "note")}
    assert client.put(f"/marks/{made['id']}", json=dragged).json()["lead_s"] == 0.0
    assert judged(client, small, 0)["missed"] == [made["id"]]
    assert judged(client, small, 2)["missed"] == []


def test_the_lead_is_the_sites_and_goes_out_with_the_marks(client: TestClient, small: Small, tmp_path: Path) -> None:
    assert client.put("/lead", json={"lead_s": -1}).status_code == 422
    assert client.put("/lead", json={"lead_s": 2}).json() == {"lead_s": 2}
    event = judged(client, small, 2)["events"][0]
    assert event["marks"]["right"]["lead_s"] == 2
    client.post(f"/takes/{small.take}/marks", json=event["marks"]["right"])
    with transaction() as session:
        take = session.get_one(TakeRow, small.take)
        before = [row.as_mark() for row in marks_of(session, take.id)]
        export_take(session, take, tmp_path / "out.zip")
    again = import_path(tmp_path / "out.zip", site_id=small.site)
    with transaction() as session:
        assert [row.as_mark() for row in marks_of(session, again)] == before
    assert Mark(event["raised_s"], event["marks"]["right"]["end_s"], "expect", "hot", "was right", 2.0) in before


def test_on_a_take_that_nobody_marked_a_raise_is_not_false(client: TestClient, small: Small) -> None:
    """It said "2 false alarms" of a take on which nothing is marked."""

    def said() -> dict[str, str]:
        return {row["key"]: row["text"] for row in judged(client, small, 0)["card"]["rows"]}

    assert said()["false"] == "1"
    with transaction() as session:
        for row in marks_of(session, small.take):
            session.delete(row)
    assert (said()["false"], said()["rate"]) == ("2 not judged", "nothing is marked")
    client.post(f"/takes/{small.take}/marks", json={"start_s": 0, "end_s": 19, "label": "quiet"})
    assert said()["false"] == "2"  # now somebody has said that nothing should raise


def test_the_word_in_the_rail_follows_takes_that_go_and_come(client: TestClient, small: Small, tmp_path: Path) -> None:
    def word() -> str:
        with transaction() as session:
            return session.get_one(DetectorRow, small.detector).verdict

    def takes() -> Any:  # what a page that lies open asks on coming to the fore again
        return client.get(f"/bench/{small.detector}/takes").json()["takes"]

    before = word()
    assert takes() == [small.take]
    with transaction() as session:
        export_take(session, session.get_one(TakeRow, small.take), tmp_path / "out.zip")
    assert client.delete(f"/takes/{small.take}").status_code == 200
    assert word() == "no take"
    assert takes() == []
    for study_id in judge_again(import_path(tmp_path / "out.zip", site_id=small.site)):
        run_study(study_id)
    assert word() == before != "no take"
