"""The bench of badges: what every bench has, over the plan of the site."""

from __future__ import annotations

from typing import Any

from sqlalchemy.orm import Session

from lantern.benches.bench import Bench
from lantern.tune.tables import DetectorRow


def _page(session: Session, row: DetectorRow, kind: Any, dials: Any) -> dict[str, Any]:
    return {}


BENCH = Bench(family="badges", page=_page, parts={})
