"""What all effects of links have: what they are done to, how orders of them are held, and how they are said."""

from __future__ import annotations

from collections.abc import Mapping
from string import Formatter
from typing import Annotated, Any, ClassVar, Literal, NamedTuple

from pydantic import Field, SerializerFunctionWrapHandler, model_serializer

from lantern.core.linking.orders import DEFAULT_EXPIRE_S, DEFAULT_PRIORITY, WhenBusy
from lantern.core.modelled import Strict

DAY_S = 86_400.0
FILLED_IN = frozenset({"detector", "region", "place", "time", "object", "text", "list", "peak"})
Name = Annotated[str, Field(min_length=1, max_length=200)]
Held = Literal["coil", "one", "moment"]  # any number at once, one at a time, or done as soon as it is there
Lengths = Mapping[str, float]  # of the site's messages, by name, in s


class Asked(NamedTuple):
    """A part of an effect that is asked for on its page: `of` says what it is, or what of the site it names."""

    key: str
    label: str
    of: Literal["number", "text", "lines", "yes", "words", "devices", "device", "message", "preset", "roles", "busy"]
    unit: str = ""
    kind: str = ""  # of the devices


class Effect(Strict):
    """What all have. `priority` 1 is the most urgent; `expire_s`: how late it may be delivered, or how long it may wait."""

    HELD: ClassVar[Held] = "moment"
    ASKED: ClassVar[tuple[Asked, ...]] = ()
    TITLE: ClassVar[str] = ""
    ON: ClassVar[str]  # the key of what it is done to
    DEVICE_KIND: ClassVar[str] = ""  # of the devices that it names; empty: any
    BEGINS: ClassVar[Mapping[str, Any]] = {}  # what a new one begins with

    do: str
    priority: int = Field(default=DEFAULT_PRIORITY, ge=1, le=10)
    expire_s: float = Field(default=DEFAULT_EXPIRE_S, gt=0, le=7 * DAY_S)

    @property
    def things(self) -> tuple[str, ...]:
        """Return what it is done to, an order each."""
        raise NotImplementedError

    @property
    def devices_named(self) -> tuple[str, ...]:
        """Return the codes of devices that it names."""
        return ()

    @property
    def looks_back_s(self) -> float:
        """Return how long before its event what its devices gave is wanted."""
        return 0.0

    @property
    def sentence(self) -> str:
        """Return what it does, as a sentence goes on after "then"."""
        raise NotImplementedError

    @property
    def ink(self) -> str:
        """Return what of it stands in a cell of the link sheet, whose column says what it is done to."""
        return ""

    @classmethod
    def lane(cls, thing: str) -> str:
        """Return what an order of it is drawn beside."""
        raise NotImplementedError

    def lasts_s(self, messages: Lengths) -> float | None:
        """Return how long an order of it lasts; None: until somebody acknowledges it. `messages`: lengths of the site's."""
        return 0.0

    @model_serializer(mode="wrap")
    def _plain(self, handler: SerializerFunctionWrapHandler) -> dict[str, Any]:
        """What all effects have and nobody changed is not written."""
        out: dict[str, Any] = handler(self)
        if self.priority == DEFAULT_PRIORITY:
            out.pop("priority", None)
        return out


class Exclusive(Effect):
    """Of a thing that does one thing at a time."""

    HELD: ClassVar[Held] = "one"
    TAKES: ClassVar[str]  # what of the thing is taken: its head, its voice

    when_busy: WhenBusy = "drop"


def checked_text(text: str) -> str:
    """Return a text with names in braces. Raises `ValueError` for braces that name nothing."""
    try:
        names = [name for _, name, _, _ in Formatter().parse(text) if name is not None]
    except ValueError as error:
        raise ValueError(f"{text[:60]!r}: its braces do not match ({error})") from error
    unknown = sorted({name for name in names if name not in FILLED_IN})
    if unknown:
        raise ValueError(f"{{{unknown[0]}}} is filled in by nothing: one of {', '.join(sorted(FILLED_IN))}")
    return text


def filled(text: str, names: Mapping[str, str]) -> str:
    """Return a text with its names in braces filled in; what is not known of an event is empty."""
    return text.format_map({name: names.get(name, "") for name in FILLED_IN})
