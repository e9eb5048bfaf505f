"""Live events against those of a recording of the same stretch: a detector that begins cold knows nothing of what came before."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, NamedTuple

SAME_S = 1e-3


class Raised(NamedTuple):
    """A raise, in s of the recording."""

    t: float
    region: str
    object: str | None = None


@dataclass(frozen=True)
class Agreement:
    """`same` raises in both; those in one alone; they agree from `moment` on (0: from the beginning)."""

    same: int
    only_live: tuple[Raised, ...]
    only_recorded: tuple[Raised, ...]

    @property
    def moment(self) -> float:
        return max((each.t for each in (*self.only_live, *self.only_recorded)), default=0.0)

    @property
    def text(self) -> str:
        if not self.only_live and not self.only_recorded:
            return f"the same {self.same} raises as live" if self.same else "no raise, as live"
        listed = [f"{each.region} at {each.t:.1f} s only live" for each in self.only_live]
        listed += [f"{each.region} at {each.t:.1f} s only here" for each in self.only_recorded]
        return f"{self.same} raises as live, and alike after {self.moment:.1f} s; before that {', '.join(listed)}"

    def as_dict(self) -> dict[str, Any]:
        return {"same": self.same, "moment": self.moment, "text": self.text}


def agreement(live: Sequence[Raised], recorded: Sequence[Raised]) -> Agreement:
    """Two raises are the same in one region, of one object, within a millisecond."""
    left, only_live = list(recorded), []
    for each in live:
        twin = next((other for other in left if _same(each, other)), None)
        if twin is None:
            only_live.append(each)
        else:
            left.remove(twin)
    return Agreement(len(live) - len(only_live), tuple(only_live), tuple(left))


def _same(a: Raised, b: Raised) -> bool:
    return a.region == b.region and (a.object or None) == (b.object or None) and abs(a.t - b.t) <= SAME_S
