"""Links over time: which output is active when, and because of which events. Used by rehearsal and by the live engine."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any

from lantern.core.linking.links import Effect, LinkRule

COINCIDE_S = 1e-6


@dataclass(frozen=True, slots=True)
class Firing:
    """One effect ordered by one event. `off_s` None: latched, on until acknowledged."""

    link: str
    effect: Effect
    event: int
    on_s: float
    off_s: float | None

    @property
    def output(self) -> str:
        return self.effect.output


@dataclass(frozen=True, slots=True)
class Active:
    """A stretch during which an output is active, with the events (by index) that caused or extended it."""

    output: str
    on_s: float
    off_s: float | None
    events: tuple[int, ...]

    def as_dict(self) -> dict[str, Any]:
        return {"output": self.output, "on_s": self.on_s, "off_s": self.off_s, "events": list(self.events)}


def firings(link: LinkRule, *, event: int, raised_s: float, repeat: bool) -> list[Firing]:
    """What an armed link orders for one event."""
    if repeat and not link.on_repeat:
        return []
    on_s = raised_s + link.delay_s
    return [
        Firing(link.name, effect, event, on_s, None if effect.mode == "latched" else on_s + effect.length_s)
        for effect in link.effects
    ]


def activity(ordered: Sequence[Firing]) -> list[Active]:
    """Firings to stretches an output: one that comes while the output is active extends it, and never cuts it short."""
    out: list[Active] = []
    for output in sorted({firing.output for firing in ordered}):
        mine = sorted((f for f in ordered if f.output == output), key=lambda f: (f.on_s, f.event))
        open_one: Active | None = None
        for firing in mine:
            if open_one is not None and (open_one.off_s is None or firing.on_s <= open_one.off_s + COINCIDE_S):
                ends = None if open_one.off_s is None or firing.off_s is None else max(open_one.off_s, firing.off_s)
                open_one = Active(output, open_one.on_s, ends, (*open_one.events, firing.event))
            else:
                if open_one is not None:
                    out.append(open_one)
                open_one = Active(output, firing.on_s, firing.off_s, (firing.event,))
        if open_one is not None:
            out.append(open_one)
    return sorted(out, key=lambda active: (active.on_s, active.output))
