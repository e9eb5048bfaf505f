"""A text as it would have read of the newest event of its cause."""

from __future__ import annotations

from datetime import UTC, datetime, timedelta

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select

from lantern.application.app import make_app
from lantern.db.base import transaction
from lantern.live.recorder import CompoundTurn, InputTurn, record, record_compound, record_input
from lantern.live.tables import OrderRow
from live.test_delivery import happening, links
from seeded import Small
from web.test_access import log_in

AT = datetime(2026, 3, 2, 11, tzinfo=UTC)


@pytest.fixture
def client(small: Small) -> TestClient:
    return log_in(make_app(), "ida", "open sesame")


def read(client: TestClient, small: Small, text: str, **cause: str) -> str | None:
    answer = client.post(f"/sites/{small.site}/link-text", json={"cause": cause, "texts": {"text": text}})
    assert answer.status_code == 200, answer.text
    texts = answer.json()["texts"]
    return None if texts is None else texts["text"]


def test_it_reads_as_an_order_of_the_newest_event_does(client: TestClient, small: Small) -> None:
    text = "{detector} in {place} at {time}: {peak}, {region}"
    assert read(client, small, text, detector="hot") is None
    record(happening(small, at=AT - timedelta(hours=1)), links(small))
    record(happening(small, at=AT), links(small))
    told = read(client, small, text, detector="hot")
    assert told is not None and told.startswith("hot in Shed at 2026-03-02 ")
    assert told.endswith(": 60, all")
    with transaction() as session:
        names = session.scalars(select(OrderRow.names).order_by(OrderRow.id.desc())).first()
    assert told == text.format_map(names)


def test_inputs_and_compounds_have_names_of_their_own(client: TestClient, small: Small) -> None:
    record_input(InputTurn(small.site, small.module, "gate", "idle", "active", "", 1.0, AT), [])
    assert read(client, small, "{detector} {region}", input="gate") == "gate active"
    record_compound(CompoundTurn(small.site, "both", AT, False, False, ("hot all", "gate active")), [], None)
    assert read(client, small, "{detector}: {object}", compound="both") == "both: hot all, gate active"


def test_braces_that_name_nothing_are_refused(client: TestClient, small: Small) -> None:
    body = {"cause": {"detector": "hot"}, "texts": {"subject": "{where}"}}
    answer = client.post(f"/sites/{small.site}/link-text", json=body)
    assert answer.status_code == 422
    assert "{where} is filled in by nothing" in answer.text
