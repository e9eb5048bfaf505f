"""The signals there are: found by listing the rooms of this package, so that nothing names them.

A room is a package with a module `signal` that holds `SIGNALS`: their readers, packing, looks, feeds are beside it.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

from lantern import signals
from lantern.core.faults import Fault, Refused
from lantern.core.listing import modules_named
from lantern.signals.feed import Feed
from lantern.signals.signal import AnySignal


def _found() -> dict[str, AnySignal]:
    held = modules_named("signal", signals).values()
    return {signal.name: signal for module in held for signal in module.SIGNALS}


SIGNALS: dict[str, AnySignal] = _found()


def feed_of(signals: Sequence[str]) -> type[Feed[Any]]:
    """Return what is known of a device that gives the first of these signals live. Raises `Refused` where none comes live."""
    feed = SIGNALS[signals[0]].feed if signals and signals[0] in SIGNALS else None
    if feed is None:
        raise Refused([Fault("device", f"{' and '.join(signals) or 'nothing'} does not come live", "one that does")])
    return feed


def signal_of(name: str, *, where: str = "take: kind") -> AnySignal:
    """Return the signal of that name. Raises `Refused` with the signals there are."""
    found = SIGNALS.get(name)
    if found is None:
        raise Refused([Fault(where, f"there is no kind of take {name[:40]!r}", f"one of {', '.join(SIGNALS)}")])
    return found


def ground_of(signals: Sequence[str]) -> str:
    """Return the script that draws what comes live of a device that gives these signals; empty: nothing is drawn."""
    return next((SIGNALS[name].ground for name in signals if SIGNALS[name].feed is not None), "")
