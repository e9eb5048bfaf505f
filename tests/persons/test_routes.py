"""The page of persons over HTTP: who may see names and pictures, that it is kept who did, enrolled by a picture, out and in."""

from __future__ import annotations

import base64
import io
import json
import zipfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import pytest
from sqlalchemy import select

from benches.faces.door import Door, door
from lantern.application.app import make_app
from lantern.db.base import transaction
from lantern.people.accounts import set_role
from lantern.people.tables import add_user
from lantern.persons.captures import Capture, keep
from lantern.persons.tables import PersonRow, SeenRow
from lantern.standins.likeness import drawing
from persons.served import NAME, Served, bound, enrolled, face, served
from web.client import AtSite
from web.test_door import HTML, form_token, log_in


@pytest.fixture
def at(database: str, tmp_path: Path) -> Door:
    return door(tmp_path)


@pytest.fixture
def client(at: Door) -> AtSite:
    made = AtSite(make_app(), follow_redirects=False)
    made.headers["X-CSRF-Token"] = log_in(made)
    return made


@pytest.fixture
def device(at: Door) -> Iterator[Served]:
    with served(at.token) as held:
        bound(at, held.url)
        yield held


def client_as(at: Door, role: str) -> AtSite:
    with transaction() as session:
        user = add_user(session, login=role, name=role.title(), password="open sesame")
        set_role(session, site_id=at.site, user=user, role=role)
    made = AtSite(make_app(), follow_redirects=False)
    form = {"login": role, "password": "open sesame", "csrf": form_token(made.get("/login").text)}
    made.post("/login", data=form)
    made.headers["X-CSRF-Token"] = form_token(made.get("/survey", headers=HTML).text)
    return made


def coded(data: bytes) -> str:
    return base64.b64encode(data).decode()


def seen() -> list[str]:
    with transaction() as session:
        return [row.what for row in session.scalars(select(SeenRow).order_by(SeenRow.id))]


# ---- looked at -------------------------------------------------------------------------------------------------------


def test_pictures_are_kept_by_nobody_on_the_way_and_that_they_were_looked_at_is(client: AtSite, at: Door) -> None:
    person = enrolled(at, "x1")
    keep(at.camera, [Capture("q/1", 10.0, drawing(face(1)), "x1")])
    page = client.get("/persons", headers=HTML)
    assert page.status_code == 200
    assert NAME in page.text
    for path in (f"/persons/{person}/portrait", "/members/x1/portrait", f"/devices/{at.camera}/looks/q/1"):
        answer = client.get(path)
        assert (answer.status_code, answer.headers["content-type"]) == (200, "image/png")
        assert answer.headers["cache-control"] == "no-store"
        assert answer.content.startswith(b"\x89PNG")
    assert client.get(f"/persons/{person}/looks").json()["looks"][0]["probe"] == "q/1"
    assert seen() == [
        "the names of all",
        "a portrait",
        "a picture of a look",
    ]  # a second look within a minute is the same
    shown = client.get("/persons/all").json()
    assert {each["what"] for each in shown["seen"]} == set(seen())
    assert {each["of"] for each in shown["seen"]} == {"", "x1"}


@pytest.mark.parametrize(
    ("role", "names", "log"), [("viewer", False, False), ("operator", True, False), ("lead", True, True)]
)
def test_each_role_sees_what_it_may(at: Door, role: str, names: bool, log: bool) -> None:
    person = enrolled(at, "x1")
    client = client_as(at, role)
    shown = client.get("/persons/all").json()
    assert (NAME in json.dumps(shown)) is names
    assert ("seen" in shown) is log
    assert client.get(f"/persons/{person}/portrait").status_code == (200 if names else 403)
    leads = [
        client.post(f"/persons/{person}/erase", json={"why": "."}).status_code,
        client.get(f"/persons/{person}/export.zip").status_code,
        client.get(f"/people-lists/{at.lists['barred']}/people.zip").status_code,
        client.put("/persons/keeping", json={"hours": 3}).status_code,
    ]
    assert leads == ([200, 404, 200, 200] if log else [403] * 4)


def test_what_the_page_of_a_list_and_the_sites_file_show_names_nobody(client: AtSite, at: Door) -> None:
    enrolled(at, "x1")
    client.put(f"/people-lists/{at.lists['barred']}/keeping", json={"legal_basis": "House right, quite plainly"})
    for path in ("/people-lists", "/takes", "/events", "/lead/file", "/diff"):
        text = client.get(path, headers=HTML).text
        assert NAME not in text
        assert "House right, quite plainly" not in text


# ---- enrolled --------------------------------------------------------------------------------------------------------


def test_somebody_is_enrolled_by_a_picture_and_the_device_holds_them(client: AtSite, at: Door, device: Served) -> None:
    lists = [at.lists["barred"]]
    judged = client.post("/persons/check", json={"picture": coded(drawing(face(5))), "lists": lists}).json()
    assert judged["cautions"] == []
    assert (judged["said"]["accepted"], judged["said"]["by"], judged["said"]["faces"]) == (True, "F1", 1)
    answer = client.post("/persons", json={"name": NAME, "picture": coded(drawing(face(5))), "lists": lists})
    assert answer.status_code == 200, answer.text
    member = answer.json()["member"]
    assert answer.json()["pending"] == 0
    assert member in device.gallery.names
    shown = {each["member"]: each for each in client.get("/persons/all").json()["persons"]}
    assert (shown[member]["name"], shown[member]["lists"]) == (NAME, ["barred"])
    assert shown[member]["portrait"]["said"]["eyes_px"] == pytest.approx(45.6)


def test_a_picture_that_the_device_refuses_stores_nothing(client: AtSite, at: Door, device: Served) -> None:
    answer = client.post(
        "/persons", json={"name": NAME, "picture": coded(drawing(face(5), cap=True)), "lists": [at.lists["barred"]]}
    )
    assert answer.status_code == 422
    assert "F1 refuses it" in answer.text
    with transaction() as session:
        assert session.scalars(select(PersonRow)).all() == []
    assert device.gallery.names == ()


def test_who_looks_like_somebody_else_is_asked_about(client: AtSite, at: Door, device: Served) -> None:
    asked = {"picture": coded(drawing(face(5))), "lists": [at.lists["barred"]]}
    first = client.post("/persons", json={"name": "A", **asked}).json()["member"]
    again = client.post("/persons", json={"name": "B", **asked})
    assert again.status_code == 422
    assert f"looks the same: {first}" in again.text
    assert client.post("/persons", json={"name": "B", "even_so": True, **asked}).status_code == 200
    # a picture of somebody who is known is no duplicate of themselves
    assert client.post("/persons", json={"member": first, **asked}).status_code == 200


def test_a_device_that_is_away_is_given_the_picture_later(client: AtSite, at: Door, device: Served) -> None:
    device.away = True
    asked = {"name": "A", "picture": coded(drawing(face(5))), "lists": [at.lists["barred"]]}
    answer = client.post("/persons", json=asked)
    assert (answer.status_code, answer.json()["pending"]) == (200, 1)
    device.away = False
    assert client.post(f"/devices/{at.camera}/gallery").json() == {"given": 0, "let_go": 0}
    assert answer.json()["member"] in device.gallery.names


def test_somebody_is_enrolled_by_a_look(client: AtSite, at: Door) -> None:
    keep(at.camera, [Capture("q1", 10.0, drawing(face(1)))])
    look = {"device_id": at.camera, "probe": "q1"}
    answer = client.post("/persons", json={"name": NAME, "look": look, "lists": [at.lists["crew"]]})
    assert answer.status_code == 200, answer.text
    assert client.get(f"/members/{answer.json()['member']}/portrait").content == drawing(face(1))


@pytest.mark.parametrize(
    ("asked", "says"),
    [
        ({}, "neither name, picture nor list"),
        ({"picture": "!"}, "no base64"),
        ({"picture": coded(b"BM nothing")}, "neither JPEG nor PNG"),
        ({"picture": coded(b"\x89PNG\r\n\x1a\n" + bytes(40))}, "cannot be read"),
        ({"look": {"device_id": 1, "probe": "never"}}, "no picture, or its time is over"),
        ({"name": "A", "lists": [999]}, "lists of people of this site"),
        ({"name": "A\x07", "member": "x9"}, "printable"),
        ({"name": "A", "member": "x" * 200}, "printable characters"),
    ],
)
def test_what_is_no_person_is_refused_with_its_reason(
    client: AtSite, at: Door, asked: dict[str, Any], says: str
) -> None:
    answer = client.post("/persons", json=asked)
    assert answer.status_code == 422
    assert says in answer.text
    with transaction() as session:
        assert session.scalars(select(PersonRow)).all() == []


def test_members_on_a_list_are_given_a_name_before_anything_else_is_known(client: AtSite, at: Door) -> None:
    assert client.put("/members/x2/name", json={"name": "Brill Oakum"}).status_code == 200
    assert client.put("/members/nobody/name", json={"name": "B"}).status_code == 404
    shown = {each["member"]: each["name"] for each in client.get("/persons/all").json()["persons"]}
    assert shown["x2"] == "Brill Oakum"


# ---- out and in ------------------------------------------------------------------------------------------------------


def test_all_that_is_stored_of_somebody_goes_out_as_one_file(client: AtSite, at: Door) -> None:
    person = enrolled(at, "x1")
    keep(at.camera, [Capture("q1", 10.0, drawing(face(1)), "x1")])
    client.put(f"/people-lists/{at.lists['barred']}/keeping", json={"legal_basis": "House right", "keep_days": 30})
    answer = client.get(f"/persons/{person}/export.zip")
    with zipfile.ZipFile(io.BytesIO(answer.content)) as archive:
        document = json.loads(archive.read("person.json"))
        assert (document["name"], document["called"]) == (NAME, "x1")
        assert document["lists"][0]["legal_basis"] == "House right"
        assert archive.read("portrait.png") == drawing(face(1))
        assert archive.read("looks/19700101T000010.000.png") == drawing(face(1))
    assert "all that is stored, as a file" in seen()
    assert answer.headers["cache-control"] == "no-store"


def test_a_list_goes_out_with_names_and_pictures_and_comes_in_again(client: AtSite, at: Door) -> None:
    enrolled(at, "x1")
    out = client.get(f"/people-lists/{at.lists['barred']}/people.zip")
    with zipfile.ZipFile(io.BytesIO(out.content)) as archive:
        assert archive.read("people.csv").decode() == f"member,name,picture\nx1,{NAME},pictures/0001.png\nx2,,\n"
    kept = client.put(f"/people-lists/{at.lists['crew']}/people.zip", content=out.content)
    assert kept.json() == {"people": 2}
    shown = {each["member"]: each["lists"] for each in client.get("/persons/all").json()["persons"]}
    assert shown["x1"] == ["barred", "crew"]


@pytest.mark.parametrize(
    ("table", "says"),
    [
        ("who,picture\n", "member,name,picture"),
        ("member,name,picture\n,,\n", "names nobody"),
        ("member,name,picture\nx1,A,pictures/2.png\n", "is not in the zip"),
        ("member,name,picture\nx1,A,\n", "belongs to no row"),
        ("member,name,picture\nx1,A,pictures/1.png\nx1,B,\n", "stands in line 2 too"),
    ],
)
def test_a_zip_with_a_fault_enrols_nobody(client: AtSite, at: Door, table: str, says: str) -> None:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        archive.writestr("people.csv", table)
        archive.writestr("pictures/1.png", drawing(face(1)))
    answer = client.put(f"/people-lists/{at.lists['crew']}/people.zip", content=out.getvalue())
    assert answer.status_code == 422
    assert says in answer.text
    with transaction() as session:
        assert session.scalars(select(PersonRow)).all() == []


def test_how_long_is_checked(client: AtSite, at: Door) -> None:
    barred = at.lists["barred"]
    assert client.put(f"/people-lists/{barred}/keeping", json={"keep_days": 0}).status_code == 422
    assert client.put("/persons/keeping", json={"hours": -1}).status_code == 422
    assert client.put("/persons/keeping", json={"hours": 5}).status_code == 200
    assert client.get("/persons/all").json()["keeping"]["hours"] == 5
