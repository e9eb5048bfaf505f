"""The benches there are, one a family."""

from __future__ import annotations

import importlib
import pkgutil
from pathlib import Path
from typing import Any

import lantern.benches
from lantern.benches.bench import Bench
from lantern.core.kinds import family_of, kind_of


def _found() -> tuple[dict[str, Bench], dict[str, Path]]:
    benches, folders = {}, {}
    for module in sorted(pkgutil.iter_modules(lantern.benches.__path__), key=lambda each: each.name):
        if module.ispkg:
            held = importlib.import_module(f"{lantern.benches.__name__}.{module.name}.bench")
            benches[held.BENCH.family] = held.BENCH
            folders[held.BENCH.family] = Path(str(held.__file__)).parent
    return benches, folders


BENCHES, FOLDERS = _found()  # by family, and the folders with their templates and scripts


def bench_of(kind_name: str) -> Bench:
    """Return the bench of a kind's family. Raises `Refused` for an unknown kind."""
    return BENCHES[family_of(kind_name).name]


def parts_drawn(kind_name: str) -> dict[str, Any]:
    """Return what of the common parts the pages of a kind draw."""
    kind, bench = kind_of(kind_name), bench_of(kind_name)
    return {
        "raises": kind.raises,
        "regions": kind.needs_regions,
        "truth": kind.truth,
        "axis": None if kind.axis is None else kind.axis.as_dict(),
        "evidence": sorted(bench.evidence),
    }
