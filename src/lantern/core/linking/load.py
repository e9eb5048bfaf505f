"""What alarms ask of whoever attends to them: how many an hour, in the worst ten minutes, in floods."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass

import numpy as np

from lantern.core.rule import TIME_TOLERANCE_S

SPAN_S = 600.0
ACCEPTABLE, MOST = (
    1.0,
    2.0,
)  # in ten minutes: very likely acceptable, and manageable at most (IEC 62682, ISA-18.2, from memory)
FLOOD_BEGINS, FLOOD_ENDS = 10, 5  # more than so many in ten minutes begin one, fewer end it (the same, from memory)


@dataclass(frozen=True)
class Load:
    """`per_10_min`: in the mean; `worst`: in the worst ten minutes, which end at `worst_s`; `floods`: from and to, in s; `first`: who
    raises most, with how many each.
    """

    count: int
    per_10_min: float | None
    worst: int
    worst_s: float | None
    floods: tuple[tuple[float, float], ...]
    first: tuple[tuple[str, int], ...]

    @property
    def word(self) -> str:
        """Return what the published figures say of it."""
        if self.per_10_min is None:
            return "nothing was rehearsed"
        if self.floods:
            return "it floods"
        if self.per_10_min > MOST:
            return "more than can be managed"
        return "acceptable" if self.per_10_min <= ACCEPTABLE else "manageable at most"


def load(alarms: Sequence[tuple[float, str]], length_s: float) -> Load:
    """Return the load of alarms (when in s, of what) over so many s of which something is known."""
    times = np.sort(np.array([t for t, _ in alarms], dtype=float))
    held = trailing(times)
    worst = int(held.max(initial=0))
    return Load(
        count=len(times),
        per_10_min=None if length_s <= 0 else len(times) * SPAN_S / length_s,
        worst=worst,
        worst_s=float(times[int(held.argmax())]) if len(times) else None,
        floods=_floods(times, held),
        first=tuple(Counter(name for _, name in alarms).most_common(5)),
    )


def trailing(times: np.ndarray) -> np.ndarray:
    """Return for each alarm how many there were in the ten minutes that end with it, the first instant of them left out (I25)."""
    since = np.searchsorted(times, times - SPAN_S + TIME_TOLERANCE_S, side="left")
    return np.arange(1, len(times) + 1) - since


def _floods(times: np.ndarray, held: np.ndarray) -> tuple[tuple[float, float], ...]:
    out: list[tuple[float, float]] = []
    begun: float | None = None
    for at, (t, count) in enumerate(zip(times.tolist(), held.tolist(), strict=True)):
        if begun is None and count > FLOOD_BEGINS:
            begun = t
        after = float(times[at + 1]) if at + 1 < len(times) else np.inf
        if begun is not None and (ends := _thins_out(times[: at + 1], after)) is not None:
            out.append((begun, ends))
            begun = None
    return tuple(out)


def _thins_out(times: np.ndarray, before: float) -> float | None:
    """Return when fewer than so many are left in the last ten minutes, if that is before the next alarm."""
    if len(times) < FLOOD_ENDS:
        return float(times[-1])
    ends = float(times[-FLOOD_ENDS]) + SPAN_S
    return ends if ends < before else None
