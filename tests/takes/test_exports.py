"""A take as files by way of the worker: followed, cancelled, begun anew, held for an hour; what comes is what the take's zip has."""

from __future__ import annotations

import io
import zipfile
from collections.abc import Iterator
from datetime import timedelta
from pathlib import Path

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import func, select, update

from lantern.application.app import make_app
from lantern.db.base import now, transaction
from lantern.takes import export_routes, exports
from lantern.takes.exports import ExportPartRow, ExportRow, drop_old_exports, run_export
from lantern.takes.tables import TakeRow
from seeded import Small
from web.client import AtSite
from web.test_door import log_in


@pytest.fixture
def client(small: Small, monkeypatch: pytest.MonkeyPatch) -> Iterator[TestClient]:
    monkeypatch.setattr(export_routes, "defer_export", lambda export_id: None)  # the tests are the worker
    with AtSite(make_app(), follow_redirects=False) as made:
        made.headers["x-csrf-token"] = log_in(made)
        yield made


def files(data: bytes) -> dict[str, bytes]:
    with zipfile.ZipFile(io.BytesIO(data)) as held:
        return {name: held.read(name) for name in held.namelist()}


def test_it_is_followed_and_fetched_in_parts(
    client: TestClient, small: Small, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(exports, "PART_BYTES", 300)
    row = client.post(f"/takes/{small.take}/exports").json()
    assert (row["state"], row["open"]) == ("waiting", True)
    assert client.get(f"/takes/exports/{row['id']}/take.zip").status_code == 422
    run_export(row["id"], tmp_path)
    followed = client.get(f"/takes/exports/{row['id']}").json()
    assert (followed["state"], followed["done"], followed["total"]) == ("done", 1000, 1000)
    with transaction() as session:
        assert (session.scalar(select(func.count()).select_from(ExportPartRow)) or 0) > 3
    answer = client.get(f"/takes/exports/{row['id']}/take.zip")
    assert len(answer.content) == int(answer.headers["content-length"]) == followed["bytes"]
    assert files(answer.content) == files(client.get(f"/takes/{small.take}/take.zip").content)


def test_one_under_way_is_followed_and_one_that_has_ended_is_made_anew(
    client: TestClient, small: Small, tmp_path: Path
) -> None:
    first = client.post(f"/takes/{small.take}/exports").json()["id"]
    assert client.post(f"/takes/{small.take}/exports").json()["id"] == first
    run_export(first, tmp_path)
    second = client.post(f"/takes/{small.take}/exports").json()
    assert second["id"] != first and second["open"]
    assert client.get(f"/takes/exports/{first}").status_code == 404
    cancelled = client.post(f"/takes/exports/{second['id']}/cancel").json()
    assert (cancelled["state"], cancelled["open"]) == ("cancelled", False)


def test_what_is_old_goes_and_what_is_of_a_deleted_take_goes_with_it(
    client: TestClient, small: Small, tmp_path: Path
) -> None:
    made = client.post(f"/takes/{small.take}/exports").json()["id"]
    run_export(made, tmp_path)
    drop_old_exports()
    assert client.get(f"/takes/exports/{made}").status_code == 200
    with transaction() as session:
        session.execute(update(ExportRow).values(created=now() - timedelta(hours=2)))
    drop_old_exports()
    assert client.get(f"/takes/exports/{made}").status_code == 404
    run_export(client.post(f"/takes/{small.take}/exports").json()["id"], tmp_path)
    with transaction() as session:
        session.delete(session.get_one(TakeRow, small.take))
    with transaction() as session:
        assert session.scalar(select(func.count()).select_from(ExportPartRow)) == 0
