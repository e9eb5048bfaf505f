"""A plate that would raise because it is on no list was seen for long enough that it may still turn out to be on one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar

from lantern.core.plates.conditions.condition import UpTo
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.history import History
from lantern.core.reasons import Reason
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.signals import Floats


class SeenFor(UpTo):
    dials, swept = ("decide_after_s",), "decide_after_s"
    words: ClassVar[Mapping[str, str]] = {"early": "not seen long enough"}

    def applies(self, dials: PlateDials) -> bool:
        return dials.when == "unlisted"

    def limit(self, history: History, dials: PlateDials) -> Floats:
        return history.since_s + TIME_TOLERANCE_S

    def lacking(self, history: History, rows: Sequence[int], dials: PlateDials) -> Reason:
        seconds = float(history.since_s[rows[-1]])
        said = f"Seen for {seconds:.1f} s, {dials.decide_after_s:g} s needed to say that it is on no list."
        return Reason("early", said, {"since_s": seconds, "needed_s": dials.decide_after_s})
