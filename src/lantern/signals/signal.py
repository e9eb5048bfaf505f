"""What a signal is to the program: what flows from a device over time, out of files, and into the store and back."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Callable, Iterator, Mapping, Sequence, Sized
from dataclasses import dataclass
from pathlib import Path
from typing import Any, ClassVar, Generic, TypeAlias, TypeVar

from lantern.core.company import Stands
from lantern.core.faults import Fault, Refused
from lantern.core.signals import Floats, Keep, Pixels
from lantern.formats.folder import TakeFolder
from lantern.formats.sidecar import TakeInfo
from lantern.formats.tables import MOST_TRUTH
from lantern.signals.feed import Feed
from lantern.signals.looks import Look, Unread
from lantern.signals.space import Space

TakeT = TypeVar("TakeT")  # what a take of it holds
SampleT = TypeVar("SampleT", bound=Sized)  # what a device gives at one moment, as detectors take it
Timed = tuple[float, SampleT]  # s from a recording's beginning, and a sample
Block = tuple[int, Callable[[], bytes]]  # how many samples, and what packs them (it may be called in another thread)


@dataclass(frozen=True)
class Stored:
    """A take as the store holds it. `blocks()` yields (samples, packed) in order of time; `keep` holds what was worked out of it."""

    facts: Mapping[str, Any]
    t_s: Floats  # (n,) of its samples; empty where they have no times of their own
    samples: int
    blocks: Callable[[], Iterator[tuple[int, bytes]]]
    keep: Keep | None = None

    def only_block(self) -> bytes:
        """Return the packed bytes of a signal that is stored in one piece."""
        [(_, data)] = self.blocks()
        return data


class Signal(ABC, Generic[TakeT, SampleT]):
    """One signal. Its name is the `kind` of a take; `type` is what it is in the core."""

    name: ClassVar[str]
    words: ClassVar[str]  # a take of it, in words
    held: ClassVar[bool]  # small enough to be kept in memory whole
    space: ClassVar[Space]  # where the points of regions lie
    ground: ClassVar[str] = ""  # the script that draws what regions are drawn on; empty: nothing is drawn
    framed: ClassVar[bool] = False  # its samples are pictures, which a page asks for one by one
    thumbs: ClassVar[str] = ""  # the script that draws a take of it small
    names_people: ClassVar[bool] = False  # its samples hold names that devices have for people
    info: ClassVar[type[TakeInfo]] = TakeInfo  # what a sidecar of it may hold
    endings: ClassVar[tuple[str, ...]] = ()  # of its data files
    feed: ClassVar[type[Feed[Any]] | None] = None  # of a device that gives it live; None: it does not come live

    # ---- files ----

    def may_be(self, unread: Unread) -> int:
        """Return how surely a file is one of its own, by its name and first rows: 0 not, 1 perhaps, 2 it looks so, 3 it
        says so.
        """
        return 0

    def look(self, unread: Unread) -> Look:
        """Return what such a file shows of itself. Raises `Refused`."""
        raise NotImplementedError

    def told(self, drawn: Mapping[str, Any], info: TakeInfo) -> list[str]:
        """Return what a sidecar makes of the sketch of a look, in lines."""
        return []

    def faults(self, info: TakeInfo) -> list[str]:
        """Return what of a sidecar does not fit this signal, in words."""
        return []

    def picture(self, facts: Mapping[str, Any]) -> tuple[int, int] | None:
        """Width and height of the device's picture that it is in, px; None: it is in none, or nobody knows."""
        width, height = facts.get("width"), facts.get("height")
        return (int(width), int(height)) if width and height else None

    def true_text(self, text: str) -> str:
        """Return what somebody says that a thing truly was, as it is kept; an empty text takes it back. Raises `Refused` for
        what none of it can be.
        """
        kept = text.strip()
        if len(kept) > MOST_TRUTH or not kept.isprintable():
            raise Refused([Fault("truth", repr(text)[:60], f"at most {MOST_TRUTH} printable characters; or empty")])
        return kept

    def renamed(self, value: TakeT, old: str, new: str) -> TakeT | None:
        """Return it with another name for somebody wherever one stands; None: it stands nowhere. Asked where `names_people`."""
        return None

    # ---- as pages show it ----

    def shown(self, facts: Mapping[str, Any]) -> dict[str, Any]:
        """Return what its scripts must know of a take (JSON)."""
        return {}

    def said(self, facts: Mapping[str, Any]) -> list[str]:
        """Return what a take holds, in a few words each."""
        return [f"{count} {what}" for count, what in facts.get("holds", ())]

    def sketch(self, facts: Mapping[str, Any], value: TakeT) -> dict[str, Any]:
        """Return what its ground draws of a whole take (JSON)."""
        return {}

    def named(self, facts: Mapping[str, Any]) -> list[tuple[str, str]]:
        """Return (name, unit) of what stands for regions by its name alone, where nothing is drawn."""
        return []

    # ---- files and the store ----

    @abstractmethod
    def read(self, info: TakeInfo, data: Path, folder: TakeFolder) -> TakeT:
        """Return what a data file holds. Raises `Refused`, here or while a long signal is read on."""

    @abstractmethod
    def facts(self, info: TakeInfo, value: TakeT) -> dict[str, Any]:
        """Return what is stored of it besides its samples (JSON). `width`, `height`: of its picture; `holds`: [how
        many, of what] each; `algorithm`: name and version of what made its numbers, where another makes others.
        """

    @abstractmethod
    def t_s(self, value: TakeT) -> Floats:
        """(n,) times of its samples; empty where they have none of their own."""

    @abstractmethod
    def samples(self, value: TakeT) -> int: ...

    @abstractmethod
    def length_s(self, value: TakeT) -> float: ...

    @abstractmethod
    def pack(self, value: TakeT) -> Iterator[Block]:
        """Its samples as blocks for the store, in order of time."""

    @abstractmethod
    def unpack(self, stored: Stored) -> TakeT:
        """Return what was packed, equal sample by sample; a long signal is read from the store as it is used."""

    def described(self, facts: Mapping[str, Any]) -> dict[str, Any]:
        """The keys of a sidecar that its facts hold."""
        return {key: facts[key] for key in ("width", "height") if facts.get(key)}

    # ---- recorded live, and out again ----

    part_samples: ClassVar[int] = 100  # of a recording are stored at once

    def alike(self, first: SampleT, sample: SampleT) -> bool:
        """Return whether a sample can go on the recording that began with the first."""
        return True

    def whereabouts(self, value: SampleT, stands: Stands) -> Mapping[str, tuple[float, float]]:
        """Return where on the plan each thing of a sample is, by its name, m; what cannot be placed is left out."""
        return {}

    def piece(self, samples: Sequence[Timed[SampleT]], known: Mapping[str, Any]) -> TakeT:
        """Return what some samples of a live device are as a take. `known`: `frame_px` of the device (None: not known),
        `start`.

        Raises `Refused` where the signal is never live.
        """
        raise Refused([Fault("recording", f"{self.name} does not come live", "a device that sends")])

    def joined(self, pieces: Sequence[TakeT], t_s: Floats) -> TakeT:
        """Pieces that follow each other as one; `t_s`: of all samples, those that show nothing too."""
        raise Refused([Fault("recording", f"{self.name} does not come live", "a device that sends")])

    @abstractmethod
    def write(self, info: TakeInfo, value: TakeT, folder: Path) -> TakeInfo:
        """Write its data files; `read` gives the same, sample by sample. Returns the sidecar that goes with them."""

    def frame(self, facts: Mapping[str, Any], count: int, data: bytes) -> Pixels:
        """(count, height, width): the pictures of one block. Raises `Refused` where it has none."""
        raise Refused([Fault("frame", f"a take of kind {self.name} has no pictures", "a take that has")])


AnySignal: TypeAlias = Signal[Any, Any]
