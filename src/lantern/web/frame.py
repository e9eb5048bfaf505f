"""What stands around every page, as whoever assembles the stages knows it: the shell itself knows none of them."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Protocol

from fastapi import APIRouter, Request
from sqlalchemy.orm import Session

from lantern.core.faults import LanternError


@dataclass(frozen=True, kw_only=True)
class RailLine:
    """A line of the rail, of one device: where it leads (a detector's number, if it is one), and a word on how that stands."""

    name: str
    word: str
    glyph: str = "none"
    id: int | None = None
    caution: str = ""  # what is wrong with it, in full


Count = Callable[[Session, int], tuple[int, str]]  # (session, site) to how much is open in a stage, and what that is


def nothing_open(session: Session, site_id: int) -> tuple[int, str]:
    """A stage that never asks for anything."""
    return 0, ""


@dataclass(frozen=True, kw_only=True)
class Room:
    """What a folder brings to the application, in a module `stage` that holds `STAGE`.

    `routers`: beneath the address of a site; `above`: of no site. `owners`: by the name of a number in an address, the column
    it is of and the query for its site. Its folders `templates` and `static` are found beside it.
    """

    routers: tuple[APIRouter, ...] = ()
    above: tuple[APIRouter, ...] = ()
    owners: Mapping[str, tuple[Any, Any]] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class Stage(Room):
    """A room that is a stage of the job: on the route, at its place from the left.

    `of_detector`: its pages are of one detector, at `address/NUMBER`. `rail`: lines by device; `flags`: how much is open at each, by code.
    """

    key: str
    label: str
    place: int
    address: str
    of_detector: bool = True
    count: Count = nothing_open
    rail: Callable[[Session, int], Mapping[int, list[RailLine]]] | None = None
    flags: Callable[[Session, int], Mapping[str, int]] | None = None


class Frame(Protocol):
    """What every page has, by name, for its template."""

    def of_site(self, request: Request, session: Session, detector: Any) -> dict[str, Any]:
        """Return what a page of the site in the address has, and one of a detector if it is about one."""

    def above(self, request: Request, session: Session) -> dict[str, Any]:
        """Return what a page of no site has."""


class Guard(Protocol):
    """The door that says who may do what."""

    def admit(self, request: Request, role: str) -> tuple[int, int | None]:
        """Return who asks, and for which site; the site and the role on it are in the request's state. Raises HTTP 401,
        403, 404.
        """

    def note(self, *, user_id: int | None, site_id: int | None, what: str) -> None:
        """Somebody changed something."""


class NotAssembledError(LanternError):
    """The shell runs without an application around it."""


@dataclass
class _Installed:
    frame: Frame | None = None
    guard: Guard | None = None


_installed = _Installed()


def install(frame: Frame, guard: Guard) -> None:
    """Give the shell what it asks of the stages. Called once, by the application."""
    _installed.frame, _installed.guard = frame, guard


def frame() -> Frame:
    if _installed.frame is None:
        raise NotAssembledError("no frame is installed")
    return _installed.frame


def guard() -> Guard:
    if _installed.guard is None:
        raise NotAssembledError("no guard is installed")
    return _installed.guard
