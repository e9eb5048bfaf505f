"""What a data file shows of itself before anybody has said anything: what it may be, what must be asked, what can be guessed.

Each signal says of a file how surely it is one of its own, and looks at it; what is common to them is here.
"""

from __future__ import annotations

from dataclasses import asdict, dataclass, field
from functools import cached_property
from pathlib import Path
from typing import Any, Literal

from lantern.core.faults import Fault, Refused
from lantern.formats import columns
from lantern.formats.border import border
from lantern.formats.limits import Limits

TABLES = (".csv", ".txt", ".tsv")
PICTURES = (".png", ".jpg", ".jpeg")


@dataclass(frozen=True)
class Question:
    """One key of the sidecar that is asked, as a form draws it: a number (in `unit`), a choice among `choices` (value, words), or
    one of these for each name of `names` (without choices a text). `only`: asked while another key has that answer; `but`: without
    the name that another key has as its answer.
    """

    key: str
    label: str
    sort: Literal["number", "choice", "each"] = "number"
    unit: str = ""
    choices: tuple[tuple[str, str], ...] = ()
    names: tuple[str, ...] = ()
    note: str = ""
    only: tuple[str, str] | None = None
    but: str = ""


FRAME_RATE = Question("fps", "Frames a second")
PICTURE = (Question("width", "Picture, width", unit="px"), Question("height", "and height", unit="px"))


@dataclass(frozen=True)
class Look:
    """`kinds` of take that it may be, the likeliest first; `facts` in words; `guess`: keys of the sidecar, to begin the answers with; `given`:
    those that nobody is asked; `asked`: what must be answered, by kind; `drawn`: a sketch for the page, by kind, with `script`: what draws it; `length_s`: seconds where they tell.
    """

    kinds: tuple[str, ...]
    facts: list[str]
    guess: dict[str, Any]
    asked: dict[str, list[Question]]
    drawn: dict[str, Any]
    samples: int
    length_s: dict[str, float] = field(default_factory=dict)  # by column of times; "": whatever is answered
    given: dict[str, Any] = field(default_factory=dict)
    begins: dict[str, str] = field(default_factory=dict)  # by column of times: date and time of the first row

    def as_dict(self) -> dict[str, Any]:
        return asdict(self)


@dataclass(frozen=True)
class Unread:
    """A file that nobody has read yet. `beside`: names of the files that came with it."""

    path: Path
    limits: Limits
    beside: tuple[str, ...] = ()

    @property
    def suffix(self) -> str:
        return self.path.suffix.lower()

    @cached_property
    def layout(self) -> columns.Layout | None:
        """Return how it is laid out, if it is a table. Raises `Refused` for one without rows."""
        return columns.layout_of(self.path, where=self.path.name) if self.suffix in TABLES else None

    def pictures_beside(self) -> list[str]:
        return [name for name in self.beside if name.lower().endswith(PICTURES)]


def look_at(path: Path, limits: Limits, beside: tuple[str, ...] = ()) -> Look:
    """Read it as far as that takes, as the signal that is surest of it does. Raises `Refused`."""
    from lantern.signals.register import SIGNALS  # its signals look with what is here

    unread = Unread(path, limits, beside)
    with border(path.name):
        surest = max(SIGNALS.values(), key=lambda signal: signal.may_be(unread))
        if surest.may_be(unread) > 0:
            return surest.look(unread)
    endings = sorted({ending for signal in SIGNALS.values() for ending in signal.endings})
    what = f"a file {unread.suffix or 'without an ending'} is not read"
    raise Refused([Fault(path.name, what, ", ".join(endings))])
