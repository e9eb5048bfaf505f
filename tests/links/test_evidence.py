"""A compound over the takes of its parts: what it raises there, and what other numbers would give, counted by hand."""

from __future__ import annotations

from datetime import UTC, datetime
from typing import Any

import pytest
from fastapi.testclient import TestClient

from lantern.application.app import make_app
from lantern.core.logic.causes import Happened
from lantern.core.logic.compounds import Compound
from lantern.core.logic.timetable import Timetable
from lantern.db.base import transaction
from lantern.links.evidence import OneClock, Tried, names_in, on_one_clock, shown
from lantern.links.tables import CompoundRow, rows_of
from lantern.tune.tables import DetectorRow
from seeded import Small
from web.test_access import log_in

BEGIN = datetime(2026, 3, 4, 5, 0, tzinfo=UTC)


def clock(*events: tuple[str, float, float]) -> OneClock:
    happened = tuple(
        Happened("detector", name, at, at + lasts, (at, 0, n)) for n, (name, at, lasts) in enumerate(events)
    )
    return OneClock(BEGIN, happened, (("night", 0.0, 600.0),))


def compound(**more: Any) -> Compound:
    return Compound.model_validate({"name": "c", "parts": [{"detector": "A"}, {"detector": "B"}], **more})


def test_each_number_says_how_often_it_would_raise() -> None:
    # A, B four, nine and forty seconds later; by hand: within 3 s never, within 5 s once, within 10 s twice, within 45 s thrice
    held = clock(("A", 0, 1), ("B", 4, 1), ("A", 100, 1), ("B", 109, 1), ("A", 200, 1), ("B", 240, 1))
    strips = dict(Tried(compound(kind="all", within_s=5.0), (), held, {}).strips()["within_s"])
    assert (strips[3.0], strips[5.0], strips[10.0], strips[45.0]) == (0, 1, 2, 3)
    told = shown(Tried(compound(kind="all", within_s=5.0), (), held, {}))
    assert told["raised"] == [[4, False]]
    assert [each[2] for each in told["lanes"][0]["events"]] == [True, False, False]
    # unless: B disturbs from 4 s before to 1 s after; by hand A at 0 waits 10 s, and B at 4 cleared at 5, quiet at 10
    lone = Tried(compound(kind="unless", wait_s=10.0, quiet_s=5.0), (), clock(("A", 0, 60), ("B", 4, 1)), {})
    assert shown(lone)["raised"] == [[10.0, False]]
    assert dict(lone.strips()["quiet_s"])[10.0] == 1  # later, once it was quiet for ten seconds
    assert shown(Tried(lone.compound.model_copy(update={"quiet_s": 10.0}), (), lone.clock, {}))["raised"] == [
        [15.0, False]
    ]


def test_its_own_hours_put_it_to_sleep_by_the_clock_of_the_takes() -> None:
    hours = Timetable.model_validate(
        {"name": "h", "zone": "UTC", "hours": [{"day": 2, "start_min": 0, "end_min": 301}]}
    )
    held = clock(("A", 10, 1), ("A", 100, 1))  # 05:00:10 and 05:01:40 of a Wednesday
    told = shown(Tried(compound(kind="any", timetable="h"), (), held, {"h": hours}))
    assert told["raised"] == [[10, False], [100, True]]


def test_parts_are_found_through_other_compounds() -> None:
    inner = Compound.model_validate({"name": "i", "kind": "any", "parts": [{"detector": "X"}, {"input": "gate"}]})
    outer = Compound.model_validate({"name": "o", "kind": "any", "parts": [{"compound": "i"}, {"detector": "Y"}]})
    assert names_in(outer, [inner]) == {"X", "Y"}


def test_it_is_judged_on_the_takes_of_the_store(small: Small) -> None:
    with transaction() as session:
        name = session.get_one(DetectorRow, small.detector).name
        held = on_one_clock(session, small.site, {name})
        assert held is not None
        assert len(held.happened) >= 1
        assert on_one_clock(session, small.site, {"nobody"}) is None


@pytest.fixture
def client(small: Small) -> TestClient:
    return log_in(make_app(), "ida", "open sesame")


def test_its_page_makes_ties_changes_and_deletes_one(client: TestClient, small: Small) -> None:
    root = f"/sites/{small.site}"
    document = {"name": "c", "kind": "any", "parts": [{"detector": "hot"}]}
    judged = client.post(f"{root}/compounds/judge", json=document).json()
    assert judged["raised"]
    assert client.post(f"{root}/compounds/judge", json={**document, "parts": [{"input": "x"}]}).json()["lacks"]
    made = client.post(f"{root}/compounds", json=document).json()
    link = {
        "name": "c to lamp",
        "effects": [{"output": "lamp"}, {"do": "mail", "to": ["a@b.example"], "text": "{nobody}"}],
    }
    wrong = client.post(f"{root}/compound-links/{made['id']}", json=link)
    assert (wrong.status_code, "filled in by nothing" in wrong.text) == (422, True)
    link["effects"][1]["text"] = "{detector}"
    tied = client.post(f"{root}/compound-links/{made['id']}", json=link).json()
    assert tied["compound"] == "c"
    assert client.get(f"{root}/compound-links/{made['id']}").status_code == 200
    refused = client.delete(f"{root}/compounds/{made['id']}?base=1")
    assert (refused.status_code, "listens to c" in refused.text) == (422, True)
    renamed = client.put(
        f"{root}/compounds/{made['id']}?base=1&reason=clearer", json=document | {"name": "heat"}
    ).json()
    assert renamed["links"] == ["c to lamp"]
    assert client.put(f"{root}/compounds/{made['id']}?base=1&reason=old", json=document).status_code == 409
    assert client.delete(f"{root}/compound-links/{made['id']}/{tied['id']}?base=2").status_code == 200
    assert client.delete(f"{root}/compounds/{made['id']}?base=2").status_code == 200
    with transaction() as session:
        assert rows_of(session, CompoundRow, small.site) == []


def test_a_message_is_kept_and_not_deleted_while_it_is_said(client: TestClient, small: Small) -> None:
    root = f"/sites/{small.site}"
    kept = client.post(f"{root}/messages", json={"name": "halt", "text": "Halt at {place}", "length_s": 3}).json()
    again = client.post(f"{root}/messages", json={"name": "halt", "text": "Halt!", "length_s": 2}).json()
    assert (again["id"], again["text"]) == (kept["id"], "Halt!")
    wrong = client.post(f"{root}/messages", json={"name": "x", "text": "{colour}", "length_s": 3})
    assert wrong.status_code == 422
    assert client.delete(f"{root}/messages/{kept['id']}").status_code == 200
