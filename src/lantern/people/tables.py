"""Users and their passwords (argon2)."""

from __future__ import annotations

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import select
from sqlalchemy.orm import Mapped, Session, mapped_column

from lantern.core.units import Scale
from lantern.db.base import Base

_hasher = PasswordHasher()


class User(Base):
    __tablename__ = "user_account"

    id: Mapped[int] = mapped_column(primary_key=True)
    login: Mapped[str] = mapped_column(unique=True)
    name: Mapped[str]
    password_hash: Mapped[str]
    temperature_scale: Mapped[str] = mapped_column(default="°C")

    @property
    def scale(self) -> Scale:
        return Scale(self.temperature_scale)

    @property
    def initials(self) -> str:
        return "".join(word[0] for word in self.name.split()[:2]).upper()


def add_user(session: Session, *, login: str, name: str, password: str) -> User:
    user = User(login=login, name=name, password_hash=_hasher.hash(password))
    session.add(user)
    session.flush()
    return user


def user_by_password(session: Session, login: str, password: str) -> User | None:
    """The user, if login and password fit. An unknown login costs as much time as a wrong password."""
    user = session.scalar(select(User).where(User.login == login))
    known = user.password_hash if user else _hasher.hash("nobody")
    try:
        _hasher.verify(known, password)
    except (VerifyMismatchError, InvalidHashError):
        return None
    return user


def scale_of(session: Session, user_id: int) -> Scale:
    """The temperature scale in which a user wants to see everything."""
    user = session.get(User, user_id)
    return Scale() if user is None else user.scale
