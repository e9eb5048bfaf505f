"""The stage of the preflight, as the frame of every page knows it: what is open, and at which device."""

from __future__ import annotations

from collections import Counter

from sqlalchemy.orm import Session

from lantern.core.wording import many
from lantern.preflight.looking import open_findings
from lantern.preflight.routes import router
from lantern.preflight.tables import LookRow
from lantern.web.frame import Stage

COUNTED = ("error", "warning")


def _open(session: Session, site_id: int) -> list[dict[str, str]]:
    held = session.get(LookRow, site_id)
    return [] if held is None else open_findings(held)


def _count(session: Session, site_id: int) -> tuple[int, str]:
    count = sum(each["severity"] == "error" for each in _open(session, site_id))
    return count, many(count, "error found that nobody accepted", "errors found that nobody accepted")


def _flags(session: Session, site_id: int) -> dict[str, int]:
    return Counter(each["code"] for each in _open(session, site_id) if each["severity"] in COUNTED and each["code"])


STAGE = Stage(
    key="preflight",
    label="Preflight",
    place=5,
    address="/preflight",
    of_detector=False,
    routers=(router,),
    count=_count,
    flags=_flags,
)
