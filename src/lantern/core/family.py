"""What a family of kinds is: what its folder of the core must offer, in a module `family` that holds `FAMILY`."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from typing import Any, Generic, TypeAlias, TypeVar

from lantern.core.device_kind import DeviceKind
from lantern.core.events import Detector
from lantern.core.kind import AnyKind
from lantern.core.sweepable import Sweepable
from lantern.core.watch import AnyWatch

DetectorT = TypeVar("DetectorT", bound=Detector)
KindT = TypeVar("KindT", bound=AnyKind)
HeldT = TypeVar("HeldT")  # what takes of its signals hold


@dataclass(frozen=True, kw_only=True)
class Family(Generic[DetectorT, KindT, HeldT]):
    """Kinds that look at the same sort of signal. Nothing outside its own folders names it.

    `judge(detector, kind, signal)` holds a detector against what a take holds; `watch(detector, kind, facts)` makes its
    live decision, `facts` being what is known of the device (`width`, `height` of its picture, ...).
    """

    name: str
    kinds: tuple[KindT, ...]
    signals: Mapping[str, str] = field(
        default_factory=dict
    )  # what it looks at in a few words, by the name of the signal
    devices: tuple[DeviceKind, ...] = ()  # the kinds of device that give what it looks at
    judge: Callable[[DetectorT, KindT, HeldT], Sweepable]
    watch: Callable[[DetectorT, KindT, Mapping[str, Any]], AnyWatch]


AnyFamily: TypeAlias = Family[Any, Any, Any]
