"""What can be judged by marks, whatever it looks at: a detector held against a take."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Sequence

from lantern.core.events import Detector, Event
from lantern.core.tuning.scoring import Mark, ScoreCard, Slack, score


class Judged(ABC):
    detector: Detector

    @property
    @abstractmethod
    def length_s(self) -> float:
        """Of the take."""

    @abstractmethod
    def events(self) -> list[Event]:
        """In order of time."""

    def own(self, marks: Sequence[Mark]) -> list[Mark]:
        """The marks that speak of this detector."""
        return [mark for mark in marks if mark.concerns(self.detector.name)]

    def score(self, marks: Sequence[Mark], slack: Slack = Slack()) -> ScoreCard:
        return score(self.events(), self.own(marks), self.length_s, slack)
