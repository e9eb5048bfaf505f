"""A detector held against a take, whatever it looks at: what each value of a dial gives, by the measures of its kind."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Collection, Mapping, Sequence
from typing import Any, ClassVar, Self

from lantern.core.dials import DialInfo, describe_dial, read_dials
from lantern.core.events import Detector
from lantern.core.faults import Fault, Refused
from lantern.core.kind import Kind, Truth
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.signals import Series
from lantern.core.tuning.measures import Card, Figures, Yardstick
from lantern.core.tuning.rows import Row, values_in


class Sweepable(ABC):
    """Frozen: `with_dials` gives another one. One that raises is a `Raising`."""

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
    def result(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Any:
        """What these dials give, with every measure of the kind by name; `marks` are its own."""

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

    @abstractmethod
    def traces(self) -> Mapping[str, Series]:
        """What the time axis draws."""

    @property
    def yardstick(self) -> Yardstick:
        return self.kind.yardstick

    @property
    def sweep_columns(self) -> tuple[str, ...]:
        """What a printed row of a sweep shows of a result, by name."""
        return tuple(measure.name for measure in self.yardstick.measures)

    def card(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Card:
        """How it does on the take; of the marks those count that speak of it."""
        yardstick = self.yardstick
        return Figures(yardstick.measures, yardstick.values(self.result(self.own(marks), slack)))

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

    def against(self, truth: Truth, said: Sequence[Any]) -> dict[str, Any]:
        """Return the result held against what somebody said of the take besides marks, in figures. Raises `Refused` where the
        kind is not judged by such a truth.
        """
        known = ", ".join(self.kind.truth) or "none"
        what = f"a {self.kind.name} detector is not judged by {truth}"
        raise Refused([Fault("detector", what, f"a truth of its own ({known}), or another kind of detector")])

    # ---- what follows from these ----

    def own(self, marks: Sequence[Mark]) -> list[Mark]:
        """The marks that speak of this detector."""
        return [mark for mark in marks if mark.concerns(self.detector.name)]

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
            return [Row(low, high, middle, self.result(own, slack))]
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
