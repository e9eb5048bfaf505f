"""What the rest of the program needs to know of a detector kind, whatever its family."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any, Generic, Literal, TypeAlias

from lantern.core.axis import TIME, Axis
from lantern.core.company import Company
from lantern.core.dials import DialInfo, DialsT, read_dials
from lantern.core.events import Detector, Raised, Shape
from lantern.core.faults import Fault, Refused
from lantern.core.modelled import read_model
from lantern.core.named_lists import NO_LISTS, NamedLists
from lantern.core.tuning.measures import AnyYardstick
from lantern.core.units import CELSIUS, Scale

Need = Literal["needed", "optional", "none"]
Truth = Literal["marks", "text", "identity", "counts", "position"]


@dataclass(frozen=True, kw_only=True)
class Kind(Generic[DialsT]):
    """One way to decide inside a family. A family derives its own from it, with what only its members have."""

    name: str
    says: str  # what it raises for, in a line
    dials: type[DialsT]
    groups: tuple[tuple[str, tuple[str, ...]], ...]  # as a page lays the dials out
    signals: tuple[str, ...]  # kinds of take it can look at
    matters: Callable[[str, DialsT], bool]  # does this dial play a part under these dials?
    yardstick: AnyYardstick  # what its settings are judged by
    unit: Callable[[DialsT], str]  # of the reading: "°C" a level, "K" a difference, "" a count
    pair: Callable[[DialsT], tuple[str, str]]  # the dials (across, up) that a map of two begins with, under these dials
    notice: str = ""  # what a page must say with every result
    raises: bool = True  # its result has events, which links may answer; else its measures are all there is
    needs_regions: Need = "needed"  # optional: without any it watches all that its device sees
    axis: Axis | None = TIME  # None: its evidence lies along none
    truth: tuple[Truth, ...] = ("marks",)  # what somebody says of a take, by which it is judged
    detector: type[Detector] = Detector  # the model of its detectors, with regions of its family
    lists: NamedLists = NO_LISTS  # lists of the site that its detectors name

    @property
    def takes_truths(self) -> bool:
        """Return whether its result is worked out from what somebody says that things on a take truly were."""
        return "identity" in self.truth or "position" in self.truth

    @property
    def shapes(self) -> tuple[Shape, ...]:
        """Return what may be drawn for it to watch."""
        raise NotImplementedError

    def sources(self, detector: Detector) -> list[str]:
        """Return what may stand as the region of its events, for links to listen to: its watched regions."""
        return [region.name for region in detector.regions if region.role == "watch"]

    def companions(self, detector: Detector) -> tuple[str, ...]:
        """Return the codes of other devices whose samples it is decided with live."""
        return ()

    def asks(self, detector: Detector) -> tuple[str, ...] | None:
        """Return the codes of devices whose takes it is judged with, besides where its own stood; None: a take alone says enough."""
        return None

    def accompanied(self, detector: Detector, value: Any, company: Company) -> Any:
        """Return what a take holds together with what its companions gave meanwhile."""
        return value

    def dial_unit(self, info: DialInfo, signal: str) -> str:
        """The unit of a dial where it is held against a take of this signal."""
        return info.unit

    def raised_text(self, dials: DialsT, raised: Raised, scale: Scale = CELSIUS) -> str:
        """Return in words what a raise was of: the reading in its unit, in the user's scale."""
        unit = self.unit(dials)
        return scale.of(unit, difference=unit == "K").text(raised.reading)

    def read_dials(self, detector: Detector) -> DialsT:
        """The detector's dials as this kind's model. Raises `Refused` with each that is not allowed."""
        return read_dials(self.dials, detector.dials)

    def typed(self, detector: Detector) -> Detector:
        """The detector as the model of its kind. Raises `Refused` for a region of a shape or with a key that its family has not."""
        if isinstance(detector, self.detector):
            return detector
        return read_model(self.detector, detector.model_dump(mode="json"), where="detector")

    def unfit(self, detector: Detector, signal: str) -> str:
        """Return why a detector cannot watch samples of a signal that come live; empty: it can."""
        return "" if signal in self.signals else f"it watches {' or '.join(self.signals)}, and what comes is {signal}"

    def check(self, detector: Detector, signal: str) -> None:
        """Raises `Refused` for a signal that the kind does not look at, and for regions of one name."""
        if signal not in self.signals:
            takes = " or ".join(self.signals)
            raise Refused([Fault("take: kind", f"a {self.name} detector reads no {signal}", f"a take of kind {takes}")])
        names = [region.name for region in detector.regions]
        twice = sorted({name for name in names if names.count(name) > 1})
        if twice:
            raise Refused(
                [Fault("regions", f"two regions named {', '.join(twice)}", "a name of its own for each region")]
            )


AnyKind: TypeAlias = Kind[Any]  # whichever dials it has
