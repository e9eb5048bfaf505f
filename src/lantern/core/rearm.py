"""The rule of re-arm: two raises stand at least the re-arm time apart."""

from __future__ import annotations

import numpy as np

from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.signals import Floats


def rearmed(t_s: float, since_s: float | None, rearm_s: float) -> bool:
    """Return whether there may be a raise at `t_s`. `since_s`: when the re-arm time began; None: nothing raised yet."""
    return since_s is None or t_s - since_s >= rearm_s - TIME_TOLERANCE_S


def rearmed_from(t_s: Floats, raised: int, rearm_s: float) -> int:
    """Return the first sample at which there may be a raise after the one at the sample `raised`. `t_s` (n,): times of samples."""
    return max(raised + 1, int(np.searchsorted(t_s, t_s[raised] + rearm_s - TIME_TOLERANCE_S, side="left")))
