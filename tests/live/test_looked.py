"""Where a head looks is kept once that changes, and anew while it lasts; a store that is away is no matter to the head."""

from __future__ import annotations

import pytest
from sqlalchemy import select

from lantern.core.watch import Aim
from lantern.db.base import StoreAwayError, transaction
from lantern.duty.looks import LookRow
from lantern.live import looked
from lantern.live.looked import ANEW_S, TURNED_DEG, Looked
from seeded import Small

T = 1_790_000_000.0
HERE = Aim(10.0, 8.0, 2.0)


def kept() -> list[tuple[float, Aim | None]]:
    with transaction() as session:
        return [(row.at.timestamp() - T, row.aim) for row in session.scalars(select(LookRow).order_by(LookRow.id))]


def test_a_look_is_kept_once_and_anew_while_it_lasts(small: Small) -> None:
    head = Looked(small.camera)
    little = HERE._replace(pan_deg=HERE.pan_deg + TURNED_DEG / 4)  # at twice the zoom half as much is the same look
    much = HERE._replace(pan_deg=HERE.pan_deg + TURNED_DEG)
    for t, aim in ((0, HERE), (1, HERE), (2, little), (3, much), (4, much), (3 + ANEW_S, much), (40, None), (41, None)):
        head.note(T + t, aim)
    assert kept() == [(0.0, HERE), (3.0, much), (3 + ANEW_S, much), (40.0, None)]


def test_what_cannot_be_kept_is_left_out_and_kept_again_later(small: Small, monkeypatch: pytest.MonkeyPatch) -> None:
    def away() -> None:
        raise StoreAwayError("the store is away")

    head = Looked(small.camera)
    head.note(T, HERE)
    with monkeypatch.context() as patched:
        patched.setattr(looked, "transaction", away)
        head.note(T + 1, None)
    head.note(T + 2, None)
    assert kept() == [(0.0, HERE), (2.0, None)]
