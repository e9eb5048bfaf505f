"""What a family shows of itself to the conformance test: detectors, takes for them, and the same samples one by one."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

from lantern.core.events import Detector
from lantern.core.scoring.marks import Mark
from lantern.core.watch import Sample


@dataclass(frozen=True)
class Example:
    """A detector of one kind with a take. `samples` are what the take holds, as a device gives it; `facts` are the device's.

    `info`: keys of the take's sidecar that its signal needs.
    """

    detector: Detector
    signal: str
    value: Any
    samples: Sequence[Sample]
    interval_s: float
    marks: Sequence[Mark] = ()
    facts: Mapping[str, Any] = field(default_factory=dict)
    info: Mapping[str, Any] = field(default_factory=dict)
