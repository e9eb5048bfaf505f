"""What can be done with accounts: make, rename, disable, give roles; passwords that are not everybody's."""

from __future__ import annotations

import re
from functools import lru_cache

from sqlalchemy import func, select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, FaultList, Refused
from lantern.core.roles import ROLES
from lantern.people.sessions import end_sessions_of
from lantern.people.tables import MemberRow, User, add_user, set_password

SHORTEST_PASSWORD, LONGEST_PASSWORD = 10, 200
LOGIN = re.compile(r"[a-z0-9][a-z0-9._-]{0,39}")


def check_password(password: str, faults: FaultList, *, login: str = "", name: str = "") -> None:
    """Long enough, not one of those that everybody tries first, and not made of the person's own names."""
    if not SHORTEST_PASSWORD <= len(password) <= LONGEST_PASSWORD:
        faults.add(
            "password", f"{len(password)} characters", f"{SHORTEST_PASSWORD} to {LONGEST_PASSWORD}: a few words do well"
        )
        return
    plain = password.casefold()
    if {plain, plain.rstrip("0123456789!?.-_ ")} & _common() or len(set(plain)) < 4:
        faults.add("password", "is one that many people use", "one that nobody would try")
    own = [part for part in (login, *name.casefold().split()) if len(part) > 2]
    if plain.strip("0123456789!?.-_ ") in own:
        faults.add("password", "is a name of yours", "one that nobody would try")


@lru_cache
def _common() -> frozenset[str]:
    from zxcvbn.frequency_lists import FREQUENCY_LISTS

    return frozenset(FREQUENCY_LISTS["passwords"])


def make_account(
    session: Session, *, login: str, name: str, password: str, administrator: bool = False, again: str | None = None
) -> User:
    """Raises `Refused`. `again`: the password typed a second time, where somebody typed it."""
    faults = FaultList()
    login, name = login.strip().casefold(), name.strip()
    if not LOGIN.fullmatch(login):
        faults.add("log-in", repr(login[:40]), "up to 40 letters a to z, digits, dots and dashes, such as mira")
    elif session.scalar(select(User.id).where(User.login == login)) is not None:
        faults.add("log-in", f"{login!r} is taken", "one that nobody has yet")
    if not 1 <= len(name) <= 80 or not name.isprintable():
        faults.add("name", repr(name[:40]), "the person's name, up to 80 characters")
    check_password(password, faults, login=login, name=name)
    if again is not None and again != password:
        faults.add("password", "was typed differently the second time", "the same twice")
    faults.refuse_if_any()
    return add_user(session, login=login, name=name, password=password, administrator=administrator)


def change_password(session: Session, user: User, password: str, *, keep: bytes | None = None) -> None:
    """Every other log-in of theirs ends. Raises `Refused`."""
    faults = FaultList()
    check_password(password, faults, login=user.login, name=user.name)
    faults.refuse_if_any()
    set_password(user, password)
    end_sessions_of(session, user.id, keep=keep)


def change_account(session: Session, user: User, *, administrator: bool, disabled: bool, name: str) -> None:
    """Raises `Refused` where nobody would be left who can manage accounts. A disabled account is logged out everywhere."""
    if user.administrator and not user.disabled and (disabled or not administrator):
        query = select(func.count()).where(User.administrator, User.disabled.is_(False), User.id != user.id)
        if not session.scalar(query):
            raise Refused([Fault("account", "is the last administrator", "another administrator first")])
    if not 1 <= len(name.strip()) <= 80 or not name.isprintable():
        raise Refused([Fault("name", repr(name[:40]), "the person's name, up to 80 characters")])
    user.administrator, user.disabled, user.name = administrator, disabled, name.strip()
    if disabled:
        end_sessions_of(session, user.id)


def user_by_login(session: Session, login: str) -> User:
    user = session.scalar(select(User).where(User.login == login.strip().casefold()))
    if user is None:
        raise Refused([Fault("log-in", f"nobody is called {login.strip()[:40]!r}", "the log-in of an account")])
    return user


def set_role(session: Session, *, site_id: int, user: User, role: str | None) -> None:
    """Set what somebody may on a site; None: nothing any more. Raises `Refused`."""
    if role is not None and role not in ROLES:
        raise Refused([Fault("role", repr(role[:20]), f"one of {', '.join(ROLES)}")])
    held = session.get(MemberRow, (user.id, site_id))
    if role is None:
        if held is not None:
            session.delete(held)
    elif held is None:
        session.add(MemberRow(user_id=user.id, site_id=site_id, role=role))
    else:
        held.role = role


def members_of(session: Session, site_id: int) -> list[MemberRow]:
    query = select(MemberRow).join(User).where(MemberRow.site_id == site_id).order_by(User.name)
    return list(session.scalars(query))


def who_may(session: Session, site_id: int) -> list[tuple[str, str]]:
    """Return the log-in and role of each who may do something on a site: its members, and whoever may everything everywhere."""
    members = select(User.login, MemberRow.role).join(MemberRow.user).where(MemberRow.site_id == site_id)
    held = {row.login: row.role for row in session.execute(members.where(User.disabled.is_(False)))}
    everywhere = select(User.login).where(User.administrator, User.disabled.is_(False))
    return sorted({**held, **dict.fromkeys(session.scalars(everywhere), ROLES[-1])}.items())


def nobody_yet(session: Session) -> bool:
    """Return whether this is a program without any account."""
    return session.scalar(select(User.id).limit(1)) is None
