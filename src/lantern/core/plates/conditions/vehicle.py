"""The plate goes with a vehicle, or at least is not held in a hand."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar

import numpy as np

from lantern.core.plates.attachment import ATTACHED, EQUAL, HELD, NAMES
from lantern.core.plates.conditions.condition import FromOn
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.history import History
from lantern.core.reasons import Reason
from lantern.core.signals import Floats


class Vehicle(FromOn):
    dials, swept = ("vehicle", "wander"), "wander"
    words: ClassVar[Mapping[str, str]] = {"undetermined": "vehicle not sure", "held": "held in a hand"}
    doubtful = True

    def applies(self, dials: PlateDials) -> bool:
        return dials.vehicle != "any"

    def limit(self, history: History, dials: PlateDials) -> Floats:
        """(m,) how far the plate wanders, where that decides; else minus infinity where it counts, infinity where it does not."""
        known = history.seen.known
        undetermined = np.inf if dials.vehicle == "attached" else -np.inf
        whatever = np.where(known == HELD, np.inf, undetermined)
        return np.where(known == ATTACHED, history.seen.wander - EQUAL, whatever)

    def lacking(self, history: History, rows: Sequence[int], dials: PlateDials) -> Reason:
        row = rows[-1]
        text, wander = history.text[row], float(history.seen.wander[row])
        kind = history.seen.kind_at(row, dials.wander)
        figures = {"vehicle": NAMES[kind], "wander": None if np.isnan(wander) else wander, "text": text}
        if kind == HELD:
            moved = "" if np.isnan(wander) else f": it wanders by {wander:.3f} of the vehicle, {dials.wander:g} allowed"
            return Reason("held", f"{text} does not go with the vehicle{moved}.", figures)
        said = f"Whether {text} goes with a vehicle is undetermined: too few reads, or the vehicle stands."
        return Reason("undetermined", said, figures)
