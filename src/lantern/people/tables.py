"""Users and their passwords (argon2)."""

from __future__ import annotations

from datetime import datetime

from argon2 import PasswordHasher
from argon2.exceptions import InvalidHashError, VerifyMismatchError
from sqlalchemy import select
from sqlalchemy.orm import Mapped, Session, mapped_column

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
