"""What of a detector held against a take is tuned and is none of its dials: every value of it is judged anew, one by one."""

from __future__ import annotations

from abc import ABC
from collections.abc import Collection, Sequence
from typing import ClassVar

from lantern.core.faults import Fault, Refused
from lantern.core.radar.subject import RadarSubject
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.scoring.tally import Counts
from lantern.core.tunable import Tunable
from lantern.core.tuning.measures import AnyYardstick
from lantern.core.tuning.rows import Row


class Retuned(Tunable, ABC):
    """`subject`: as it stands with these values."""

    none_exact: ClassVar[str] = "none: another value makes other runs"

    subject: RadarSubject

    @property
    def yardstick(self) -> AnyYardstick:
        return self.subject.yardstick

    @property
    def length_s(self) -> float:
        return self.subject.length_s

    def result(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Counts:
        return self.subject.result(marks, slack)

    def exact_dials(self) -> Collection[str]:
        return ()

    def rows_exact(
        self, dial: str, marks: Sequence[Mark], low: float, high: float, slack: Slack = Slack(), *, whole: bool = False
    ) -> list[Row]:
        raise Refused([Fault(dial, "has no exact sweep", "values one by one")])
