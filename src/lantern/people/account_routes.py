"""The first account, one's own account, and everybody's."""

from __future__ import annotations

import secrets
from typing import Any

from fastapi import APIRouter, HTTPException, Request
from fastapi.responses import HTMLResponse, RedirectResponse, Response
from starlette.concurrency import run_in_threadpool

from lantern.core.faults import Fault, Refused
from lantern.core.modelled import Strict
from lantern.core.roles import MEANINGS, ROLES
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.people import accounts
from lantern.people.roles import changes_of
from lantern.people.sessions import begin_session, sessions_of
from lantern.people.tables import SessionRow, User, has_password
from lantern.settings import settings
from lantern.web.access import SITE, may, site_id_of, tell
from lantern.web.answers import json_answer
from lantern.web.door import FORM_COOKIE, SESSION_COOKIE, set_cookie, token, user_id
from lantern.web.pages import environment, render, render_above

router = APIRouter()
DIGEST_SHOWN = 12  # of a session's digest, in hexadecimal: enough to name one of a person's


class NewAccount(Strict):
    login: str
    name: str
    password: str
    again: str = ""
    administrator: bool = False


class NewMember(Strict):
    login: str
    name: str
    password: str
    role: str


class Account(Strict):
    name: str
    administrator: bool
    disabled: bool


class Password(Strict):
    now: str = ""
    password: str
    again: str = ""


class Membership(Strict):
    login: str
    role: str


# ---- the first one ---------------------------------------------------------------------------------------------------


@router.get("/setup", **may("anybody"))
def setup_page(request: Request) -> Response:
    with transaction() as session:
        if not accounts.nobody_yet(session):
            return RedirectResponse("/", 303)
    return _setup(request, {}, [])


@router.post("/setup", **may("anybody"))
async def set_up(request: Request) -> Response:
    """The first account, an administrator's; whoever makes it is logged in."""
    form = {key: value for key, value in (await request.form()).items() if isinstance(value, str)}

    def make() -> str | list[Fault]:
        try:
            with transaction() as session:
                if not accounts.nobody_yet(session):
                    raise HTTPException(409, "There is an account already: log in with it.")
                _check_code(form.get("code", ""))
                user = accounts.make_account(
                    session,
                    login=form.get("login", ""),
                    name=form.get("name", ""),
                    password=form.get("password", ""),
                    again=form.get("again", ""),
                    administrator=True,
                )
                address = request.client.host if request.client else "unknown"
                return begin_session(session, user_id=user.id, address=address, instead_of=None)
        except Refused as error:
            return error.faults

    made = await run_in_threadpool(make)
    if isinstance(made, list):
        return _setup(request, form, made)
    answer = RedirectResponse("/sites", 303)
    set_cookie(request, answer, SESSION_COOKIE, made, days=settings().session_days)
    answer.delete_cookie(FORM_COOKIE)
    return answer


def _check_code(code: str) -> None:
    wanted = settings().setup_code
    if wanted and not secrets.compare_digest(code.strip().encode(), wanted.encode()):
        raise Refused([Fault("code", "is not the one", "the code that the start command printed")])


def _setup(request: Request, form: dict[str, str], faults: list[Fault]) -> HTMLResponse:
    csrf = token(request)
    text = environment.get_template("setup.html").render(
        csrf=csrf, form=form, faults=faults, asks_code=bool(settings().setup_code), least=accounts.SHORTEST_PASSWORD
    )
    page = HTMLResponse(text, 422 if faults else 200)
    set_cookie(request, page, FORM_COOKIE, csrf)
    return page


# ---- one's own -------------------------------------------------------------------------------------------------------


@router.get("/account", **may("known"))
def account_page(request: Request) -> HTMLResponse:
    with transaction() as session:
        rows = sessions_of(session, user_id(request))
        mine = request.state.known.digest
        return render_above(
            request, session, "account.html", here="account", sessions=[_session(row, mine) for row in rows]
        )


def _session(row: SessionRow, mine: bytes) -> dict[str, Any]:
    key = row.digest.hex()[:DIGEST_SHOWN]
    return {"key": key, "began": row.began, "seen": row.seen, "address": row.address, "here": row.digest == mine}


@router.put("/account/password", **may("known", "changed a password"))
def change_password(request: Request, asked: Password) -> Response:
    """Every other log-in ends with it."""
    with transaction() as session:
        user = session.get_one(User, user_id(request))
        if not has_password(user, asked.now):
            raise Refused([Fault("present password", "is not right", "the password that you logged in with")])
        if asked.password != asked.again:
            raise Refused([Fault("password", "was typed differently the second time", "the same twice")])
        accounts.change_password(session, user, asked.password, keep=request.state.known.digest)
        return json_answer({"changed": True})


@router.delete("/account/sessions/{key}", **may("known"))
def end_one(request: Request, key: str) -> Response:
    with transaction() as session:
        for row in sessions_of(session, user_id(request)):
            if row.digest.hex()[:DIGEST_SHOWN] == key:
                session.delete(row)
                return json_answer({"ended": key})
    raise HTTPException(404, "This log-in has ended already.")


# ---- everybody's -----------------------------------------------------------------------------------------------------


@router.get("/people", **may("administrator"))
def people_page(request: Request) -> HTMLResponse:
    with transaction() as session:
        return render_above(request, session, "people.html", here="people", people=_people(session))


def _people(session: Any) -> list[User]:
    from sqlalchemy import select

    return list(session.scalars(select(User).order_by(User.disabled, User.name)))


@router.post("/people", **may("administrator", "made an account"))
def make_account(request: Request, asked: NewAccount) -> Response:
    with transaction() as session:
        user = accounts.make_account(
            session,
            login=asked.login,
            name=asked.name,
            password=asked.password,
            administrator=asked.administrator,
        )
        tell(request, f"made the account {user.login}")
        return json_answer({"id": user.id, "login": user.login})


@router.put("/people/{person_id}", **may("administrator", "changed an account"))
def change_account(request: Request, person_id: Id, asked: Account) -> Response:
    """Accounts are disabled, never deleted: what they did stays theirs."""
    with transaction() as session:
        user = _person(session, person_id)
        accounts.change_account(
            session, user, administrator=asked.administrator, disabled=asked.disabled, name=asked.name
        )
        tell(request, f"changed the account {user.login}")
        return json_answer({"id": user.id})


@router.put("/people/{person_id}/password", **may("administrator", "gave an account a new password"))
def give_password(request: Request, person_id: Id, asked: Password) -> Response:
    with transaction() as session:
        user = _person(session, person_id)
        accounts.change_password(session, user, asked.password)
        tell(request, f"gave {user.login} a new password")
        return json_answer({"id": user.id})


def _person(session: Any, person_id: int) -> User:
    user = session.get(User, person_id)
    if user is None:
        raise HTTPException(404, f"There is no account {person_id}.")
    return user  # type: ignore[no-any-return] # the session's own


# ---- of a site -------------------------------------------------------------------------------------------------------


@router.get(f"{SITE}/people", **may("lead"))
def members_page(request: Request) -> HTMLResponse:
    with transaction() as session:
        members = accounts.members_of(session, site_id_of(request))
        return render(
            request,
            session,
            "members.html",
            stage="people",
            members=members,
            roles=ROLES,
            meanings=MEANINGS,
            changes=changes_of(session, site_id_of(request)),
        )


@router.put(f"{SITE}/people", **may("lead", "gave somebody a role"))
def set_member(request: Request, asked: Membership) -> Response:
    with transaction() as session:
        user = accounts.user_by_login(session, asked.login)
        accounts.set_role(session, site_id=site_id_of(request), user=user, role=asked.role)
        tell(request, f"made {user.login} {asked.role} here")
        return json_answer({"login": user.login, "role": asked.role})


@router.post(f"{SITE}/people", **may("lead", "made an account for this site"))
def make_member(request: Request, asked: NewMember) -> Response:
    """A new account that has a role on this site and none elsewhere."""
    with transaction() as session:
        user = accounts.make_account(session, login=asked.login, name=asked.name, password=asked.password)
        accounts.set_role(session, site_id=site_id_of(request), user=user, role=asked.role)
        tell(request, f"made the account {user.login}, {asked.role} here")
        return json_answer({"login": user.login, "role": asked.role})


@router.delete(f"{SITE}/people/{{person_id}}", **may("lead", "took somebody's role away"))
def remove_member(request: Request, person_id: Id) -> Response:
    with transaction() as session:
        user = _person(session, person_id)
        accounts.set_role(session, site_id=site_id_of(request), user=user, role=None)
        tell(request, f"took {user.login}'s role here away")
        return json_answer({"login": user.login})
