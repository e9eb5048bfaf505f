"""A detector that runs live, whatever it looks at: what an engine asks of it, sample by sample."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Collection, Iterator, Mapping, Sized
from dataclasses import dataclass, field
from typing import Any, Generic, NamedTuple, Self, TypeAlias, TypeVar

from lantern.core.decide import Change
from lantern.core.events import Detector
from lantern.core.faults import Fault, Refused
from lantern.core.kind import AnyKind

ValueT = TypeVar("ValueT", bound=Sized)


@dataclass(frozen=True, slots=True)
class Sample(Generic[ValueT]):
    """What a device gave at `t` (s, of its own clock): one sample of `signal`."""

    signal: str
    t: float
    value: ValueT


@dataclass(frozen=True, slots=True)
class Turn:
    """What one sample changed in the decision of one region. `state` is remembered after it, if anything is (a dataclass).

    Objects: `object` raised or cleared by itself, `direction` where it crossed. `then` follows from it, and is stored with
    it or not at all.
    """

    region: str
    changes: tuple[Change, ...]
    state: object
    reading: float
    why: dict[str, Any]
    object: str | None = None
    direction: str | None = None
    own: dict[str, Any] = field(default_factory=dict)  # as of an event
    then: Turn | None = None

    def chain(self) -> Iterator[Turn]:
        """It, and all that follows from it."""
        yield self
        if self.then is not None:
            yield from self.then.chain()


class Aim(NamedTuple):
    """Where a head looks: `pan_deg` clockwise from north, `tilt_deg` down-positive, `zoom` from 1 on."""

    pan_deg: float
    tilt_deg: float
    zoom: float


@dataclass(frozen=True, slots=True)
class Standing:
    """The state of a live detector. `readings` by name, in `unit`; `states` of what is decided: (raised, clear or
    unknown; why).
    """

    readings: Mapping[str, float]
    unit: str
    states: Mapping[str, tuple[str, str]]
    level: float | None = None  # to draw over the readings, in their unit
    also: Mapping[str, Any] = field(default_factory=dict)  # of the family's own

    def as_dict(self) -> dict[str, Any]:
        states = {name: {"state": state, "why": why} for name, (state, why) in self.states.items()}
        return {
            **self.also,
            "readings": dict(self.readings),
            "unit": self.unit,
            "standing": states,
            "level": self.level,
        }


@dataclass
class Watch(ABC, Generic[ValueT]):
    """One detector over the samples of one device, in order of time. `kind` is of the family that made it."""

    detector: Detector
    kind: AnyKind

    @abstractmethod
    def step(self, sample: Sample[ValueT], interval_s: float) -> Iterator[Turn]:
        """Take one sample; `interval_s` is the device's usual pace. Yields what changed, one turn before the next is looked at."""

    def has_activity(self, sample: Sample[ValueT]) -> bool:
        """Return whether anything in it may matter, far from a raise as it may be: whatever is in it, unless a family knows better."""
        return bool(len(sample.value))

    def taken_for(self, sample: Sample[ValueT]) -> Mapping[str, str]:
        """Return of each thing in a sample, by its name, which member of a list it is taken for; of others nothing."""
        return {}

    @abstractmethod
    def resume(self, remembered: Mapping[str, dict[str, Any]], outdated: Collection[str]) -> bool:
        """Go on from the states that were remembered, by region; those `outdated` are of an earlier revision.

        Returns whether anything stands raised.
        """

    @abstractmethod
    def inherit(self, held: Self) -> None:
        """Take over the state of the same detector under the same revision, whose links have changed."""

    @abstractmethod
    def shift(self, seconds: float) -> None:
        """The device's clock jumped (a restart, a set clock): carry what is remembered over to its new time."""

    @abstractmethod
    def standing(self, *, trouble: str = "") -> Standing:
        """Return how it stands. `trouble`: why nobody can know now, such as "no frames"."""

    def accompany(self, code: str, t: float, sample: AnySample) -> Iterator[Turn]:
        """Take a sample of one of the kind's companions, by its device's code; `t` by this device's clock. Yields what changed."""
        yield from ()

    def wanted(self) -> Aim | None:
        """Return where its device should look from now on, once; None: as it does."""
        return None

    def calls(self) -> bool:
        """Return whether it asks for its device now: what it wants is for somebody whom it follows, and not to rest."""
        return False

    def looks(self, aim: Aim) -> None:
        """Take over where its device says that it looks."""
        return

    def told(self, what: str) -> tuple[float, Turn]:
        """Somebody says how it stands in truth, by a word of the family: returns the reading of before, and the turn that takes
        it over. Raises `Refused` where such a word means nothing to it, or cannot be so now.
        """
        raise Refused([Fault("detector", f"{self.detector.name} cannot be told {what[:40]!r}", "a kind that can")])


AnySample: TypeAlias = Sample[Any]
AnyWatch: TypeAlias = Watch[Any]
