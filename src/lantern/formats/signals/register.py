"""The signals there are: found by listing the modules of this package, so that nothing names them."""

from __future__ import annotations

import importlib
import pkgutil

from lantern.core.faults import Fault, Refused
from lantern.formats import signals
from lantern.formats.signals.signal import Signal


def _found() -> dict[str, Signal]:
    modules = sorted(each.name for each in pkgutil.iter_modules(signals.__path__))
    held = [importlib.import_module(f"{signals.__name__}.{name}") for name in modules if name != "register"]
    return {signal.name: signal for module in held for signal in getattr(module, "SIGNALS", ())}


SIGNALS: dict[str, Signal] = _found()


def signal_of(name: str, *, where: str = "take: kind") -> Signal:
    """Return the signal of that name. Raises `Refused` with the signals there are."""
    found = SIGNALS.get(name)
    if found is None:
        raise Refused([Fault(where, f"there is no kind of take {name[:40]!r}", f"one of {', '.join(SIGNALS)}")])
    return found
