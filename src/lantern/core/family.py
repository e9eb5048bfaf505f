"""What a family of kinds is: what its folder of the core must offer, in a module `family` that holds `FAMILY`."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Any

from lantern.core.device_kind import DeviceKind
from lantern.core.kind import Kind
from lantern.core.sweepable import Sweepable
from lantern.core.watch import Watch


@dataclass(frozen=True, kw_only=True)
class Family:
    """Kinds that look at the same sort of signal. Nothing outside its own folders names it.

    `judge(detector, kind, signal)` holds a detector against what a take holds; `watch(detector, kind, facts)` makes its
    live decision, `facts` being what is known of the device (`width`, `height` of its picture, ...).
    """

    name: str
    kinds: tuple[Kind, ...]
    devices: tuple[DeviceKind, ...] = ()  # the kinds of device that give what it looks at
    judge: Callable[[Any, Any, Any], Sweepable]
    watch: Callable[[Any, Any, Mapping[str, Any]], Watch]
