"""The vote is sure enough."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar

from lantern.core.plates.conditions.condition import EQUAL, UpTo
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.history import History
from lantern.core.reasons import Reason
from lantern.core.signals import Floats


class Vote(UpTo):
    dials, swept = ("min_vote",), "min_vote"
    words: ClassVar[Mapping[str, str]] = {"unsure": "vote not sure"}
    doubtful = True

    def limit(self, history: History, dials: PlateDials) -> Floats:
        return history.confidence + EQUAL

    def lacking(self, history: History, rows: Sequence[int], dials: PlateDials) -> Reason:
        best = max(rows, key=lambda row: history.confidence[row])
        vote, text = float(history.confidence[best]), history.text[best]
        said = f"{text} was never sure enough: {100 * vote:.1f} % at best, {100 * dials.min_vote:g} % needed."
        return Reason("unsure", said, {"vote": vote, "needed": dials.min_vote, "text": text})
