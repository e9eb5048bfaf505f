"""Accounts: the first one, passwords, the last administrator, log-ins that end, and the console."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from fastapi.testclient import TestClient

from lantern.application.app import make_app
from lantern.core.faults import Refused
from lantern.db.base import transaction
from lantern.people.accounts import change_account, change_password, make_account, set_role
from lantern.people.roles import role_on
from lantern.people.tables import User, has_password
from lantern.settings import settings
from seeded import Small
from web.test_access import log_in
from web.test_door import form_token

GOOD = "seven wet herons"


@pytest.fixture
def empty(database: str) -> Iterator[TestClient]:
    with TestClient(make_app(), follow_redirects=False) as made:
        yield made


def first(client: TestClient, **fields: str) -> int:
    token = form_token(client.get("/setup").text)
    form = {"login": "ada", "name": "Ada Test", "password": GOOD, "again": GOOD, "csrf": token} | fields
    answer = client.post("/setup", data=form)
    client.headers.pop("X-CSRF-Token", None)
    return answer.status_code


# ---- the first account -----------------------------------------------------------------------------------------------


def test_an_empty_program_asks_for_its_first_account_and_for_no_other(empty: TestClient) -> None:
    assert empty.get("/login").headers["location"] == "/setup"
    assert first(empty) == 303
    with transaction() as session:
        [user] = session.query(User).all()
        assert (user.login, user.administrator) == ("ada", True)
    page = empty.get("/sites", headers={"accept": "text/html"})
    assert all(words in page.text for words in ("New site", "Site from a file", "Look at the demo"))
    assert empty.get("/setup").headers["location"] == "/"
    empty.cookies.clear()
    token = form_token(empty.get("/login").text)
    again = empty.post("/setup", data={"login": "eve", "name": "E", "password": GOOD, "again": GOOD, "csrf": token})
    assert again.status_code == 409


def test_off_loopback_it_asks_for_the_code_that_was_printed(empty: TestClient, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(settings(), "setup_code", "4711-2026")
    assert "code" in empty.get("/setup").text
    assert first(empty, code="4711-0000") == 422
    with transaction() as session:
        assert session.query(User).count() == 0
    assert first(empty, code=" 4711-2026 ") == 303


@pytest.mark.parametrize(
    ("fields", "told"),
    [
        ({"password": "short one", "again": "short one"}, "10 to 200"),
        ({"password": "password123", "again": "password123"}, "many people use"),
        ({"password": "Ada Test 12", "again": "other"}, "the same twice"),
        ({"login": "Ada Lovelace"}, "letters a to z"),
        ({"name": ""}, "name"),
    ],
)
def test_what_is_wrong_with_the_first_account_is_said_and_nothing_is_stored(
    empty: TestClient, fields: dict[str, str], told: str
) -> None:
    token = form_token(empty.get("/setup").text)
    form = {"login": "ada", "name": "Ada Test", "password": GOOD, "again": GOOD, "csrf": token} | fields
    answer = empty.post("/setup", data=form)
    assert (answer.status_code, told in answer.text) == (422, True), answer.text[-800:]
    assert GOOD not in answer.text  # a password comes back in no page
    with transaction() as session:
        assert session.query(User).count() == 0


# ---- passwords and log-ins -------------------------------------------------------------------------------------------


def test_passwords_that_everybody_tries_are_refused(small: Small) -> None:
    """Both are near the top of every published list of leaked passwords (common knowledge, no source)."""
    with transaction() as session:
        user = session.get_one(User, small.user)
        for poor in ("1234567890", "qwertyuiop", "iloveyou!!", "aaaaaaaaaaaa", "idaidaidaida"):
            with pytest.raises(Refused, match="password"):
                change_password(session, user, poor)
        change_password(session, user, GOOD)
        assert has_password(user, GOOD)


def test_a_new_password_ends_the_other_log_ins_and_keeps_ones_own(small: Small) -> None:
    app = make_app()
    here, elsewhere = log_in(app, "ida", "open sesame"), log_in(app, "ida", "open sesame")
    sessions = here.get("/account", headers={"accept": "text/html"}).text
    assert sessions.count('data-send="DELETE"') >= 1
    wrong = {"now": "not it", "password": GOOD, "again": GOOD}
    assert here.put("/account/password", json=wrong).status_code == 422
    assert here.put("/account/password", json=wrong | {"now": "open sesame"}).status_code == 200
    assert here.get("/sites").status_code == 200
    assert elsewhere.get("/sites").status_code == 401


def test_one_log_in_of_ones_own_can_be_ended(small: Small) -> None:
    app = make_app()
    here, elsewhere = log_in(app, "ida", "open sesame"), log_in(app, "ida", "open sesame")
    with transaction() as session:
        from lantern.people.sessions import sessions_of

        newest = max(sessions_of(session, small.user), key=lambda row: row.began)
        key = newest.digest.hex()[:12]
    assert here.delete(f"/account/sessions/{key}").status_code == 200
    assert elsewhere.get("/sites").status_code == 401
    assert here.delete(f"/account/sessions/{key}").status_code == 404


# ---- who may what ----------------------------------------------------------------------------------------------------


def test_the_last_administrator_cannot_go(small: Small) -> None:
    with transaction() as session:
        ida = session.get_one(User, small.user)
        for change in ({"disabled": True, "administrator": True}, {"disabled": False, "administrator": False}):
            with pytest.raises(Refused, match="last administrator"):
                change_account(session, ida, name="Ida", **change)
        make_account(session, login="bo", name="Bo", password=GOOD, administrator=True)
        change_account(session, ida, name="Ida", administrator=False, disabled=False)
        assert role_on(session, ida, small.site) is None


def test_a_disabled_account_is_out_and_stays_in_the_list(small: Small) -> None:
    app = make_app()
    with transaction() as session:
        bo = make_account(session, login="bo", name="Bo Test", password=GOOD)
        set_role(session, site_id=small.site, user=bo, role="engineer")
        bo_id = bo.id
    client, ida = log_in(app, "bo", GOOD), log_in(app, "ida", "open sesame")
    body = {"name": "Bo Test", "administrator": False, "disabled": True}
    assert ida.put(f"/people/{bo_id}", json=body).status_code == 200
    assert client.get("/sites").status_code == 401
    fresh = TestClient(app, follow_redirects=False)
    token = form_token(fresh.get("/login").text)
    assert fresh.post("/login", data={"login": "bo", "password": GOOD, "csrf": token}).status_code == 422
    assert "Bo Test" in ida.get("/people", headers={"accept": "text/html"}).text
    assert ida.delete(f"/people/{bo_id}").status_code == 405  # what they did stays theirs


def test_no_file_and_no_page_of_a_site_tells_a_password_or_token(small: Small) -> None:
    ida = log_in(make_app(), "ida", "open sesame")
    for address in ("survey", "people", "site.json", f"devices/{small.camera}", "takes"):
        text = ida.get(f"/sites/{small.site}/{address}", headers={"accept": "text/html"}).text
        assert small.token not in text, address
        assert "$argon2" not in text, address
    renewed = ida.post(f"/sites/{small.site}/devices/{small.camera}/token").json()["token"]
    assert renewed != small.token
    assert renewed not in ida.get(f"/sites/{small.site}/devices/{small.camera}").text  # shown this once
