"""A kind that watches a reading over time: what such a kind must say of itself."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Generic, Protocol, TypeAlias

from lantern.core.dials import DialsT
from lantern.core.events import Detector, Event, Shape
from lantern.core.exact.chains import Swept
from lantern.core.kind import Kind
from lantern.core.readings.heat.reductions import Wanted
from lantern.core.readings.region import ReadingDetector, ReadingRegion, is_by_name
from lantern.core.rule import Rule
from lantern.core.signals import Frames, RecordedAs, Series
from lantern.core.tuning.measures import AnyYardstick
from lantern.core.tuning.raises import RAISES


class LiveReader(Protocol):
    def read(self, frames: Frames, t: float) -> dict[str, tuple[float, float]]:
        """One frame, taken at t by the device's clock, to (reading, seconds that the device took out before it) a watched region; nothing: no reading now."""


@dataclass(frozen=True, kw_only=True)
class SeriesKind(Kind[DialsT], Generic[DialsT]):
    """One number a region, held against a level."""

    yardstick: AnyYardstick = RAISES
    exact: Callable[[DialsT], Mapping[str, Swept]]  # dials that sweep exactly, and what each is in a decision
    readings: Callable[[Frames, Sequence[ReadingRegion], DialsT], dict[str, Series]]
    wanted: Callable[[Frames, Sequence[ReadingRegion], DialsT], list[Wanted]]  # what readings need of the frames
    readings_of_series: Callable[[Mapping[str, Series], Sequence[ReadingRegion], DialsT], dict[str, Series]]
    reader: Callable[[Sequence[ReadingRegion], DialsT], LiveReader]  # the same, a frame at a time
    reading_key: Callable[[DialsT], tuple[object, ...]]  # what of the dials the reading itself depends on
    decide: Callable[[str, Mapping[str, Series], DialsT], list[Event]]  # of a detector of this name
    evaluate: Callable[[Frames, str, Sequence[ReadingRegion], DialsT], list[Event]]
    explain: Callable[
        [Sequence[Event], Frames, Sequence[ReadingRegion], DialsT], list[Event]
    ]  # what is known from the frames alone
    cautions: Callable[
        [RecordedAs, Sequence[ReadingRegion], DialsT], list[str]
    ]  # what to know before trusting a reading
    rule: Callable[[Series, DialsT], Rule]  # the decision of one reading, resolved
    alternatives: Callable[[DialsT], list[tuple[str, dict[str, Any]]]]  # other ways to look, for advice

    detector: type[Detector] = ReadingDetector

    def unfit(self, detector: Detector, signal: str) -> str:
        """A region that stands for a column by its name alone lies nowhere in a picture."""
        named = [region.name for region in detector.regions if region.role == "watch" and is_by_name(region)]
        if signal != "series" and named:
            return f"it watches columns of readings ({', '.join(named)}), and what comes is {signal}"
        return super().unfit(detector, signal)

    @property
    def shapes(self) -> tuple[Shape, ...]:
        return ("polygon", "box", "spot")


AnySeriesKind: TypeAlias = SeriesKind[Any]


def pair_of(exact: Callable[[DialsT], Mapping[str, Swept]]) -> Callable[[DialsT], tuple[str, str]]:
    """Return the two dials of a map: how long against how much; against the hysteresis where no dial sets a level that
    sweeps.
    """

    def pair(dials: DialsT) -> tuple[str, str]:
        level = next((name for name, part in exact(dials).items() if part == "level"), "hysteresis_c")
        return "sustain_s", level

    return pair
