"""The benches there are, one a family."""

from __future__ import annotations

from pathlib import Path
from typing import Any

import lantern.benches
from lantern.benches.bench import AnyBench
from lantern.core.kinds import family_of, kind_of
from lantern.core.listing import modules_named


def _found() -> tuple[dict[str, AnyBench], dict[str, Path]]:
    held = list(modules_named("bench", lantern.benches).values())
    folders = {module.BENCH.family: Path(str(module.__file__)).parent for module in held}
    return {module.BENCH.family: module.BENCH for module in held}, folders


BENCHES, FOLDERS = _found()  # by family, and the folders with their templates and scripts


def bench_of(kind_name: str) -> AnyBench:
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
