"""The bench of radars over HTTP: ways, what became of each, who is seen at a moment, why, and profiles in a row."""

from __future__ import annotations

import json
from dataclasses import dataclass
from pathlib import Path
from typing import Any

import pytest

from core.radar.scenes import Row, returns_of
from lantern.application.app import make_app
from lantern.core.kinds import detector_of
from lantern.core.scoring.marks import Mark
from lantern.core.site import Device, Place, Site
from lantern.db.base import transaction
from lantern.people.tables import add_user
from lantern.register.tables import device_by_code
from lantern.signals.radar.table import write_returns
from lantern.sites.actions import add_site
from lantern.takes.actions import import_path
from lantern.takes.marking import add_marks
from lantern.takes.tables import TakeRow
from lantern.tune.actions import add_detector
from web.client import AtSite
from web.test_door import HTML, log_in

SITE = Site(
    name="Quay",
    zone="Europe/Amsterdam",
    places=(Place(name="Edge", devices=(Device(code="R1", name="Radar", kind="radar"),)),),
)
DOCUMENT = {
    "name": "in",
    "kind": "radar",
    "device": "R1",
    "dials": {"profile": "inbound", "distance_m": 3.0},
    "regions": [{"name": "basin", "shape": "sector", "points": [[2, -60], [60, 60]]}],
}


def rows() -> list[Row]:
    """A boat that comes in from 10 s on, a gull that comes 2 m nearer, a walker who goes away."""
    out: list[Row] = []
    for step in range(200):
        t = step / 5
        if t >= 10:
            out.append((t, "boat", 50 - (t - 10), 10.0, -1.0, 12.0))
        if 4 <= t <= 5:
            out.append((t, "gull", 30 - 2 * (t - 4), -20.0, -2.0, -20.0))
        out.append((t, "walker", 10 + 0.5 * t, 0.0, 0.5, 0.0))
    return sorted(out)


@dataclass
class Quay:
    take: int
    detector: int


@pytest.fixture
def at(database: str, tmp_path: Path) -> Quay:
    (tmp_path / "r.csv").write_text(write_returns(returns_of(rows())))
    sidecar = {
        "format": "lantern-take/1",
        "name": "T",
        "kind": "radar",
        "device": "R1",
        "start": "2026-03-04T05:00:00Z",
    }
    (tmp_path / "r.csv.json").write_text(json.dumps(sidecar))
    with transaction() as session:
        user = add_user(session, login="ida", name="Ida Test", password="open sesame", administrator=True).id
        site = add_site(session, SITE).id
    take = import_path(tmp_path / "r.csv", site_id=site)
    with transaction() as session:
        add_marks(session, session.get_one(TakeRow, take), [Mark(10.0, 18.0, "expect")])
        device = device_by_code(session, site, "R1")
        assert device is not None
        made = add_detector(session, device_id=device.id, detector=detector_of(DOCUMENT), reason="first", user_id=user)
        return Quay(take, made.id)


@pytest.fixture
def client(at: Quay) -> AtSite:
    made = AtSite(make_app(), follow_redirects=False)
    made.headers["X-CSRF-Token"] = log_in(made)
    return made


def ask(client: AtSite, at: Quay, part: str, dials: dict[str, Any] | None = None, **also: Any) -> Any:
    own = DOCUMENT | {"dials": DOCUMENT["dials"] | (dials or {})}  # type: ignore[operator] # both are documents
    asked = {"take": at.take, "detector": own, "parts": [part], "also": also}
    answer = client.post(f"/bench/{at.detector}/judge", json=asked)
    assert answer.status_code == 200, answer.text
    return answer.json()[part]


def test_ways_and_what_became_of_each(client: AtSite, at: Quay) -> None:
    assert client.get(f"/bench/{at.detector}", headers=HTML).status_code == 200
    ways = ask(client, at, "ways")["ways"]
    names = [way["name"] for way in ways]
    assert sorted(names) == ["boat", "gull", "walker"]
    boat = ways[names.index("boat")]
    assert boat["times"] == [10.0, 39.8]
    x, y = boat["places"][0]
    assert (x**2 + y**2) ** 0.5 == pytest.approx(50.0, abs=0.01)
    fates = dict(zip(names, ask(client, at, "fates"), strict=True))
    assert fates == {"boat": "hit", "gull": "none", "walker": "none"}
    assert dict(zip(names, ask(client, at, "fates", {"distance_m": 1.0}), strict=True))["gull"] == "false"
    outward = dict(zip(names, ask(client, at, "fates", {"profile": "outbound"}), strict=True))
    assert outward == {"boat": "none", "gull": "none", "walker": "false"}


def test_who_is_seen_at_a_moment_and_why_somebody_did_not_raise(client: AtSite, at: Quay) -> None:
    seen = {each["name"]: each for each in ask(client, at, "moment", at_s=12.0)["seen"]}
    assert set(seen) == {"boat", "walker"}
    assert seen["boat"]["range_m"] == pytest.approx(48.0)
    assert len(seen["boat"]["trail"]) == 11
    names = [way["name"] for way in ask(client, at, "ways")["ways"]]
    gull = ask(client, at, "target", target=names.index("gull"))
    assert gull["said"] == "gull came 2.0 of 3 m nearer in its longest run."
    assert gull["rcs_dbsm"] == -20.0
    boat = ask(client, at, "target", target=names.index("boat"))
    assert "had come 3.0 m, nearer, 3.0 s after its run began, at -1.0 m/s: it raised" in boat["said"]
    wrong = client.post(
        f"/bench/{at.detector}/judge",
        json={"take": at.take, "detector": DOCUMENT, "parts": ["target"], "also": {"target": 99}},
    )
    assert wrong.status_code == 422
    assert "0 to 2" in wrong.text


def test_profiles_in_a_row(client: AtSite, at: Quay) -> None:
    found = {each["name"]: each["card"]["line"] for each in ask(client, at, "profiles")}
    assert list(found) == ["inbound", "outbound", "across", "any"]
    assert found["inbound"].startswith("1 of 1 caught, 0 false")
    assert found["outbound"].startswith("0 of 1 caught, 1 false")
