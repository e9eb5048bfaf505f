"""What a family shows on the pages: its bench, its part of the walk page, what its bench asks for, its long work.

Found by listing the packages of `lantern.benches`: each holds a module `bench` with `BENCH`. Nothing else names them.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any, Generic, Literal, NamedTuple, TypeAlias, TypeVar

from fastapi import APIRouter
from sqlalchemy.orm import Session

from lantern.core.dials import DialsT
from lantern.core.events import Detector
from lantern.core.faults import Fault, Refused
from lantern.core.kind import AnyKind
from lantern.core.kinds import kind_of
from lantern.core.linking.arming import Armed
from lantern.core.tuning.wishes import Wishes
from lantern.core.units import Scale
from lantern.db.work import Tell
from lantern.links.tables import armed_links
from lantern.takes.tables import TakeRow
from lantern.tune.drafts import Draft
from lantern.tune.evidence import Held, hold
from lantern.tune.tables import DetectorRow

Work = Callable[[Session, DetectorRow, Mapping[str, Any], Tell], dict[str, Any]]


DetectorT = TypeVar("DetectorT", bound=Detector)
KindT = TypeVar("KindT", bound=AnyKind)


@dataclass(frozen=True)
class Trial(Generic[DetectorT]):
    """A state of a detector that is not saved, for which a page asks something. `tuned`: the takes it is judged on."""

    session: Session
    row: DetectorRow
    detector: DetectorT
    take: TakeRow
    tuned: Sequence[TakeRow]
    draft: Draft
    scale: Scale

    def links(self) -> list[Armed]:
        """Return the detector's links with their timetables."""
        return armed_links(self.session, self.row.site_id, self.row.id)

    @property
    def wishes(self) -> Wishes:
        """Raises `Refused` for a wish that makes no sense."""
        return Wishes.of(kind_of(self.row.kind).yardstick, self.draft.wishes)

    def held(self) -> list[Held]:
        """Return the state held against each of the takes that it is judged on."""
        held = hold(self.session, self.detector, self.tuned)
        return [each.of_note(self.draft.of_note) for each in held] if self.draft.of_note else held


Evidence = Literal["strips", "map"]


class Export(NamedTuple):
    """A file that a bench gives, or a page of its family: what its link says, and its address below that of the bench, or of the
    site.
    """

    label: str
    path: str


READING = Export("reading CSV", "reading.csv")


@dataclass(frozen=True, kw_only=True)
class Bench(Generic[DetectorT, KindT, DialsT]):
    """A family's bench. `parts` are what its bench asks for by name; those `at_once` are drawn before the score, while
    a hand moves. `evidence`: which of what every bench can work out beside its dials this one shows; wishes and their
    places come of the yardstick, the axis and the truth of the kind.

    Templates: `bench_FAMILY.html`, which extends `bench.html`, and `walk_FAMILY.html`, which extends `walk.html`.
    """

    family: str
    parts: Mapping[str, Callable[[Trial[DetectorT]], object]]
    at_once: Mapping[str, Callable[[Trial[DetectorT]], object]] = field(default_factory=dict)
    page: Callable[
        [Session, DetectorRow, KindT, DialsT], dict[str, Any]
    ]  # (session, row, kind, dials): what its pages hold, besides what every bench does
    studies: Mapping[str, Work] = field(default_factory=dict)  # long work, done by a worker, by what is asked for
    evidence: frozenset[Evidence] = frozenset({"strips", "map"})
    exports: tuple[Export, ...] = (READING,)
    lists: tuple[Export, ...] = ()  # pages of its lists, below the site's address
    routers: tuple[APIRouter, ...] = ()

    def part(self, name: str) -> Callable[[Trial[DetectorT]], object]:
        """Return what answers that part. Raises `Refused` with the parts there are."""
        found = self.parts.get(name) or self.at_once.get(name)
        if found is None:
            known = ", ".join((*self.at_once, *self.parts))
            raise Refused([Fault("parts", repr(name)[:40], f"one that this bench has: {known}")])
        return found


AnyBench: TypeAlias = Bench[Any, Any, Any]
