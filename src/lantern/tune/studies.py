"""Long work on evidence, in the worker: maps of two dials, advice, and judging every revision on a take that came later.

Each follows a row that the page looks at, so it shows progress, can be cancelled and survives a reload.
"""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from typing import Any

from sqlalchemy import select, update
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from lantern.benches.bench import Tell, Work
from lantern.benches.register import bench_of
from lantern.core.dials import describe_dial
from lantern.core.faults import Fault, Refused
from lantern.core.kinds import detector_of, kind_of
from lantern.core.tuning.measures import Card
from lantern.core.tuning.pairs import MOST_VALUES, check_pair, map_pair, values_between
from lantern.core.tuning.wishes import Wishes
from lantern.db.base import now, transaction
from lantern.db.work import Record, carry_out
from lantern.revisions import RevisionRow, revisions_of
from lantern.takes.tables import TakeRow, takes_by_id
from lantern.tune.actions import card_on
from lantern.tune.evidence import hold, shown
from lantern.tune.tables import DetectorRow, JudgementRow, StudyRow

TELL_EVERY_S = 0.25
FEW_STEPS = 8  # of a dial; a range of fewer is divided finer than the dial is


def begin_study(session: Session, row: DetectorRow, what: str, asked: dict[str, Any]) -> StudyRow:
    """Check what can be checked at once, and note what is asked; the worker does the rest."""
    work_of(row.kind, what)
    Wishes.of(kind_of(row.kind).yardstick, asked.get("wishes", {}))
    if what == "map":
        held = hold(session, detector_of(asked["detector"]), takes_by_id(session, asked["takes"]))
        _pair_asked(held, asked)
    study = StudyRow(detector_id=row.id, what=what, asked=asked, state="waiting", faults=[], result={})
    session.add(study)
    session.flush()
    return study


def run_study(study_id: int) -> None:
    """Do the work of a row; whatever happens, the row says so. Called by the worker."""

    def work(row: StudyRow) -> Record[StudyRow]:
        with transaction() as session:
            detector = session.get_one(DetectorRow, row.detector_id)
            result = work_of(detector.kind, row.what)(session, detector, row.asked, _teller(study_id))

        def record(held: StudyRow) -> None:
            held.result = result

        return record

    carry_out(StudyRow, study_id, work)


def _teller(study_id: int) -> Tell:
    """Progress in a transaction of its own, so that the page sees it."""
    told = 0.0

    def tell(done: int, total: int) -> None:
        nonlocal told
        if time.monotonic() - told < TELL_EVERY_S and done < total:
            return
        told = time.monotonic()
        with transaction() as session:
            session.execute(update(StudyRow).where(StudyRow.id == study_id).values(done=done, total=total))

    return tell


# ---- a map of two dials ----------------------------------------------------------------------------------------------


def _pair_asked(held: Sequence[Any], asked: Mapping[str, Any]) -> tuple[list[float], list[float]]:
    """The values of both dials: over the range that was asked for, else what their strips show."""
    first = held[0].subject
    axes = []
    for key in ("dial_x", "dial_y"):
        info = describe_dial(first.kind.dials, asked[key])
        value = getattr(first.dials, info.name)
        if not info.numeric or value is None:
            raise Refused([Fault(f"dials.{info.name}", "has no number to vary", "a numeric dial that has a value")])
        low, high = asked.get(f"{key}_range") or shown(held, info, float(value))
        step = info.step or 1.0
        if info.low_excluded and info.low is not None and low <= info.low:
            low = info.low + step
        fine = step if (high - low) / step >= FEW_STEPS else (high - low) / MOST_VALUES
        axes.append(values_between(low, high, MOST_VALUES, fine))
    check_pair(first, asked["dial_x"], asked["dial_y"], *axes)
    return axes[0], axes[1]


def _map(session: Session, row: DetectorRow, asked: Mapping[str, Any], tell: Tell) -> dict[str, Any]:
    held = hold(session, detector_of(asked["detector"]), takes_by_id(session, asked["takes"]))
    x, y = _pair_asked(held, asked)
    pairs = [(h.subject, h.marks) for h in held]
    return map_pair(pairs, asked["dial_x"], asked["dial_y"], x, y, progress=tell).as_dict()


# ---- judging again ---------------------------------------------------------------------------------------------------


def judge_again(take_id: int) -> list[int]:
    """One study for each detector that can look at the take; gives their ids."""
    with transaction() as session:
        take = session.get_one(TakeRow, take_id)
        rows = session.scalars(select(DetectorRow).where(DetectorRow.device_id == take.device_id))
        fit = [row for row in rows if take.signal in kind_of(row.kind).signals]
        return [begin_study(session, row, "rejudge", {"take": take_id}).id for row in fit]


def _rejudge(session: Session, row: DetectorRow, asked: Mapping[str, Any], tell: Tell) -> dict[str, Any]:
    """Every saved revision on the take, newest first; what the one in use does there, against where it was tuned."""
    take = session.get(TakeRow, asked["take"])
    if take is None:
        raise Refused([Fault("take", f"{asked['take']} is gone", "a take that is there")])
    revisions = revisions_of(session, row.WHAT, [row.id])  # a detector is retired, not deleted
    yardstick = kind_of(row.kind).yardstick
    lines = []
    for done, revision in enumerate(revisions):
        tell(done, len(revisions))
        card = card_on(session, detector_of(revision.document), take)
        _keep(session, revision, take, card)
        before = [yardstick.card_of(score["card"]) for score in revision.scores]
        told = {"text": yardstick.since(card, before), "worse": yardstick.worse(card, before)}
        lines.append({"number": revision.number} | told)
    tell(len(revisions), len(revisions))
    return {"take": take.id, "name": take.name, "in_use": row.revision, "lines": lines}


def _keep(session: Session, revision: RevisionRow, take: TakeRow, card: Card) -> None:
    values = {"card": card.as_dict(), "at": now()}
    made = insert(JudgementRow).values(revision_id=revision.id, take_id=take.id, **values)
    session.execute(made.on_conflict_do_update(index_elements=["revision_id", "take_id"], set_=values))


COMMON: dict[str, Work] = {"map": _map, "rejudge": _rejudge}


def work_of(kind_name: str, what: str) -> Work:
    """Return what does such a study for a kind: that of every kind, or its bench's own. Raises `Refused` with those there are."""
    offered = COMMON | dict(bench_of(kind_name).studies)
    if what not in offered:
        raise Refused([Fault("what", repr(what), f"one of {', '.join(offered)}")])
    return offered[what]
