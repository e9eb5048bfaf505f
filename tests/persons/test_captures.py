"""Pictures of looks: sealed by whose they are, gone after their time, refused in the open, kept behind the decisions."""

from __future__ import annotations

import base64
import json
import time
from datetime import timedelta
from pathlib import Path

import pytest
from sqlalchemy import select

from benches.faces.door import Door, door
from lantern.db.base import now, transaction
from lantern.lists.actions import save_list
from lantern.lists.tables import ListRow
from lantern.live.app import make_ingest
from lantern.live.engine import Engine
from lantern.live.tables import LateRow
from lantern.persons.actions import portrait_of
from lantern.persons.captures import Capture, keep, picture_of
from lantern.persons.keeping import ends_of, look, set_capture_hours, set_keeping
from lantern.persons.keys import key_store
from lantern.persons.tables import CaptureRow, PersonRow, SiteKeepingRow
from lantern.standins.likeness import drawing
from loops import in_a_loop
from persons.served import enrolled, face


@pytest.fixture
def at(database: str, tmp_path: Path) -> Door:
    return door(tmp_path)


def rows() -> dict[str, CaptureRow]:
    with transaction() as session:
        found = {row.probe: row for row in session.scalars(select(CaptureRow))}
        session.expunge_all()
        return found


def test_a_look_at_a_member_is_sealed_by_their_key_and_any_other_by_its_own(at: Door) -> None:
    person = enrolled(at, "x1")
    picture = drawing(face(1))
    keep(at.camera, [Capture("a", 10.0, picture, "x1"), Capture("b", 10.0, picture), Capture("c", 11.0, picture, "m1")])
    keep(at.camera, [Capture("a", 10.0, picture, "x1")])  # sent again
    held = rows()
    assert set(held) == {"a", "b", "c"}
    with transaction() as session:
        own = session.get_one(PersonRow, person)
        assert (held["a"].person_id, held["a"].key_id) == (person, own.key_id)
        assert held["b"].person_id is held["c"].person_id is None  # nobody knows m1 by more than that name
        assert len({row.key_id for row in held.values()}) == 3
        found = picture_of(session, at.camera, "b")
        assert found is not None
        assert found[1:] == (picture, "image/png")


def test_the_time_of_a_picture_is_over_and_its_key_is_destroyed(at: Door) -> None:
    with transaction() as session:
        set_capture_hours(session, at.site, 2)
    keep(at.camera, [Capture("a", 10.0, drawing(face(1)))])
    key = rows()["a"].key_id
    begun = now()
    assert look(begun) == []
    assert set(rows()) == {"a"}
    look(begun + timedelta(minutes=30))  # not its turn yet
    with transaction() as session:
        kept = session.get_one(SiteKeepingRow, at.site)
        assert kept.next == begun + timedelta(hours=1)
    assert look(begun + timedelta(hours=3)) == []
    assert rows() == {}
    assert key_store().of([key]) == {}
    with transaction() as session:
        assert session.get_one(SiteKeepingRow, at.site).gone == 1


def test_people_go_when_the_list_that_keeps_them_longest_says(at: Door) -> None:
    person = enrolled(at, "x1")
    with transaction() as session:
        set_keeping(session, at.lists["barred"], legal_basis="", keep_days=10)
    assert look(now() + timedelta(days=9)) == []
    assert len(look(now() + timedelta(days=11))) == 1
    with transaction() as session:
        assert session.get_one(PersonRow, person).member is None


@pytest.mark.parametrize(("crew_days", "goes_after"), [(20, 20), (5, 10), (None, None)])
def test_somebody_on_two_lists_stays_as_long_as_either_says(
    at: Door, crew_days: int | None, goes_after: int | None
) -> None:
    person = enrolled(at, "x1")
    with transaction() as session:
        crew = session.get_one(ListRow, at.lists["crew"])
        body = crew.body | {"members": [*crew.body["members"], "x1"]}
        save_list(session, at.site, body, list_id=crew.id, base=crew.revision, reason="Both.", user_id=at.user)
        set_keeping(session, at.lists["barred"], legal_basis="", keep_days=10)
        set_keeping(session, at.lists["crew"], legal_basis="", keep_days=crew_days)
        held = {row.id: (goes, days) for row, goes, days in ends_of(session, at.site)}
        enrolled_at = session.get_one(PersonRow, person).enrolled
    assert enrolled_at is not None
    if goes_after is None:
        assert held[person][0] is None
    else:
        assert held[person] == (enrolled_at + timedelta(days=goes_after), goes_after)


def test_the_end_of_somebodys_picture_leaves_what_is_known_of_them(at: Door) -> None:
    person = enrolled(at, "x1")
    with transaction() as session:
        set_capture_hours(session, at.site, 2)
    keep(at.camera, [Capture("a", 10.0, drawing(face(1)), "x1")])
    look(now() + timedelta(hours=3))
    assert rows() == {}
    with transaction() as session:
        held = portrait_of(session, session.get_one(PersonRow, person))
        assert held is not None
        assert held.data == drawing(face(1))


def test_without_an_end_nobody_goes_by_themselves(at: Door) -> None:
    enrolled(at, "x1")
    assert look(now() + timedelta(days=5000)) == []


# ---- live ------------------------------------------------------------------------------------------------------------


def posted(at: Door, *, t: float, peer: str = "127.0.0.1", **own: object) -> tuple[int, dict[str, object]]:
    async def run() -> tuple[int, dict[str, object]]:
        import httpx

        engine = Engine()
        await engine.start()
        transport = httpx.ASGITransport(make_ingest(engine), client=(peer, 5))
        async with httpx.AsyncClient(transport=transport, base_url="http://ingest") as client:
            seen = {"probe": "q1", "candidates": [["x1", 91.0], ["m1", 20.0]]} | own
            document = {"format": "lantern-looks/1", "seq": 1, "t": t, "looks": [seen]}
            headers = {"Authorization": f"Bearer {at.token}"}
            answer = await client.post("/ingest/F1", content=json.dumps(document), headers=headers)
        await engine.stop()
        return answer.status_code, answer.json()

    return in_a_loop(run)


def coded(data: bytes) -> str:
    return base64.b64encode(data).decode()


def test_a_picture_that_comes_with_a_look_is_kept_for_whom_it_is_taken(at: Door) -> None:
    person = enrolled(at, "x1")
    assert posted(at, t=time.time(), picture=coded(drawing(face(1))))[0] == 200
    assert rows()["q1"].person_id == person


def test_below_the_threshold_it_is_nobodys(at: Door) -> None:
    enrolled(at, "x1")
    posted(at, t=time.time(), picture=coded(drawing(face(1))), candidates=[["x1", 79.9]])
    assert rows()["q1"].person_id is None


def test_what_comes_late_is_kept_without_its_picture(at: Door) -> None:
    assert posted(at, t=time.time() - 60, picture=coded(drawing(face(1))))[0] == 200
    with transaction() as session:
        late = session.scalars(select(LateRow)).one()
        assert "picture" not in json.dumps(late.body)


def test_in_the_open_no_picture_is_taken_and_a_look_without_one_is(at: Door) -> None:
    status, said = posted(at, t=time.time(), peer="192.0.2.9", picture=coded(drawing(face(1))))
    assert status == 403
    assert "encrypted only" in str(said["message"])
    assert rows() == {}
    assert posted(at, t=time.time(), peer="192.0.2.9")[0] == 200


@pytest.mark.parametrize(
    ("picture", "says"),
    [("!!", "is no base64"), (coded(b"GIF89a"), "neither JPEG nor PNG"), (coded(b"\x89PNG\r\n\x1a\n\0"), "cut off")],
)
def test_what_is_no_picture_is_refused_with_its_look(at: Door, picture: str, says: str) -> None:
    status, said = posted(at, t=time.time(), picture=picture)
    assert status == 422
    assert "look q1: picture" in str(said)
    assert says in str(said)
