"""Enough reads count."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import ClassVar

import numpy as np

from lantern.core.plates.conditions.condition import UpTo, counted
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.history import History
from lantern.core.reasons import Reason
from lantern.core.signals import Floats


class Reads(UpTo):
    dials, swept = ("min_reads",), "min_reads"
    words: ClassVar[Mapping[str, str]] = {"few_reads": "too few reads"}
    doubtful = True

    def limit(self, history: History, dials: PlateDials) -> Floats:
        """(m,) half a read more than there are: whole numbers then lie inside the stretches between."""
        return history.count.astype(np.float64) + 0.5

    def lacking(self, history: History, rows: Sequence[int], dials: PlateDials) -> Reason:
        reads = int(history.count[rows[-1]])
        said = f"{counted(reads)} counted, {dials.min_reads} needed."
        return Reason("few_reads", said, {"reads": reads, "needed": dials.min_reads})
