"""Long lists: takes, events, revisions and devices sort, filter, page and export alike."""

from __future__ import annotations

import csv
import io
from datetime import UTC, datetime, timedelta
from itertools import pairwise

import pytest
from fastapi.testclient import TestClient
from openpyxl import load_workbook

from lantern.application.app import make_app
from lantern.core.events import Raised
from lantern.core.kinds import kind_of
from lantern.core.site import Device
from lantern.db.base import transaction
from lantern.live.tables import EventRow
from lantern.register.documents import device_row
from seeded import Small
from web.client import words_of
from web.test_access import log_in

HTML = {"accept": "text/html"}
LISTS = {  # with a column that is sorted by and two to choose from
    "devices": ("code", "kind"),
    "takes": ("start", "kind"),
    "events": ("at", "outcome"),
    "revisions": ("at", "what"),
}


@pytest.fixture
def client(small: Small) -> TestClient:
    at = datetime(2026, 3, 4, 5, 12, tzinfo=UTC)
    with transaction() as session:
        for n in range(120):
            device = Device(code=f"V{n:03}", name=f"Camera {n} 100 %", kind="camera")
            session.add(device_row(device, site_id=small.site, place_id=1))
            event = EventRow(
                detector_id=small.detector,
                revision=1,
                region="spot" if n % 3 else "edge",
                raised_at=at + timedelta(seconds=n),
                repeat=False,
                reading=50.0 + n,
                why={},
                outcome="fired" if n % 2 else "no link",
            )
            session.add(event)
    return log_in(make_app(), "ida", "open sesame")


def exported(client: TestClient, address: str) -> list[dict[str, str]]:
    answer = client.get(f"/sites/1/{address}{'&' if '?' in address else '?'}export=csv")
    assert answer.status_code == 200, answer.text
    return list(csv.DictReader(io.StringIO(answer.text)))


@pytest.mark.parametrize("name", LISTS)
def test_every_list_sorts_filters_pages_and_exports(client: TestClient, name: str) -> None:
    by, choice = LISTS[name]
    rows = exported(client, name)
    up, down = (exported(client, f"{name}?sort={way}{by}") for way in ("", "-"))
    assert len(up) == len(rows) > 0
    assert [row[by] for row in up] == sorted(row[by] for row in rows)
    assert [row[by] for row in down] == sorted((row[by] for row in rows), reverse=True)
    value = rows[0][choice]
    chosen = exported(client, f"{name}?{choice}={value}")
    assert len(chosen) == sum(row[choice] == value for row in rows)
    assert exported(client, f"{name}?q=nothing-is-called-so") == []
    book = client.get(f"/sites/1/{name}?export=xlsx")
    sheet = load_workbook(io.BytesIO(book.content)).worksheets[0]
    assert sheet.max_row == len(rows) + 1
    page = words_of(client.get(f"/sites/1/{name}?sort=-{by}", headers=HTML))
    assert 'aria-sort="descending"' in page
    for wrong in ("sort=colour", "page=x", "page=0", "export=pdf", "q=" + "x" * 300):
        assert client.get(f"/sites/1/{name}?{wrong}").status_code == 422, wrong


@pytest.mark.parametrize(("name", "count"), [("devices", 122), ("events", 120)])
def test_pages_join_up(client: TestClient, name: str, count: int) -> None:
    seen: list[str] = []
    for page, told in ((1, f"1 to 50 of {count}"), (2, f"51 to 100 of {count}"), (3, f"101 to {count} of {count}")):
        text = words_of(client.get(f"/sites/1/{name}?page={page}", headers=HTML))
        assert told in text
        seen.append(text)
    assert all(one != other for one, other in pairwise(seen))
    assert words_of(client.get(f"/sites/1/{name}?page=99", headers=HTML)) == seen[-1]  # the last there is


def test_what_is_looked_for_is_taken_as_it_is_typed(client: TestClient) -> None:
    assert len(exported(client, "devices?q=100 %25")) == 120
    assert len(exported(client, "devices?q=camera 1_")) == 0  # no wildcard
    assert len(exported(client, "devices?q=CAMERA 11")) == 11  # 11 and 110 to 119


def test_times_go_out_in_the_sites_own_zone(client: TestClient) -> None:
    assert exported(client, "events?sort=at")[0]["at"] == "2026-03-04 06:12:00"  # 05:12 in UTC, Amsterdam in winter


def test_an_order_is_told_in_the_address_with_the_rest(client: TestClient) -> None:
    page = client.get("/sites/1/events?outcome=fired&q=spot", headers=HTML).text
    assert "?sort=reading&amp;q=spot&amp;outcome=fired" in page
    assert "?sort=-at&amp;q=spot&amp;outcome=fired&amp;export=csv" in page


def test_an_event_says_what_it_was_of_in_its_unit_and_the_readers_scale(client: TestClient) -> None:
    """Readings stood without a unit, and under the column beside: each row has as many cells as there are heads."""
    page = client.get("/sites/1/events?sort=at", headers=HTML).text
    assert ">50 °C<" in page
    table = page[page.index("<table") : page.index("</table>")]
    first = table.split('<tr id="event-')[1]
    assert first.count("<td") == table.count("<th ")
    assert exported(client, "events?sort=at")[0]["said"] == "50 °C"
    assert client.put("/me/scale", json={"scale": "°F"}).status_code == 200
    assert ">122 °F<" in client.get("/sites/1/events?sort=at", headers=HTML).text
    assert exported(client, "events?sort=at")[0]["reading"] == "50"  # files are in °C


@pytest.mark.parametrize(
    ("kind", "raised", "words"),
    [
        ("plate", Raised(0.72, "7", None, {"text": "KD52XRT"}), "KD52XRT: vehicle 7, 72 % sure"),
        (
            "plate",
            Raised(0.98, "9", None, {"text": "KD52XR7", "match": "KD52XRT", "list": "crews"}),
            "KD52XR7, as KD52XRT on crews: vehicle 9, 98 % sure",
        ),
        ("crossing", Raised(9.49, "10", "a_to_b"), "A to B, object 10"),
        ("count", Raised(41, None), "41 people"),
        ("heat", Raised(38.36), "38.36 °C"),
    ],
)
def test_each_family_says_what_its_raises_are_of(kind: str, raised: Raised, words: str) -> None:
    held = kind_of(kind)
    assert held.raised_text(held.dials(), raised) == words
