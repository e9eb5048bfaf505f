"""The bench of pulses: what every bench has, and how many pulses there are."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lantern.benches.bench import Asked, Bench
from lantern.tune.judging import subject
from lantern.tune.tables import DetectorRow


def _page(session: Session, row: DetectorRow, kind: Any, dials: Any) -> dict[str, Any]:
    return {"meter": "counts on and on"}


def _total(asked: Asked) -> dict[str, float]:
    traces = subject(asked.session, asked.detector, asked.take).traces()
    return {name: float(series.x[-1]) for name, series in traces.items()}


BENCH = Bench(family="pulses", page=_page, parts={"total": _total})
