"""What is tuned: it has dials, and takes that show what they bring about. A detector is one; another stage may bring others.

Found by listing: a folder that brings some has a module `tuned` with `TUNED`: by a word for their sort, how one is found.
"""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Mapping, Sequence
from functools import cache
from typing import Any, ClassVar

from sqlalchemy.orm import Session

import lantern
from lantern.core.faults import Fault, Refused
from lantern.core.kinds import detector_of, kind_of
from lantern.core.listing import modules_named
from lantern.core.tuning.measures import AnyYardstick, Card
from lantern.db.work import Tell
from lantern.takes.tables import TakeRow, evidence_of_device
from lantern.tune.actions import card_on, rejudge
from lantern.tune.evidence import Held, hold
from lantern.tune.tables import DetectorRow


class Tuned(ABC):
    """One subject of tuning, within the caller's transaction. `sort` and `id` name it; its states are kept under both."""

    sort: ClassVar[str]
    id: int
    site_id: int
    revision: int  # in use

    @property
    @abstractmethod
    def yardstick(self) -> AnyYardstick:
        """Return what it is judged by."""

    @abstractmethod
    def reads(self, take: TakeRow) -> bool:
        """Return whether it can be held against the take."""

    @abstractmethod
    def takes(self, session: Session) -> list[TakeRow]:
        """Return its evidence, takes that were set aside among it."""

    @abstractmethod
    def held(self, session: Session, state: Mapping[str, Any], takes: Sequence[TakeRow]) -> list[Held]:
        """Return a state of it (a document, as a draft or a revision has it) held against takes. Raises `Refused`."""

    @abstractmethod
    def card(self, session: Session, state: Mapping[str, Any], take: TakeRow) -> Card:
        """Return how a state of it does on a take."""

    def judge_anew(self, session: Session) -> None:
        """Bring the word for how it stands up to date: its takes have changed."""
        return

    @property
    def work(self) -> Mapping[str, Callable[[Session, Mapping[str, Any], Tell], dict[str, Any]]]:
        """Long work that it offers besides what all have, by what is asked for."""
        return {}

    def tuned_on(self, session: Session, take: TakeRow, *, together: bool) -> list[TakeRow]:
        """Return the take that is looked at, or all that it reads and that are not set aside."""
        tuned = [each for each in self.takes(session) if not each.set_aside and self.reads(each)] if together else []
        return tuned or [take]


class TunedDetector(Tuned):
    """A detector, with the long work of its family's bench."""

    sort = DetectorRow.WHAT

    def __init__(self, row: DetectorRow) -> None:
        self.row, self.id, self.site_id, self.revision = row, row.id, row.site_id, row.revision
        self.kind = kind_of(row.kind)

    @property
    def yardstick(self) -> AnyYardstick:
        return self.kind.yardstick

    def reads(self, take: TakeRow) -> bool:
        return take.signal in self.kind.signals

    def takes(self, session: Session) -> list[TakeRow]:
        return evidence_of_device(session, self.row.device_id)

    def held(self, session: Session, state: Mapping[str, Any], takes: Sequence[TakeRow]) -> list[Held]:
        return hold(session, detector_of(dict(state)), takes)

    def card(self, session: Session, state: Mapping[str, Any], take: TakeRow) -> Card:
        return card_on(session, detector_of(dict(state)), take)

    def judge_anew(self, session: Session) -> None:
        rejudge(session, self.row.device_id, [self.row])

    @property
    def work(self) -> Mapping[str, Callable[[Session, Mapping[str, Any], Tell], dict[str, Any]]]:
        from lantern.benches.register import bench_of  # benches are made with what is here

        def bound(work: Any) -> Callable[[Session, Mapping[str, Any], Tell], dict[str, Any]]:
            return lambda session, asked, tell: work(session, self.row, asked, tell)

        return {what: bound(work) for what, work in bench_of(self.row.kind).studies.items()}


def _detector(session: Session, detector_id: int) -> TunedDetector:
    return TunedDetector(session.get_one(DetectorRow, detector_id))


TUNED: dict[str, Callable[[Session, int], Tuned]] = {TunedDetector.sort: _detector}


@cache
def _sorts() -> dict[str, Callable[[Session, int], Tuned]]:
    return {sort: find for module in modules_named("tuned", lantern).values() for sort, find in module.TUNED.items()}


def tuned_of(session: Session, sort: str, subject_id: int) -> Tuned:
    """Return the subject of that sort and number. Raises `Refused` for a sort that there is not."""
    if sort not in _sorts():
        raise Refused([Fault("subject", f"there is no sort {sort[:40]!r}", f"one of {', '.join(_sorts())}")])
    return _sorts()[sort](session, subject_id)
