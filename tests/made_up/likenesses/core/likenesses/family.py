"""Likenesses: whoever comes is taken for the nearest name if the score is high enough. It raises nothing; its result is a curve."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import pairwise
from typing import Any, NamedTuple, Self

from lantern.core.likenesses.probes import Probes

from lantern.core.device_kind import DeviceKind
from lantern.core.dials import DialInfo, Dials, dial, read_dials
from lantern.core.events import Detector, Shape
from lantern.core.family import Family
from lantern.core.kind import Kind
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.signals import Series
from lantern.core.sweepable import Sweepable
from lantern.core.truths import Said
from lantern.core.tuning.measures import Measure, Plain, Wish
from lantern.core.tuning.rows import Row
from lantern.core.watch import Sample, Standing, Turn, Watch

STRANGER = "stranger"  # a truth: none of the names


class LikenessDials(Dials):
    """From `least_score` on somebody is taken for the nearest name."""

    least_score: float = dial(0.7, unit="", low=0, high=1, step=0.01, meaning="So near somebody is known")


class Told(NamedTuple):
    """Of those whose identity is known: how many were taken for another, and how many were not known though they should be."""

    confused: int
    unknown: int


TELLING = Plain(
    measures=(
        Measure(
            name="confused",
            label="taken for another",
            form="{} taken for another",
            wish=Wish(name="confused", label="At most so many taken for another", words=("≤", "for another")),
        ),
        Measure(name="unknown", label="not known", form="{} not known"),
    )
)


@dataclass(frozen=True, kw_only=True)
class LikenessKind(Kind):
    @property
    def shapes(self) -> tuple[Shape, ...]:
        return ()


@dataclass(frozen=True)
class Compared(Sweepable):
    """A detector on a take of probes, with who they truly were as far as somebody has said."""

    detector: Detector
    kind: Kind
    dials: LikenessDials
    probes: Probes
    truly: Mapping[str, str]

    @property
    def length_s(self) -> float:
        return float(self.probes.t_s[-1])

    def with_dials(self, **changes: Any) -> Self:
        return replace(self, dials=read_dials(self.kind.dials, self.dials.model_dump() | changes))

    def knowing(self, said: Sequence[Said]) -> Self:
        return replace(self, truly={each.object: each.text for each in said if each.text})

    def at(self, least: float) -> Told:
        confused = unknown = 0
        for each in self.probes.likenesses:
            truth = self.truly.get(each.probe)
            if truth is not None:
                known = each.score >= least
                confused += known and each.nearest != truth
                unknown += not known and truth != STRANGER
        return Told(confused, unknown)

    def result(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Told:
        return self.at(self.dials.least_score)

    def exact_dials(self) -> Collection[str]:
        return ("least_score",)

    def rows_exact(
        self, dial: str, marks: Sequence[Mark], low: float, high: float, slack: Slack = Slack(), *, whole: bool = False
    ) -> list[Row]:
        scores = sorted({each.score for each in self.probes.likenesses})
        ends = [low, *(score for score in scores if low < score < high), high]
        middles = [(a + b) / 2 for a, b in pairwise(ends)]
        return [Row(a, b, middle, self.at(middle)) for (a, b), middle in zip(pairwise(ends), middles, strict=True)]

    def curve(self) -> list[tuple[float, int, int]]:
        """(score, taken for another, not known) from each score on at which somebody is known or not."""
        scores = sorted({0.0, *(each.score for each in self.probes.likenesses), 1.0})
        return [(score, *self.at(score)) for score in scores]

    def shown(self, info: DialInfo) -> tuple[float, float] | float:
        return 0.0, 1.0

    def traces(self) -> Mapping[str, Series]:
        return {}

    def cautions(self) -> list[str]:
        left = sum(each.probe not in self.truly for each in self.probes.likenesses)
        return [f"Of {left} of {len(self.probes)} nobody has said who they were"] if left else []


class LikenessWatch(Watch):
    """A sample is those who came at one moment."""

    def __init__(self, detector: Detector, kind: Kind, facts: Mapping[str, Any]) -> None:
        super().__init__(detector, kind)
        self.dials = kind.read_dials(detector)
        self.known = self.strange = 0

    def step(self, sample: Sample, interval_s: float) -> Iterator[Turn]:
        for each in sample.value:
            if each.score >= self.dials.least_score:
                self.known += 1
            else:
                self.strange += 1
        yield from ()

    def resume(self, remembered: Mapping[str, dict[str, Any]], outdated: Collection[str]) -> bool:
        return False

    def inherit(self, held: Watch) -> None:
        assert isinstance(held, LikenessWatch)
        self.known, self.strange = held.known, held.strange

    def shift(self, seconds: float) -> None:
        return None

    def standing(self, *, trouble: str = "") -> Standing:
        return Standing(readings={"known": self.known, "strangers": self.strange}, unit="", states={})


LIKENESS = LikenessKind(
    name="likeness",
    says="nothing: it tells who somebody is",
    dials=LikenessDials,
    groups=(("Score", ("least_score",)),),
    signals=("likenesses",),
    matters=lambda dial, dials: True,
    yardstick=TELLING,
    unit=lambda dials: "",
    pair=lambda dials: ("least_score", "least_score"),
    raises=False,
    needs_regions="none",
    axis=None,
    truth=("identity",),
)
FAMILY = Family(
    name="likenesses",
    kinds=(LIKENESS,),
    devices=(DeviceKind("voice-gate", "gate that knows voices", ("likenesses",), "sends"),),
    judge=lambda detector, kind, probes: Compared(detector, kind, kind.read_dials(detector), probes, {}),
    watch=LikenessWatch,
)
