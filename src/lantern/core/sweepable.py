"""A detector held against a take, whatever it looks at: what each value of a dial gives, by the measures of its kind."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Mapping, Sequence
from typing import Any, ClassVar, Self

from lantern.core.dials import Dials
from lantern.core.events import Detector
from lantern.core.faults import Fault, Refused
from lantern.core.kind import AnyKind, Truth
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.signals import Series
from lantern.core.truths import Said
from lantern.core.tunable import Tunable
from lantern.core.tuning.measures import AnyYardstick, Card, Figures


class Sweepable(Tunable):
    """One that raises is a `Raising`."""

    traces_as: ClassVar[str] = "lines"  # how the axis draws them: lines, or stems that stand alone

    detector: Detector
    kind: AnyKind

    @property
    def yardstick(self) -> AnyYardstick:
        return self.kind.yardstick

    @property
    def model(self) -> type[Dials]:
        return self.kind.dials

    def matters(self, dial: str) -> bool:
        return self.kind.matters(dial, self.dials)

    def own(self, marks: Sequence[Mark]) -> list[Mark]:
        """The marks that speak of this detector."""
        return [mark for mark in marks if mark.concerns(self.detector.name)]

    @abstractmethod
    def traces(self) -> Mapping[str, Series]:
        """Return what the axis draws; nothing where the kind has no axis."""

    def card(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Card:
        """Return how it does on the take; of the marks those count that speak of it."""
        yardstick = self.yardstick
        return Figures(yardstick.measures, yardstick.values(self.result(self.own(marks), slack)))

    def unknown(self) -> list[tuple[float, float, str]]:
        """(from, to, why) where the detector cannot know."""
        return []

    def cautions(self) -> list[str]:
        """Return what a reader must know before trusting the result."""
        return []

    def line(self) -> dict[str, Any] | None:
        """A level to draw over the traces: the `dial` that sets it (None: none does), `level`, and where it `clears` (None: there,
        too); None: there is none.
        """
        return None

    def knowing(self, said: Sequence[Said]) -> Self:
        """Return the same with what somebody says that things on the take truly were; asked of a kind that `takes_truths`."""
        return self

    def against(self, truth: Truth, said: Sequence[object]) -> dict[str, Any]:
        """Return the result held against what somebody said of the take besides marks, in figures. Raises `Refused` where the
        kind is not judged by such a truth.
        """
        known = ", ".join(self.kind.truth) or "none"
        what = f"a {self.kind.name} detector is not judged by {truth}"
        raise Refused([Fault("detector", what, f"a truth of its own ({known}), or another kind of detector")])
