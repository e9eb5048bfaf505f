"""Every route says whom it is for, and lets nobody else pass; numbers of another site lead nowhere."""

from __future__ import annotations

import re
from collections.abc import Iterator
from typing import Any

import pytest
from fastapi import FastAPI
from fastapi.routing import APIRoute
from fastapi.testclient import TestClient

from lantern.application.app import make_app
from lantern.core.roles import ROLES
from lantern.db.base import transaction
from lantern.people.accounts import set_role
from lantern.people.roles import changes_of
from lantern.people.tables import add_user
from lantern.register.tables import device_by_code
from lantern.sites.actions import add_site
from lantern.web.access import OFF_SITE, SITE, may
from seeded import SITE as TEST_SITE
from seeded import Small
from web.test_door import form_token

PASSWORD = "a long enough one"
ENDLESS = re.compile(r"/stream$")
PASSED = {200, 303, 404, 405, 409, 422, 429, 503}  # whatever becomes of a made-up request once the door has let it in


@pytest.fixture
def small(small: Small) -> Small:
    """With one person of each role beside the administrator, and one who has none."""
    with transaction() as session:
        for role in (*ROLES, None):
            user = add_user(session, login=role or "nobody", name=role or "Nobody", password=PASSWORD)
            if role:
                set_role(session, site_id=small.site, user=user, role=role)
    return small


@pytest.fixture
def app() -> FastAPI:
    return make_app()


def routes(app: FastAPI) -> Iterator[tuple[str, str, str]]:
    """(method, address, role) as the description of the application has them."""
    for address, operations in app.openapi()["paths"].items():
        for method, operation in operations.items():
            yield method.upper(), address, operation.get("x-role", "")


def log_in(app: FastAPI, login: str, password: str = PASSWORD) -> TestClient:
    client = TestClient(app, follow_redirects=False, raise_server_exceptions=False)
    token = form_token(client.get("/login").text)
    assert client.post("/login", data={"login": login, "password": password, "csrf": token}).status_code == 303
    page = client.get("/account", headers={"accept": "text/html"})
    client.headers["X-CSRF-Token"] = form_token(page.text)
    return client


def at_site(address: str, small: Small, **numbers: int) -> str:
    """With numbers that are there, or could be."""
    known: dict[str, Any] = {"site_id": small.site, "device_id": small.camera, "detector_id": small.detector}
    known |= {"take_id": small.take, "place_id": 1, "mark_id": 1, "link_id": 1, "timetable_id": 1} | numbers
    return re.sub(r"\{(\w+)\}", lambda found: str(known.get(found[1], 1)), address)


def test_every_route_says_whom_it_is_for(app: FastAPI) -> None:
    known = set(ROLES) | set(OFF_SITE)
    seen = list(routes(app))
    assert len(seen) > 80
    for method, address, role in seen:
        assert role in known, f"{method} {address} declares no role"
        assert role not in ROLES or address.startswith(SITE), f"{method} {address} is for {role}"
        assert role != "anybody" or not address.startswith(SITE), f"{method} {address} is for anybody"


def test_a_route_without_a_role_is_found(app: FastAPI) -> None:
    app.add_api_route("/open", lambda: "all of it", methods=["GET"])
    app.openapi_schema = None
    assert ("GET", "/open", "") in list(routes(app))
    with pytest.raises(ValueError, match="owner"):
        may("owner")


def test_no_route_hides_from_the_description(app: FastAPI) -> None:
    told = {(method, address) for method, address, _ in routes(app)}
    assert len(told) == len(list(routes(app)))
    for route in app.routes:
        if isinstance(route, APIRoute) and not route.include_in_schema:
            raise AssertionError(f"{route.path} is in no description, so no test walks it")


def test_each_role_passes_where_it_may_and_nowhere_else(app: FastAPI, small: Small) -> None:
    """All routes of a site times every role; in the order of roles, so that what a higher one deletes is still there for the lower."""
    walked = [(m, a, r) for m, a, r in routes(app) if r in ROLES and not ENDLESS.search(a)]
    clients = {role: log_in(app, role or "nobody") for role in ("", *ROLES)}
    for method, address, wanted in walked:
        for role, client in clients.items():
            if role and ROLES.index(role) >= ROLES.index(wanted):
                continue
            answer = client.request(method, at_site(address, small), json={})
            expected = 403 if role else 404  # whether a site is there is nobody else's business
            assert answer.status_code == expected, f"{method} {address} as {role or 'nobody'}: {answer.text[:200]}"
    removals = [each for each in walked if each[0] == "DELETE"]
    for method, address, wanted in [*(each for each in walked if each[0] != "DELETE"), *removals]:
        answer = clients[wanted].request(method, at_site(address, small), json={})
        assert answer.status_code in PASSED, f"{method} {address} as {wanted}: {answer.status_code} {answer.text[:200]}"


def test_off_site_only_administrators_manage_accounts_and_sites(app: FastAPI, small: Small) -> None:
    lead, administrator = log_in(app, "lead"), log_in(app, "ida", "open sesame")
    anybody = TestClient(app, follow_redirects=False)
    for method, address, role in [each for each in routes(app) if each[2] in OFF_SITE]:
        if address in ("/logout", "/setup", "/login") or "stream" in address:
            continue
        path = at_site(address, small)
        for client, passes in (
            (anybody, role == "anybody"),
            (lead, role != "administrator"),
            (administrator, True),
        ):
            status = client.request(method, path, json={}).status_code
            assert (status not in (401, 403)) == passes, f"{method} {address}: {status}"


def test_numbers_of_another_site_lead_nowhere(app: FastAPI, small: Small) -> None:
    """Two sites may share the codes of devices; an address of one never reaches what is the other's."""
    with transaction() as session:
        other = add_site(session, TEST_SITE.model_copy(update={"name": "Other site"}))
        camera = device_by_code(session, other.id, "T1")
        assert camera is not None
        foreign = {"site_id": other.id, "camera": camera.id}
    client = log_in(app, "ida", "open sesame")
    walked = [(m, a) for m, a, r in routes(app) if r in ROLES and "_id}" in a.removeprefix(SITE)]
    assert len(walked) > 40
    for method, address in walked:
        if "person_id" in address or ENDLESS.search(address):
            continue
        answer = client.request(method, at_site(address, small, site_id=foreign["site_id"]), json={})
        assert answer.status_code == 404, f"{method} {address}: {answer.status_code}"
    assert client.get(f"/sites/{foreign['site_id']}/devices/{foreign['camera']}").status_code == 200


def test_every_change_says_who(app: FastAPI, small: Small) -> None:
    client = log_in(app, "engineer")
    assert client.post(f"/sites/{small.site}/places", json={"name": "Loft"}).status_code == 200
    assert (
        client.post(f"/sites/{small.site}/places", json={"name": "Loft"}).status_code == 422
    )  # what failed is no change
    with transaction() as session:
        told = [(change.user.login if change.user else "", change.what) for change in changes_of(session, small.site)]
    assert told == [("engineer", "made the place Loft")]
    page = log_in(app, "lead").get(f"/sites/{small.site}/people", headers={"accept": "text/html"})
    assert "made the place Loft" in page.text
