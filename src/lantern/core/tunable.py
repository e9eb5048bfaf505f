"""Dials held against a take, of whatever is tuned: what each value of one gives, by the measures that it is judged by."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Collection, Sequence
from typing import Any, ClassVar, Self

from lantern.core.dials import DialInfo, Dials, describe_dial, read_dials
from lantern.core.faults import Fault, Refused
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.tuning.measures import AnyYardstick
from lantern.core.tuning.rows import Row, values_in


class Tunable(ABC):
    """Frozen: `with_dials` gives another one. A detector is one (`Sweepable`); what has dials and takes, and is no detector,
    may be another.
    """

    none_exact: ClassVar[str] = "none here"  # why no dial sweeps exactly, where none does
    strip_values: ClassVar[int] = 24  # of a dial that does not sweep exactly, in its strip

    dials: Dials

    @property
    @abstractmethod
    def yardstick(self) -> AnyYardstick:
        """Return what it is judged by."""

    @property
    @abstractmethod
    def length_s(self) -> float:
        """Return the take's length."""

    @abstractmethod
    def with_dials(self, **changes: Any) -> Self:
        """The same detector on the same take with other dials."""

    @abstractmethod
    def result(self, marks: Sequence[Mark], slack: Slack = Slack()) -> object:
        """Return what these dials give, with every measure by name; `marks` are its own."""

    @abstractmethod
    def exact_dials(self) -> Collection[str]:
        """The dials that sweep exactly under the present values."""

    @abstractmethod
    def rows_exact(
        self, dial: str, marks: Sequence[Mark], low: float, high: float, slack: Slack = Slack(), *, whole: bool = False
    ) -> list[Row]:
        """Rows that join up from `low` to `high`, each with one result; `dial` is one of `exact_dials`. `whole`: a row ends
        where any measure changes, not only where what a printed row shows does.
        """

    @property
    def model(self) -> type[Dials]:
        """The model of its dials."""
        return type(self.dials)

    def matters(self, dial: str) -> bool:
        """Return whether the dial plays a part under these."""
        return True

    def own(self, marks: Sequence[Mark]) -> list[Mark]:
        """The marks that speak of it."""
        return list(marks)

    @property
    def sweep_columns(self) -> tuple[str, ...]:
        """Return what a printed row of a sweep shows of a result, by name."""
        return tuple(measure.name for measure in self.yardstick.measures)

    def noise(self, dial: str, marks: Sequence[Mark]) -> float | None:
        """Standard deviation of what the dial is compared with; None where there is none, or it is not known."""
        return None

    def shown(self, info: DialInfo) -> tuple[float, float] | float:
        """Return which part of a dial's range is worth showing: both ends, or how far from its low end at least."""
        return 0.0

    def prepare(self, dial: str, values: Sequence[float]) -> None:
        """Work out at once what these values of a dial need, where that is quicker than value by value."""
        return

    def rows_at(self, dial: str, marks: Sequence[Mark], values: Sequence[float], slack: Slack = Slack()) -> list[Row]:
        """A row a value; `marks` are its own."""
        self.prepare(dial, values)
        return [Row(v, v, v, self.with_dials(**{dial: v}).result(marks, slack)) for v in values]

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
        info = describe_dial(self.model, dial)
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
        if not self.matters(dial):  # one result for the whole range
            middle = (low + high) / 2
            return [Row(low, high, middle, self.result(own, slack))]
        if dial not in self.exact_dials():
            names = ", ".join(self.exact_dials()) or self.none_exact
            raise Refused([Fault(f"dials.{dial}", "has no exact sweep", f"--from, --to and --step (exact: {names})")])
        return self.rows_exact(dial, own, low, high, slack)

    def _check_ends(self, dial: str, low: float, high: float) -> None:
        """Both ends must be values that the dial allows."""
        for end in (low, high):
            read_dials(self.model, self.dials.model_dump() | {dial: end})
        if high < low:
            raise Refused([Fault("--to", f"{high:g} is below --from {low:g}", "a range that runs upwards")])
