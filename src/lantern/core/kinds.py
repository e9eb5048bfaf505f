"""The register of detector kinds: one line a kind. Pages, commands, rehearsal and live engine know kinds only through it."""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass
from typing import Any, Protocol

from lantern.core.dials import Dials, read_dials
from lantern.core.events import Detector, Event, Region, Shape
from lantern.core.faults import Fault, Refused
from lantern.core.heat import dials as heat_dials
from lantern.core.heat import kind as heat
from lantern.core.heat import reading as heat_reading
from lantern.core.heat.dials import HeatDials
from lantern.core.objects import dials as object_dials
from lantern.core.objects import kinds as objects
from lantern.core.objects.following import Follower
from lantern.core.objects.kinds import Found
from lantern.core.objects.occupancy import REGION as OCCUPANCY
from lantern.core.objects.sighted import ORDER
from lantern.core.objects.tracks import Tracks
from lantern.core.rule import Rule
from lantern.core.signals import Frames, RecordedAs, Series
from lantern.core.skin import dials as skin_dials
from lantern.core.skin import kind as skin
from lantern.core.skin.dials import SkinDials
from lantern.core.tuning.chains import Swept
from lantern.core.watching import Indices


class LiveReader(Protocol):
    def read(self, frames: Frames, t: float) -> dict[str, tuple[float, float]]:
        """One frame, taken at t by the device's clock, to (reading, seconds that the device took out before it) a watched region; nothing: no reading now."""


@dataclass(frozen=True, kw_only=True)
class Kind:
    """All that the rest of the program needs to know of a kind."""

    name: str
    says: str  # what it raises for, in a line
    dials: type[Dials]
    groups: tuple[tuple[str, tuple[str, ...]], ...]  # as a page lays the dials out
    signals: tuple[str, ...]  # kinds of take it can look at
    bench: str  # the template that shows it
    matters: Callable[[str, Any], bool]  # does this dial play a part under these dials?
    unit: Callable[[Any], str]  # of the reading: "°C" a level, "K" a difference, "" a count
    notice: str = ""  # what a page must say with every result

    @property
    def shapes(self) -> tuple[Shape, ...]:
        """What may be drawn for it to watch."""
        raise NotImplementedError

    def read_dials(self, detector: Detector) -> Any:
        return read_dials(self.dials, detector.dials)

    def check(self, detector: Detector, signal: str) -> None:
        """Refuse a signal that the kind does not look at, and regions of one name."""
        if signal not in self.signals:
            takes = " or ".join(self.signals)
            raise Refused([Fault("take: kind", f"a {self.name} detector reads no {signal}", f"a take of kind {takes}")])
        names = [region.name for region in detector.regions]
        twice = sorted({name for name in names if names.count(name) > 1})
        if twice:
            raise Refused(
                [Fault("regions", f"two regions named {', '.join(twice)}", "a name of its own for each region")]
            )


@dataclass(frozen=True, kw_only=True)
class SeriesKind(Kind):
    """A kind that watches a reading over time: one number a region."""

    bench: str = "heat"
    exact: Callable[[Any], Mapping[str, Swept]]  # dials that sweep exactly, and what each is in a decision
    readings: Callable[..., dict[str, Series]]  # (frames, regions, dials, reduce=...)
    readings_of_series: Callable[[Mapping[str, Series], Sequence[Region], Any], dict[str, Series]]
    reader: Callable[[Sequence[Region], Any], LiveReader]  # the same, a frame at a time
    reading_key: Callable[[Any], tuple[Any, ...]]  # what of the dials the reading itself depends on
    decide: Callable[..., list[Event]]  # (detector name, readings, dials) to events
    evaluate: Callable[[Frames, str, Sequence[Region], Any], list[Event]]
    explain: Callable[
        [Sequence[Event], Frames, Sequence[Region], Any], list[Event]
    ]  # what is known from the frames alone
    cautions: Callable[[RecordedAs, Sequence[Region], Any], list[str]]  # what to know before trusting a reading
    rule: Callable[[Series, Any], Rule]  # the decision of one reading, resolved
    alternatives: Callable[[Any], list[tuple[str, dict[str, Any]]]]  # other ways to look, for advice

    @property
    def shapes(self) -> tuple[Shape, ...]:
        return ("polygon", "box", "spot")


@dataclass(frozen=True, kw_only=True)
class TrackKind(Kind):
    """A kind that watches objects on their way: decided object by object."""

    bench: str = "scene"
    signals: tuple[str, ...] = ("tracks", "plan-tracks")
    unit: Callable[[Any], str] = lambda dials: ""
    find: Callable[[Tracks, Indices, Sequence[Region], Any], list[Found]]  # raises, before the re-arm time
    regions: str  # what it watches: "line", "zone" or "both"
    follower: type[Follower] = Follower  # the same, a frame at a time
    nearness: tuple[str, ...] = ORDER  # of verdicts: which came nearest to a raise

    @property
    def shapes(self) -> tuple[Shape, ...]:
        lines: tuple[Shape, ...] = ("line",) if self.regions in ("line", "both") else ()
        zones: tuple[Shape, ...] = ("polygon", "box") if self.regions in ("zone", "both") else ()
        return (*lines, *zones)


KINDS: dict[str, Kind] = {
    kind.name: kind
    for kind in (
        SeriesKind(
            name="heat",
            says="a region is warmer, colder, rises faster or differs more than it may",
            dials=HeatDials,
            groups=heat_dials.GROUPS,
            signals=("heat", "series"),
            exact=heat.exact,
            readings=heat_reading.readings,
            readings_of_series=heat_reading.readings_of_series,
            reader=heat_reading.Reader,
            reading_key=heat_reading.reading_key,
            decide=heat.decide,
            evaluate=heat.evaluate,
            explain=heat.explain,
            cautions=heat.cautions,
            rule=heat.rule_for,
            matters=heat.matters,
            alternatives=heat.alternatives,
            unit=heat_reading.unit,
        ),
        SeriesKind(
            name="skin",
            says="a face is warmer than those screened before it",
            dials=SkinDials,
            groups=skin_dials.GROUPS,
            signals=("heat",),
            exact=skin.exact,
            readings=skin.readings,
            readings_of_series=skin.readings_of_series,
            reader=skin.Reader,
            reading_key=skin.reading_key,
            decide=skin.decide,
            evaluate=skin.evaluate,
            explain=skin.explain,
            cautions=skin.cautions,
            rule=skin.rule_for,
            matters=skin.matters,
            alternatives=skin.alternatives,
            unit=skin.unit,
            notice=skin.NOTICE,
        ),
        TrackKind(
            name="crossing",
            says="an object crosses a line",
            dials=object_dials.CrossingDials,
            groups=object_dials.CROSSING_GROUPS,
            matters=object_dials.matters,
            find=objects.find_crossings,
            regions="line",
        ),
        TrackKind(
            name="zone",
            says="an object enters a zone, leaves it, or stays inside",
            dials=object_dials.ZoneDials,
            groups=object_dials.ZONE_GROUPS,
            matters=object_dials.matters,
            find=objects.find_visits,
            regions="zone",
        ),
        TrackKind(
            name="count",
            says="people pass a line, in and out; more are inside than may be",
            dials=object_dials.CountDials,
            groups=object_dials.COUNT_GROUPS,
            matters=object_dials.matters,
            find=objects.find_crossings,
            regions="line",
        ),
        TrackKind(
            name="path",
            says="an object takes lines and zones in their order",
            dials=object_dials.PathDials,
            groups=object_dials.PATH_GROUPS,
            matters=object_dials.matters,
            find=objects.find_paths,
            regions="both",
        ),
    )
}


def sources_of(detector: Detector) -> list[str]:
    """What may stand as the region of its events, for links to listen to."""
    kind = kind_of(detector.kind)
    if kind.name == "path":
        return ["path"]
    watched = [region.name for region in detector.regions if region.role == "watch"]
    return [*watched, OCCUPANCY] if kind.name == "count" else watched


def kind_of(name: str) -> Kind:
    """The kind of that name, or a refusal with the kinds there are."""
    kind = KINDS.get(name)
    if kind is None:
        raise Refused([Fault("kind", f"there is no detector kind {name!r}", f"one of {', '.join(KINDS)}")])
    return kind
