"""A kind of device: what it gives, how it is reached, and what somebody may say of one."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True, slots=True)
class Figure:
    """A number that somebody knows of a device, by its key in `ability`."""

    key: str
    label: str
    unit: str


@dataclass(frozen=True, slots=True)
class Figures:
    """Numbers that are asked for together, what they are for, and what a reader should know."""

    title: str
    figures: tuple[Figure, ...]
    what_for: str = ""
    hint: str = ""


PICTURE = Figures(
    "Picture",
    (Figure("width", "Width", "px"), Figure("height", "Height", "px"), Figure("fps", "Frames a second", "Hz")),
    hint="Regions are drawn in these pixels. A device that has no picture: leave all empty.",
)
LENS = Figures(
    "Lens",
    (Figure("pitch_um", "Pixel pitch", "µm"), Figure("focal_mm", "Focal length", "mm")),
    what_for="for the smallest target that is measured, or for speeds; may stay empty",
)


@dataclass(frozen=True)
class DeviceKind:
    """`sends`: to us, with its token; `asked`: for its frames, at a URL; `written`: it is switched, at a host and port;
    `steered`: it is moved and asked at a URL, with a log-in; `played`: sounds are posted to it, at a URL; `unconnected`: this program does not speak to it yet, and knows what it is, can and draws.
    """

    name: str
    title: str
    signals: tuple[str, ...]  # kinds of take that it gives
    reached: Literal["sends", "asked", "written", "steered", "played", "unconnected"]
    pictured: bool = False  # it has a picture of so many pixels
    figures: tuple[Figures, ...] = ()  # that are asked for, besides those of its picture
    has_gallery: bool = False  # it holds pictures of people that others are compared with
    usual_height_m: tuple[float, float] | None = None  # at which it is mounted; common practice, no source

    @property
    def a_title(self) -> str:
        """Its title with the article before it."""
        return f"{'an' if self.title[0] in 'aeioAEIO' else 'a'} {self.title}"

    @property
    def asks(self) -> tuple[Figures, ...]:
        """Return all figures that somebody may say of one."""
        return (PICTURE, *self.figures) if self.pictured else self.figures
