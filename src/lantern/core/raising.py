"""A detector that raises, held against a take: events, how the marks find them, and why it kept silent."""

from __future__ import annotations

from abc import abstractmethod
from collections.abc import Sequence

from lantern.core.events import Event
from lantern.core.reasons import Reason
from lantern.core.scoring.cards import ScoreCard, score
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.scoring.tally import SHOWN, Counts
from lantern.core.sweepable import Sweepable
from lantern.core.units import CELSIUS, Scale


class Raising(Sweepable):
    """Its measures are those of `core/tuning/raises.py`."""

    @abstractmethod
    def events(self) -> list[Event]:
        """Return the events in the order of time."""

    @abstractmethod
    def result(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Counts:
        """The result from the raises alone; `marks` are its own."""

    @abstractmethod
    def why_silent(self, mark: Mark, slack: Slack = Slack(), scale: Scale = CELSIUS) -> Reason:
        """Return why no raise hit this mark."""

    def refusals(self) -> list[tuple[float, str, Reason]]:
        """(when, what, why) of what came and did not raise, where the family tells one from another; in order of time."""
        return []

    def remarks(self, event: Event) -> list[str]:
        """Return what else there is to say of an event, a sentence each."""
        return []

    def evaluated(self) -> list[Event]:
        """The events as a file holds them: with figures that would be too dear for every drag."""
        return self.events()

    @property
    def sweep_columns(self) -> tuple[str, ...]:
        return Counts._fields[:SHOWN]

    def card(self, marks: Sequence[Mark], slack: Slack = Slack()) -> ScoreCard:
        return score(self.events(), self.own(marks), self.length_s, slack)
