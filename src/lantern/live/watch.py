"""What the engine asks of every live detector, whatever it looks at."""

from __future__ import annotations

from abc import ABC, abstractmethod
from collections.abc import Mapping
from dataclasses import dataclass, field
from typing import Any

from lantern.core.events import Detector
from lantern.core.rehearsal import Armed


@dataclass
class Watch(ABC):
    """One live detector: what it looks at, its links, and what is wrong with it, if anything is."""

    detector_id: int
    site_id: int
    revision: int
    model: Detector
    links: list[Armed]
    error: str = field(default="", kw_only=True)

    @abstractmethod
    def resume(self, remembered: Mapping[str, tuple[int, dict[str, Any]]]) -> bool:
        """Go on where an earlier engine stopped, as far as the revision is the same; gives whether anything stands raised."""

    @abstractmethod
    def inherit(self, held: Watch) -> None:
        """Take over the state of the same detector under the same revision, whose links have changed."""

    @abstractmethod
    def shift(self, seconds: float) -> None:
        """The device's clock jumped (a restart, a set clock): carry what is remembered over to its new time."""

    @abstractmethod
    def as_dict(self, *, feed_live: bool) -> dict[str, Any]:
        """How it stands, for the pages."""
