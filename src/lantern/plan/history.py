"""What was done on the plan, taken back step by step: a device that was moved or cured, and the drawing.

Taking back brings the state of before as a new one; nothing is overwritten. Only what somebody did themselves is taken back by
them, and only while nobody has changed the same thing since.
"""

from __future__ import annotations

from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.plan.actions import outline_places, save_plan
from lantern.plan.tables import PlanRow, plan_of
from lantern.register.devices import restore_device
from lantern.register.history import WHAT as DEVICE
from lantern.register.tables import DeviceRow
from lantern.revisions import RevisionRow, revision

REACH = 200  # states back, in which a step to take back is looked for


def last_step(session: Session, site_id: int, user_id: int | None) -> RevisionRow | None:
    """Return the last state of the plan or of a device that this user made, which is not taken back; None: there is none."""
    query = select(RevisionRow).where(
        RevisionRow.site_id == site_id,
        RevisionRow.what.in_((PlanRow.WHAT, DEVICE)),
        RevisionRow.user_id == user_id,
        RevisionRow.number > 1,
    )
    taken_back: set[int] = set()
    for saved in session.scalars(query.order_by(RevisionRow.id.desc()).limit(REACH)):
        undoes = saved.facts.get("undoes")
        if undoes is not None:
            taken_back.add(undoes)
        elif saved.id not in taken_back:
            return saved
    return None


def undo(session: Session, site_id: int, user_id: int | None) -> RevisionRow:
    """Take the last step back, and return it. Raises `Refused` where there is none, or somebody has changed the same since."""
    step = last_step(session, site_id, user_id)
    if step is None:
        raise Refused(
            [Fault("plan", "there is nothing of yours to take back", "a device moved, a cure, a drawing saved")]
        )
    _check_newest(session, step)
    before = revision(session, step.what, step.subject_id, step.number - 1)
    assert before is not None  # states are never deleted
    reason, facts = f"Taken back: {step.reason}"[:400], {"undoes": step.id}
    if step.what == DEVICE:
        row = session.get_one(DeviceRow, step.subject_id)
        restore_device(session, row, before, user_id=user_id, reason=reason, facts=facts)
        return step
    held = plan_of(session, site_id)
    assert held is not None  # the step is one of its states
    outline_places(session, site_id, outlines_in(before), user_id=user_id)
    save_plan(session, site_id, before.document, base=held.revision, reason=reason, user_id=user_id, facts=facts)
    return step


def outlines_in(saved: RevisionRow) -> dict[int, Any]:
    """Return the outlines of places that a state of the plan is known with, by the places' numbers; none: it is of before these were
    kept with it.
    """
    return {int(number): points for number, points in saved.facts.get("places", {}).items()}


def _check_newest(session: Session, step: RevisionRow) -> None:
    """Steps of the same thing that came after it are its own user's, and taken back."""
    later = select(RevisionRow).where(
        RevisionRow.what == step.what, RevisionRow.subject_id == step.subject_id, RevisionRow.number > step.number
    )
    for other in session.scalars(later.order_by(RevisionRow.number)):
        if other.user_id != step.user_id:
            by = other.user.name if other.user else "the program"
            what = f"{by} has changed {step.name} since"
            raise Refused([Fault("plan", what, "an earlier state of it, chosen by hand")])
