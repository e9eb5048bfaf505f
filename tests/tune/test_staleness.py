"""Where a device's program is another version, what was judged on older takes is stale: in the rail, on the bench, at the device."""

from __future__ import annotations

import json
from pathlib import Path

import pytest

from benches.faces.door import DOCUMENT, Door, day, door
from lantern.application.app import make_app
from lantern.core.kinds import detector_of
from lantern.db.base import now, transaction
from lantern.live.tables import DeviceStateRow
from lantern.signals.faces.table import write_faces
from lantern.takes.actions import import_path
from lantern.tune.actions import save_revision
from lantern.tune.staleness import stale_detectors
from lantern.tune.tables import DetectorRow
from web.client import AtSite, words_of
from web.test_door import HTML, log_in


@pytest.fixture
def at(database: str, tmp_path: Path) -> Door:
    return door(tmp_path)


def brought(at: Door, folder: Path, version: str, start: str) -> None:
    (folder / "more.csv").write_text(write_faces(day()))
    sidecar = {"format": "lantern-take/1", "name": version, "kind": "faces", "device": "F1", "algorithm": version}
    (folder / "more.csv.json").write_text(json.dumps(sidecar | {"start": start}))
    import_path(folder / "more.csv", site_id=at.site)


def stale(at: Door) -> str:
    with transaction() as session:
        return stale_detectors(session, at.site).get(at.detector, "")


def saved(at: Door) -> None:
    with transaction() as session:
        row = session.get_one(DetectorRow, at.detector)
        save_revision(session, row, detector_of(DOCUMENT), base=row.revision, reason="Judged again.", user_id=at.user)


def test_nobody_knows_where_no_version_is_said(at: Door) -> None:
    assert stale(at) == ""


def test_a_take_of_a_newer_version_makes_it_stale_until_it_was_judged_on_that(at: Door, tmp_path: Path) -> None:
    brought(at, tmp_path, "door 1.0", "2026-03-05T00:00:00+01:00")
    saved(at)
    assert stale(at) == ""
    brought(at, tmp_path, "door 2.0", "2026-03-06T00:00:00+01:00")
    assert "judged on takes made by door 1.0" in stale(at)
    client = AtSite(make_app(), follow_redirects=False)
    client.headers["X-CSRF-Token"] = log_in(client)
    for path in (f"/bench/{at.detector}", f"/devices/{at.camera}"):
        assert "makes its numbers by door 2.0 now" in words_of(client.get(path, headers=HTML))
    rail = words_of(client.get(f"/bench/{at.detector}", headers=HTML))
    assert "<small>stale</small>" in rail
    saved(at)
    assert stale(at) == ""


def test_what_a_device_says_live_counts_more_than_its_takes(at: Door, tmp_path: Path) -> None:
    brought(at, tmp_path, "door 1.0", "2026-03-05T00:00:00+01:00")
    saved(at)
    with transaction() as session:
        session.add(DeviceStateRow(device_id=at.camera, reachable=True, since=now(), said={"algorithm": "door 3.1"}))
    assert "door 3.1 now" in stale(at)
