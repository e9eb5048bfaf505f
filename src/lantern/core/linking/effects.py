"""What a link may have done: switch, say, go to, follow, clip, mail, post, show; each told apart by `do`."""

from __future__ import annotations

from string import Formatter
from typing import Annotated, Any, Literal, Self
from urllib.parse import urlsplit

from pydantic import Field, model_validator

from lantern.core.linking.links import MOST_FLASHES_PER_S
from lantern.core.linking.orders import DEFAULT_EXPIRE_S, DEFAULT_PRIORITY, WhenBusy
from lantern.core.logic.causes import Cause
from lantern.core.modelled import Strict

DAY_S = 86_400.0
FILLED_IN = frozenset({"detector", "region", "place", "time", "object", "text", "list", "peak"})
SCHEMES = ("tcp", "http", "https", "mqtt", "mqtts")
Name = Annotated[str, Field(min_length=1, max_length=200)]


class Effect(Strict):
    """What all have. `priority` 1 is the most urgent; `expire_s`: how late it may be delivered, or how long it may wait."""

    priority: int = Field(default=DEFAULT_PRIORITY, ge=1, le=10)
    expire_s: float = Field(default=DEFAULT_EXPIRE_S, gt=0, le=7 * DAY_S)

    @property
    def things(self) -> tuple[str, ...]:
        """Return what it is done to, a line of a rehearsal each."""
        raise NotImplementedError


class Exclusive(Effect):
    """Of a thing that does one thing at a time."""

    when_busy: WhenBusy = "drop"


def _filled(text: str) -> str:
    """Return the text. Raises `ValueError` for braces that name nothing."""
    try:
        names = [name for _, name, _, _ in Formatter().parse(text) if name is not None]
    except ValueError as error:
        raise ValueError(f"{text[:60]!r}: its braces do not match ({error})") from error
    unknown = sorted({name for name in names if name not in FILLED_IN})
    if unknown:
        raise ValueError(f"{{{unknown[0]}}} is filled in by nothing: one of {', '.join(sorted(FILLED_IN))}")
    return text


class Switch(Effect):
    do: Literal["switch"] = "switch"
    output: Name
    mode: Literal["pulse", "latched"] = "pulse"
    length_s: float = Field(default=5.0, gt=0, le=DAY_S)
    flash_hz: float | None = Field(default=None, gt=0, le=MOST_FLASHES_PER_S)

    @property
    def things(self) -> tuple[str, ...]:
        return (self.output,)


class Say(Exclusive):
    do: Literal["say"]
    devices: tuple[Name, ...] = Field(min_length=1)
    message: Name
    repeats: int = Field(default=1, ge=1, le=1000)
    gain_db: float = Field(default=0.0, ge=-60, le=60)
    length_s: float | None = Field(default=None, gt=0, le=DAY_S)

    @property
    def things(self) -> tuple[str, ...]:
        return self.devices


class GoTo(Exclusive):
    do: Literal["go_to"]
    device: Name
    preset: str | int | None = None
    at: tuple[float, float, float] | None = None
    length_s: float = Field(gt=0, le=DAY_S)

    @model_validator(mode="after")
    def _one_aim(self) -> Self:
        if (self.preset is None) == (self.at is None):
            raise ValueError("give preset, or at, and not both")
        return self

    @property
    def things(self) -> tuple[str, ...]:
        return (self.device,)


class Follow(Exclusive):
    do: Literal["follow"]
    device: Name
    length_s: float = Field(gt=0, le=DAY_S)

    @property
    def things(self) -> tuple[str, ...]:
        return (self.device,)


class Clip(Effect):
    do: Literal["clip"]
    devices: tuple[Name, ...] = Field(min_length=1)
    before_s: float = Field(default=0.0, ge=0, le=DAY_S)
    after_s: float = Field(default=0.0, ge=0, le=DAY_S)
    still: bool = False

    @property
    def things(self) -> tuple[str, ...]:
        return self.devices


class Mail(Effect):
    do: Literal["mail"]
    expire_s: float = Field(default=DAY_S, gt=0, le=7 * DAY_S)
    to: tuple[Name, ...] = Field(min_length=1)
    subject: str = Field(default="", max_length=500)
    text: str = Field(default="", max_length=20_000)

    @model_validator(mode="after")
    def _known(self) -> Self:
        _filled(self.subject)
        _filled(self.text)
        return self

    @property
    def things(self) -> tuple[str, ...]:
        return self.to


class Post(Effect):
    do: Literal["post"]
    expire_s: float = Field(default=DAY_S, gt=0, le=7 * DAY_S)
    to: Name
    text: str = Field(default="", max_length=20_000)

    @model_validator(mode="after")
    def _known(self) -> Self:
        _filled(self.text)
        if urlsplit(self.to).scheme not in SCHEMES:
            raise ValueError(f"to {self.to[:60]!r}: an address that begins with {', '.join(SCHEMES)}")
        return self

    @property
    def things(self) -> tuple[str, ...]:
        return (self.to,)


class Show(Effect):
    do: Literal["show"]
    roles: tuple[Name, ...] = Field(min_length=1)

    @property
    def things(self) -> tuple[str, ...]:
        return (",".join(self.roles),)


EFFECTS: dict[str, type[Effect]] = {
    "switch": Switch, "say": Say, "go_to": GoTo, "follow": Follow, "clip": Clip, "mail": Mail, "post": Post, "show": Show,
}  # fmt: skip


class Message(Strict):
    """What a speaker says: a file, or a text to be spoken."""

    name: Name
    file: str | None = Field(default=None, max_length=300)
    text: str | None = Field(default=None, max_length=5000)
    length_s: float = Field(gt=0, le=DAY_S)

    @model_validator(mode="after")
    def _one(self) -> Self:
        if (self.file is None) == (self.text is None):
            raise ValueError("give file, or text, and not both")
        if self.text is not None:
            _filled(self.text)
        return self


class Link(Strict):
    """A cause and its effects; `effects` are documents that `EFFECTS` reads, each by its `do`."""

    name: Name
    detector: Name | None = None
    input: Name | None = None
    compound: Name | None = None
    region: str | None = None
    lists: tuple[Name, ...] = ()
    timetable: Name | None = None
    delay_s: float = Field(default=0.0, ge=0, le=DAY_S)
    on_repeat: bool = True
    effects: tuple[dict[str, Any], ...] = ()

    @property
    def cause(self) -> Cause:
        """Raises `ValueError` for none, or two."""
        if self.input is not None:
            return Cause(
                input=self.input, state=self.region, detector=self.detector, compound=self.compound, lists=self.lists
            )
        return Cause(detector=self.detector, compound=self.compound, region=self.region, lists=self.lists)
