"""People: their accounts with passwords (argon2), roles on sites, log-ins, and what they changed."""

from __future__ import annotations

from datetime import datetime

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import ForeignKey, Index, select
from sqlalchemy.orm import Mapped, Session, mapped_column, relationship

from lantern.core.units import Scale
from lantern.db.base import Base, now

_hasher = PasswordHasher()
NOBODY = "$argon2id$v=19$m=65536,t=3,p=4$gI7hrwWJCi91r6BiaSKNuw$gxkiQX0ANjcrKRymBSoWfoKIdQ+FMykF+AFYmQ69Afo"  # of a text nobody knows


class User(Base):
    __tablename__ = "user_account"

    id: Mapped[int] = mapped_column(primary_key=True)
    login: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    password_hash: Mapped[str]
    temperature_scale: Mapped[str] = mapped_column(default="°C")
    administrator: Mapped[bool] = mapped_column(default=False)  # of sites and accounts
    disabled: Mapped[bool] = mapped_column(default=False)
    created: Mapped[datetime] = mapped_column(default=now)

    @property
    def scale(self) -> Scale:
        return Scale(self.temperature_scale)

    @property
    def initials(self) -> str:
        return "".join(word[0] for word in self.name.split()[:2]).upper()


class MemberRow(Base):
    """A person's role on a site."""

    __tablename__ = "member"

    user_id: Mapped[int] = mapped_column(ForeignKey("user_account.id"), primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"), primary_key=True)
    role: Mapped[str]
    user: Mapped[User] = relationship()


class ChangeRow(Base):
    """Something that somebody changed: who, when, on which site, what."""

    __tablename__ = "change"
    __table_args__ = (Index("ix_change_site_id_id", "site_id", "id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(default=now)
    user_id: Mapped[int | None] = mapped_column(ForeignKey("user_account.id"))
    site_id: Mapped[int | None] = mapped_column(ForeignKey("site.id", ondelete="CASCADE"))
    what: Mapped[str]
    user: Mapped[User | None] = relationship()


class SessionRow(Base):
    __tablename__ = "user_session"

    digest: Mapped[bytes] = mapped_column(primary_key=True)
    user_id: Mapped[int] = mapped_column(ForeignKey("user_account.id", ondelete="CASCADE"), index=True)
    csrf: Mapped[str]
    began: Mapped[datetime] = mapped_column(default=now)
    seen: Mapped[datetime] = mapped_column(default=now)
    address: Mapped[str]


class AttemptRow(Base):
    __tablename__ = "login_attempt"
    __table_args__ = (
        Index("ix_login_attempt_login_at", "login", "at"),
        Index("ix_login_attempt_address_at", "address", "at"),
    )

    id: Mapped[int] = mapped_column(primary_key=True)
    at: Mapped[datetime] = mapped_column(default=now)
    login: Mapped[str]
    address: Mapped[str]
    succeeded: Mapped[bool]


def add_user(session: Session, *, login: str, name: str, password: str, administrator: bool = False) -> User:
    user = User(login=login, name=name, password_hash=_hasher.hash(password), administrator=administrator)
    session.add(user)
    session.flush()
    return user


def set_password(user: User, password: str) -> None:
    user.password_hash = _hasher.hash(password)


def has_password(user: User, password: str) -> bool:
    try:
        return _hasher.verify(user.password_hash, password)
    except (VerifyMismatchError, InvalidHashError, UnicodeEncodeError):
        return False


def user_by_password(session: Session, login: str, password: str) -> User | None:
    """The user, if login and password fit. An unknown or disabled login costs as much time as a wrong password."""
    user = session.scalar(select(User).where(User.login == login.casefold(), User.disabled.is_(False)))
    try:
        _hasher.verify(user.password_hash if user else NOBODY, password)
    except (VerifyMismatchError, InvalidHashError, UnicodeEncodeError):
        return None
    return user


def scale_of(session: Session, user_id: int) -> Scale:
    """The temperature scale in which a user wants to see everything."""
    user = session.get(User, user_id)
    return Scale() if user is None else user.scale


def all_users(session: Session) -> list[User]:
    """Return all users by their log-ins."""
    return list(session.scalars(select(User).order_by(User.login)))


def first_administrator(session: Session) -> int | None:
    """Whose name stands at what the program does by itself."""
    return session.scalar(select(User.id).where(User.administrator).order_by(User.id).limit(1))
