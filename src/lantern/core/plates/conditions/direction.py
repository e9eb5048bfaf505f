"""The vehicle goes the way that is asked for."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar

import numpy as np

from lantern.core.plates.approach import AWAY, NAMES, TOWARDS
from lantern.core.plates.conditions.condition import Condition
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.history import History
from lantern.core.reasons import Reason
from lantern.core.watching import Bools


class Direction(Condition):
    dials = ("direction",)
    words: ClassVar[Mapping[str, str]] = {"other_way": "goes another way"}

    def applies(self, dials: PlateDials) -> bool:
        return dials.direction != "any"

    def holds(self, history: History, dials: PlateDials) -> Bools:
        return np.asarray(history.way == (TOWARDS if dials.direction == "towards" else AWAY))

    def lacking(self, history: History, rows: Sequence[int], dials: PlateDials) -> Reason:
        text, way = history.text[rows[-1]], NAMES[int(history.way[rows[-1]])]
        goes = f"Which way {text} goes is unknown" if way == "unknown" else f"{text} goes {way}"
        return Reason("other_way", f"{goes}: {dials.direction} is asked for.", {"way": way, "text": text})
