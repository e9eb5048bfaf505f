"""Links with a limit, live: what comes more often is held back, counted beyond a restart, and told at the link."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import func, select

from lantern.application.app import make_app
from lantern.core.faults import Refused
from lantern.db.base import transaction
from lantern.links.actions import save_link
from lantern.links.tables import LinkBucketRow, LinkRow, held_back, links_of_site
from lantern.live.recorder import record
from lantern.live.tables import EventRow, OrderRow
from lantern.register.devices import change_device
from lantern.register.tables import device_by_code
from lantern.tune.tables import DetectorRow
from live.test_delivery import happening, links
from seeded import Small
from web.test_access import log_in

AT = datetime(2026, 3, 2, 12, tzinfo=UTC)


def limited(small: Small, burst: int | None, refill_s: float | None) -> LinkRow:
    with transaction() as session:
        [row] = links_of_site(session, small.site)
        body = row.model.model_dump(mode="json") | {"limit_burst": burst, "limit_refill_s": refill_s}
        cause = session.get_one(DetectorRow, small.detector)
        return save_link(session, cause, body, link_id=row.id, base=row.revision, reason="limited", user_id=None)


def raised(small: Small, after_s: float) -> str:
    [outcome] = record(happening(small, at=AT + timedelta(seconds=after_s)), links(small))
    return outcome


def test_what_comes_too_often_is_held_back_and_counted(small: Small) -> None:
    link = limited(small, 2, 30.0)
    came = [raised(small, t) for t in (0.0, 5.0, 9.0, 40.0, 41.0, 100.0)]
    assert came == ["fired", "fired", "held back", "fired", "held back", "fired"]  # each in a transaction of its own
    with transaction() as session:
        assert session.scalar(select(func.count()).select_from(OrderRow)) == 4
        sentences = set(session.scalars(select(EventRow.because).where(EventRow.outcome == "held back")))
        assert sentences == {"Held back: hot to lamp (at most 2 at once, then one in 30 s)."}
        assert held_back(session, [link.id]) == {link.id: 2}
    client: TestClient = log_in(make_app(), "ida", "open sesame")
    page = client.get(f"/sites/{small.site}/links/{small.detector}")
    assert '"held_back": 2' in page.text or '"held_back":2' in page.text


def test_without_a_limit_nothing_is_kept(small: Small) -> None:
    assert [raised(small, t) for t in (0.0, 1.0, 2.0)] == ["fired"] * 3
    with transaction() as session:
        assert session.scalar(select(func.count()).select_from(LinkBucketRow)) == 0


def mark(small: Small, *, life_safety: bool) -> None:
    with transaction() as session:
        module = device_by_code(session, small.site, "M1")
        assert module is not None
        lamp = {"life_safety": life_safety}
        outputs = [each | {"was": each["name"]} | (lamp if each["name"] == "lamp" else {}) for each in module.outputs]
        change_device(session, module, {"outputs": outputs}, place=module.place)


def test_a_limit_and_life_safety_exclude_each_other_whichever_comes_first(small: Small) -> None:
    limited(small, 2, 30.0)
    with pytest.raises(Refused, match="hot to lamp has a limit, and switches lamp"):
        mark(small, life_safety=True)
    limited(small, None, None)
    mark(small, life_safety=True)
    with pytest.raises(Refused, match="lamp is marked life safety"):
        limited(small, 2, 30.0)
    mark(small, life_safety=False)
    limited(small, 2, 30.0)
