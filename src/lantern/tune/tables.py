"""Detectors and their revisions."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Collection, Sequence
from datetime import datetime
from typing import Any, NamedTuple

from sqlalchemy import ColumnElement, ForeignKey, Index, Select, UniqueConstraint, delete, exists, func, select
from sqlalchemy.orm import Mapped, Session, contains_eager, mapped_column, relationship

from lantern.core.events import Detector
from lantern.core.kinds import detector_of
from lantern.db.base import Base, now
from lantern.db.work import WorkRow
from lantern.register.tables import LISTED, DeviceRow
from lantern.revisions import Revised, RevisionRow


class DetectorRow(Revised, Base):
    """Its body is a lantern-detector/1 document."""

    __tablename__ = "detector"
    __table_args__ = (UniqueConstraint("site_id", "name"), {"info": {"told": "detectors"}})
    WHAT = "detector"

    device_id: Mapped[int] = mapped_column(ForeignKey("device.id"), index=True)
    kind: Mapped[str]
    enabled: Mapped[bool] = mapped_column(default=True)  # it runs live, if its site does
    retired: Mapped[bool] = mapped_column(default=False)
    verdict: Mapped[str] = mapped_column(default="")  # how it stood when it was last judged; shown in the rail
    caution: Mapped[str] = mapped_column(default="")  # why its device cannot carry it; empty: it can
    device: Mapped[DeviceRow] = relationship()

    @property
    def model(self) -> Detector:
        return detector_of(self.body)


class JudgementRow(Base):
    """A revision's score card on a take that came after it was saved."""

    __tablename__ = "judgement"

    revision_id: Mapped[int] = mapped_column(ForeignKey("revision.id"), primary_key=True)
    take_id: Mapped[int] = mapped_column(ForeignKey("take.id", ondelete="CASCADE"), primary_key=True)
    card: Mapped[dict[str, Any]]
    at: Mapped[datetime] = mapped_column(default=now)


class StudyRow(WorkRow, Base):
    """Long work on the evidence of what is tuned, done by a worker: a map of two dials, advice, or judging revisions again."""

    __tablename__ = "study"
    __table_args__ = (Index("ix_study_subject", "sort", "subject_id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"), index=True)
    sort: Mapped[str]  # of what is tuned: `tuned.TUNED`
    subject_id: Mapped[int]
    what: Mapped[str]  # map, advice, rejudge
    asked: Mapped[dict[str, Any]]
    result: Mapped[dict[str, Any]]

    def as_dict(self) -> dict[str, Any]:
        """Return it as the pages have it."""
        keys = ("id", "what", "asked", "state", "done", "total", "faults", "result", "open")
        return {key: getattr(self, key) for key in keys} | {"created": self.created.timestamp()}


def latest_studies(session: Session, sort: str, subject_id: int) -> dict[str, StudyRow]:
    """The newest study of each kind of work on a subject, so that a reload of the page shows where it stands."""
    query = select(StudyRow).where(StudyRow.sort == sort, StudyRow.subject_id == subject_id).order_by(StudyRow.id)
    return {row.what: row for row in session.scalars(query)}


def judgements_of(session: Session, detector_id: int) -> dict[tuple[int, int], dict[str, Any]]:
    """Later score cards by (revision id, take id)."""
    query = select(JudgementRow).join(RevisionRow).where(RevisionRow.subject_id == detector_id)
    return {(row.revision_id, row.take_id): row.card for row in session.scalars(query)}


def detectors_of_site(session: Session, site_id: int, *, retired: bool = False) -> list[DetectorRow]:
    """Return a site's detectors by device and name, each with its device; those that are retired only where
    asked for.
    """
    query = select(DetectorRow).join(DetectorRow.device).options(contains_eager(DetectorRow.device).load_only(*LISTED))
    query = query.where(DetectorRow.site_id == site_id).order_by(DeviceRow.code, DetectorRow.name)
    in_use = query.where(DetectorRow.retired.is_(False), DeviceRow.retired.is_(False))
    return list(session.scalars(query if retired else in_use))


def saved_of_detectors(session: Session, site_id: int) -> list[tuple[int, int, RevisionRow]]:
    """Return each detector in use with its device and the revision that it has now."""
    query = select(DetectorRow.id, DetectorRow.device_id, RevisionRow).join(
        RevisionRow,
        (RevisionRow.what == DetectorRow.WHAT)
        & (RevisionRow.subject_id == DetectorRow.id)
        & (RevisionRow.number == DetectorRow.revision),
    )
    mine = query.where(DetectorRow.site_id == site_id, DetectorRow.retired.is_(False))
    return [(row[0], row[1], row[2]) for row in session.execute(mine.order_by(DetectorRow.id))]


class ListedDetector(NamedTuple):
    """What lists show of a detector: a page of hundreds does without whole rows."""

    id: int
    device_id: int
    name: str
    verdict: str
    revision: int
    body: dict[str, Any]

    @property
    def model(self) -> Detector:
        return detector_of(self.body)


def listed_detectors(session: Session, site_id: int) -> list[ListedDetector]:
    """Those in use, by device and name."""
    columns = [getattr(DetectorRow, name) for name in ListedDetector._fields]
    query = select(*columns).join(DetectorRow.device).where(DetectorRow.site_id == site_id)
    in_use = query.where(DetectorRow.retired.is_(False), DeviceRow.retired.is_(False))
    return [ListedDetector(*row) for row in session.execute(in_use.order_by(DeviceRow.code, DetectorRow.name))]


def first_detectors(session: Session, site_id: int) -> dict[int, int]:
    """Return by device its first detector by name that is in use."""
    query = select(DetectorRow.device_id, DetectorRow.id).where(DetectorRow.site_id == site_id)
    rows = session.execute(query.where(DetectorRow.retired.is_(False)).order_by(DetectorRow.name.desc())).all()
    return {row.device_id: row.id for row in rows}


def detectors_of_device(session: Session, device_id: int) -> list[DetectorRow]:
    """Return a device's detectors by name, those that are retired too."""
    query = select(DetectorRow).where(DetectorRow.device_id == device_id)
    return list(session.scalars(query.order_by(DetectorRow.retired, DetectorRow.name)))


def detectors_by_device(session: Session, site_id: int) -> dict[int, list[DetectorRow]]:
    """Return all of a site, retired ones too, in the order in which they were made."""
    out: dict[int, list[DetectorRow]] = defaultdict(list)
    query = select(DetectorRow).where(DetectorRow.site_id == site_id)
    for row in session.scalars(query.order_by(DetectorRow.id)):
        out[row.device_id].append(row)
    return out


def detectors_named(session: Session, site_id: int, names: Collection[str]) -> dict[str, DetectorRow]:
    """Those of a site that are called so, by name."""
    query = select(DetectorRow).where(DetectorRow.site_id == site_id, DetectorRow.name.in_(set(names)))
    return {row.name: row for row in session.scalars(query)}


def detectors_enabled(session: Session) -> list[DetectorRow]:
    """Those of all sites that are to run live."""
    query = select(DetectorRow).where(DetectorRow.enabled, DetectorRow.retired.is_(False))
    return list(session.scalars(query.order_by(DetectorRow.id)))


def ids_of_detectors(site_id: int) -> Select[int]:
    """A query for the numbers of a site's detectors."""
    return select(DetectorRow.id).where(DetectorRow.site_id == site_id)


def cautions_on(session: Session, device_ids: Sequence[int]) -> dict[int, list[str]]:
    """Return what is wrong with the detectors of devices, by device, in lines."""
    query = select(DetectorRow.device_id, DetectorRow.name, DetectorRow.caution)
    amiss = query.where(DetectorRow.device_id.in_(device_ids), DetectorRow.caution != "")
    out: dict[int, list[str]] = {}
    for device_id, name, caution in session.execute(amiss.order_by(DetectorRow.name)):
        out.setdefault(device_id, []).append(f"{name}: {caution}")
    return out


def count_restless(session: Session, site_id: int) -> int:
    """Return how many detectors in use miss or cry wolf."""
    query = select(func.count(DetectorRow.id)).join(DetectorRow.device).where(DetectorRow.site_id == site_id)
    restless = DetectorRow.verdict.in_(("cries wolf", "misses"))
    return session.scalar(query.where(restless, DetectorRow.retired.is_(False), DeviceRow.retired.is_(False))) or 0


def standing_of_detectors(session: Session, site_id: int) -> dict[int, tuple[str, bool, bool]]:
    """Return how each detector of a site stood when it was last judged, whether it runs, and whether it is retired."""
    query = select(DetectorRow.id, DetectorRow.verdict, DetectorRow.enabled, DetectorRow.retired)
    rows = session.execute(query.where(DetectorRow.site_id == site_id).order_by(DetectorRow.id))
    return {row.id: (row.verdict, row.enabled, row.retired) for row in rows}


def forget_judgements(session: Session, take_id: int) -> None:
    """Delete how revisions were judged on a take: it says nothing any more."""
    session.execute(delete(JudgementRow).where(JudgementRow.take_id == take_id))


def is_judged_on(take_id: Any) -> ColumnElement[bool]:
    """Return a condition: a revision has been judged on the take. `take_id`: a column."""
    return exists().where(JudgementRow.take_id == take_id)
