"""What a kind of device is: what it gives, and how it is reached."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal


@dataclass(frozen=True)
class DeviceKind:
    """`sends`: to us, with its token; `asked`: for its frames, at a URL; `written`: it is switched, at a host and port;
    `apart`: this program does not speak to it yet, and knows what it is, can and draws.
    """

    name: str
    title: str
    signals: tuple[str, ...]  # kinds of take that it gives
    reached: Literal["sends", "asked", "written", "apart"]
    pictured: bool  # it has a picture of so many pixels

    @property
    def gives(self) -> str:
        return " or ".join(self.signals) or "nothing to look at"
