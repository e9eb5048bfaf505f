"""Long work on evidence, in the worker: maps of two dials, advice, and judging every revision on a take that came later.

Each follows a row that the page looks at, so it shows progress, can be cancelled and survives a reload.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from typing import Any

from sqlalchemy import select
from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from lantern.core.dials import describe_dial
from lantern.core.faults import Fault, Refused
from lantern.core.tuning.measures import Card
from lantern.core.tuning.pairs import MOST_VALUES, check_pair, map_pair, values_between
from lantern.core.tuning.wishes import Wishes
from lantern.db.base import now, transaction
from lantern.db.work import Record, Tell, carry_out, teller
from lantern.revisions import RevisionRow, revisions_of
from lantern.takes.tables import TakeRow, takes_by_id
from lantern.tune.evidence import shown
from lantern.tune.tables import DetectorRow, JudgementRow, StudyRow
from lantern.tune.tuned import Tuned, TunedDetector, tuned_of

FEW_STEPS = 8  # of a dial; a range of fewer is divided finer than the dial is


def begin_study(session: Session, subject: Tuned, what: str, asked: dict[str, Any]) -> StudyRow:
    """Check what can be checked at once, and note what is asked; the worker does the rest. Raises `Refused`."""
    work_of(subject, what)
    Wishes.of(subject.yardstick, asked.get("wishes", {}))
    if what == "map":
        _pair_asked(subject.held(session, asked["detector"], takes_by_id(session, asked["takes"])), asked)
    study = StudyRow(
        site_id=subject.site_id,
        sort=subject.sort,
        subject_id=subject.id,
        what=what,
        asked=asked,
        state="waiting",
        faults=[],
        result={},
    )
    session.add(study)
    session.flush()
    return study


def run_study(study_id: int) -> None:
    """Do the work of a row; whatever happens, the row says so. Called by the worker."""

    def work(row: StudyRow) -> Record[StudyRow]:
        with transaction() as session:
            subject = tuned_of(session, row.sort, row.subject_id)
            result = work_of(subject, row.what)(session, subject, row.asked, teller(StudyRow, study_id))

        def record(held: StudyRow) -> None:
            held.result = result

        return record

    carry_out(StudyRow, study_id, work)


# ---- a map of two dials ----------------------------------------------------------------------------------------------


def _pair_asked(held: Sequence[Any], asked: Mapping[str, Any]) -> tuple[list[float], list[float]]:
    """The values of both dials: over the range that was asked for, else what their strips show."""
    first = held[0].subject
    axes = []
    for key in ("dial_x", "dial_y"):
        info = describe_dial(first.model, asked[key])
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


def _map(session: Session, subject: Tuned, asked: Mapping[str, Any], tell: Tell) -> dict[str, Any]:
    held = subject.held(session, asked["detector"], takes_by_id(session, asked["takes"]))
    x, y = _pair_asked(held, asked)
    pairs = [(h.subject, h.marks) for h in held]
    return map_pair(pairs, asked["dial_x"], asked["dial_y"], x, y, progress=tell).as_dict()


# ---- judging again ---------------------------------------------------------------------------------------------------


def judge_again(take_id: int) -> list[int]:
    """One study for each detector that can look at the take; gives their ids."""
    with transaction() as session:
        take = session.get_one(TakeRow, take_id)
        rows = session.scalars(select(DetectorRow).where(DetectorRow.device_id == take.device_id))
        fit = [subject for subject in map(TunedDetector, rows) if subject.reads(take)]
        return [begin_study(session, subject, "rejudge", {"take": take_id}).id for subject in fit]


def _rejudge(session: Session, subject: Tuned, asked: Mapping[str, Any], tell: Tell) -> dict[str, Any]:
    """Every saved revision on the take, newest first; what the one in use does there, against where it was tuned."""
    take = session.get(TakeRow, asked["take"])
    if take is None:
        raise Refused([Fault("take", f"{asked['take']} is gone", "a take that is there")])
    revisions = revisions_of(session, subject.sort, [subject.id])  # what is tuned is retired, not deleted
    yardstick = subject.yardstick
    lines = []
    for done, revision in enumerate(revisions):
        tell(done, len(revisions))
        card = subject.card(session, revision.document, take)
        _keep(session, revision, take, card)
        before = [yardstick.card_of(score["card"]) for score in revision.scores]
        told = {"text": yardstick.since(card, before), "worse": yardstick.worse(card, before)}
        lines.append({"number": revision.number} | told)
    subject.judge_anew(session)
    tell(len(revisions), len(revisions))
    return {"take": take.id, "name": take.name, "in_use": subject.revision, "lines": lines}


def _keep(session: Session, revision: RevisionRow, take: TakeRow, card: Card) -> None:
    values = {"card": card.as_dict(), "at": now()}
    made = insert(JudgementRow).values(revision_id=revision.id, take_id=take.id, **values)
    session.execute(made.on_conflict_do_update(index_elements=["revision_id", "take_id"], set_=values))


Work = Callable[[Session, Tuned, Mapping[str, Any], Tell], dict[str, Any]]
COMMON: dict[str, Work] = {"map": _map, "rejudge": _rejudge}


def work_of(subject: Tuned, what: str) -> Work:
    """Return what does such a study of a subject: that of every one, or its own. Raises `Refused` with those there are."""
    own = subject.work
    if what in own:
        return lambda session, held, asked, tell: own[what](session, asked, tell)
    if what not in COMMON:
        raise Refused([Fault("what", repr(what), f"one of {', '.join((*COMMON, *own))}")])
    return COMMON[what]
