"""A detector held against a take, whatever it looks at: what pages, commands, jobs and rehearsals ask of every kind."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Collection, Mapping, Sequence
from typing import Any, ClassVar, Self

from lantern.core.counted import HandCount
from lantern.core.dials import DialInfo, describe_dial, read_dials
from lantern.core.events import Detector, Event
from lantern.core.faults import Fault, Refused
from lantern.core.kind import Kind
from lantern.core.reasons import Reason
from lantern.core.signals import Series
from lantern.core.tuning.scoring import Mark, ScoreCard, Slack, score
from lantern.core.tuning.sweep import SHOWN, Row, values_in
from lantern.core.tuning.tally import Counts
from lantern.core.units import CELSIUS, Scale


class Judged(ABC):
    """Frozen: `with_dials` gives another one."""

    traces_as: ClassVar[str] = "lines"  # how the time axis draws them: lines, or stems that stand alone
    none_exact: ClassVar[str] = "none here"  # why no dial sweeps exactly, where none does

    detector: Detector
    kind: Kind
    dials: Any

    @property
    @abstractmethod
    def length_s(self) -> float:
        """Of the take."""

    @abstractmethod
    def with_dials(self, **changes: Any) -> Self:
        """The same detector on the same take with other dials."""

    @abstractmethod
    def events(self) -> list[Event]:
        """In order of time."""

    @abstractmethod
    def counts(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Counts:
        """The result from the raises alone; `marks` are its own."""

    @abstractmethod
    def exact_dials(self) -> Collection[str]:
        """The dials that sweep exactly under the present values."""

    @abstractmethod
    def rows_exact(
        self, dial: str, marks: Sequence[Mark], low: float, high: float, slack: Slack = Slack(), apart: int = SHOWN
    ) -> list[Row]:
        """Rows that join up from `low` to `high`, each with one result; `dial` is one of `exact_dials`."""

    @abstractmethod
    def why_silent(self, mark: Mark, slack: Slack = Slack(), scale: Scale = CELSIUS) -> Reason:
        """Why no raise hit this mark."""

    @abstractmethod
    def traces(self) -> Mapping[str, Series]:
        """What the time axis draws."""

    def refusals(self) -> list[tuple[float, str, Reason]]:
        """(when, what, why) of what came and did not raise, where the family tells one from another; in order of time."""
        return []

    def unknown(self) -> list[tuple[float, float, str]]:
        """(from, to, why) where the detector cannot know."""
        return []

    def cautions(self) -> list[str]:
        """What a reader must know before trusting the result."""
        return []

    def noise(self, dial: str, marks: Sequence[Mark]) -> float | None:
        """Standard deviation of what the dial is compared with; None where there is none, or it is not known."""
        return None

    def shown(self, info: DialInfo) -> tuple[float, float] | float:
        """Which part of a dial's range is worth showing: both ends, or how far from its low end at least."""
        return 0.0

    def line(self) -> dict[str, Any] | None:
        """A level to draw over the traces: the `dial` that sets it (None: none does), `level`, and where it `clears` (None: there,
        too); None: there is none.
        """
        return None

    def audit(self, by_hand: Sequence[HandCount]) -> dict[str, Any]:
        """What was counted against what somebody counted by hand. Raises `Refused` where nothing is counted."""
        raise Refused([Fault("detector", f"a {self.kind.name} detector counts nobody", "marks, or one that counts")])

    def evaluated(self) -> list[Event]:
        """The events as a file holds them: with figures that would be too dear for every drag."""
        return self.events()

    # ---- what follows from these ----

    def own(self, marks: Sequence[Mark]) -> list[Mark]:
        """The marks that speak of this detector."""
        return [mark for mark in marks if mark.concerns(self.detector.name)]

    def score(self, marks: Sequence[Mark], slack: Slack = Slack()) -> ScoreCard:
        return score(self.events(), self.own(marks), self.length_s, slack)

    def prepare(self, dial: str, values: Sequence[float]) -> None:
        """Work out at once what these values of a dial need, where that is quicker than value by value."""
        return

    def rows_at(self, dial: str, marks: Sequence[Mark], values: Sequence[float], slack: Slack = Slack()) -> list[Row]:
        """A row a value; `marks` are its own."""
        self.prepare(dial, values)
        return [Row(v, v, v, self.with_dials(**{dial: v}).counts(marks, slack)) for v in values]

    def sweep(
        self,
        dial: str,
        marks: Sequence[Mark],
        *,
        low: float | None = None,
        high: float | None = None,
        step: float | None = None,
        slack: Slack = Slack(),
    ) -> list[Row]:
        """Along a dial: exact over its whole range, or over `low` to `high`; with `step` a row a value."""
        info = describe_dial(self.kind.dials, dial)
        if not info.numeric:
            raise Refused([Fault(f"dials.{dial}", "has no range to sweep", "a numeric dial")])
        own = self.own(marks)
        if step is not None:
            if low is None or high is None:
                raise Refused([Fault("--step", "given without a range", "--from and --to with it")])
            values = values_in(low, high, step)
            self._check_ends(dial, values[0], values[-1])
            return self.rows_at(dial, own, values, slack)
        assert info.low is not None
        assert info.high is not None
        low = low if low is not None else info.low + info.step if info.low_excluded and info.step else info.low
        high = info.high if high is None else high
        self._check_ends(dial, low, high)
        if not self.kind.matters(dial, self.dials):  # one result for the whole range
            middle = (low + high) / 2
            return [Row(low, high, middle, self.counts(own, slack))]
        if dial not in self.exact_dials():
            names = ", ".join(self.exact_dials()) or self.none_exact
            raise Refused([Fault(f"dials.{dial}", "has no exact sweep", f"--from, --to and --step (exact: {names})")])
        return self.rows_exact(dial, own, low, high, slack)

    def _check_ends(self, dial: str, low: float, high: float) -> None:
        """Both ends must be values that the dial allows."""
        for end in (low, high):
            read_dials(self.kind.dials, self.dials.model_dump() | {dial: end})
        if high < low:
            raise Refused([Fault("--to", f"{high:g} is below --from {low:g}", "a range that runs upwards")])
