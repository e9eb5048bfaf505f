"""Readings as such come live: posted or over a WebSocket, decided as on a take, recorded; what does not fit a detector is said at it."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select

from lantern.core.events import Detector
from lantern.core.faults import Refused
from lantern.core.kinds import detector_of, judge
from lantern.core.raising import Raising
from lantern.core.signals import Series
from lantern.db.base import transaction
from lantern.formats.folder import TakeFolder
from lantern.formats.limits import DEFAULT
from lantern.formats.sidecar import TakeInfo
from lantern.live.app import make_ingest
from lantern.live.engine import Engine
from lantern.live.tables import EventRow
from lantern.register.devices import add_device
from lantern.register.tables import DeviceRow
from lantern.signals.register import SIGNALS
from lantern.signals.series.wire import unpack_readings
from lantern.standins.probe import ProbeStandIn, kiln, table_of
from lantern.tune.actions import add_detector
from loops import in_a_loop
from seeded import Small

T0 = 1_772_601_000.0
COLUMNS = ["Shell", "Bearing"]
DOCUMENT = {
    "name": "Too warm",
    "kind": "heat",
    "device": "R1",
    "regions": [{"name": name, "shape": "spot", "points": [[0, 0]]} for name in COLUMNS],
    "dials": {"threshold_c": 60, "sustain_s": 2, "rearm_s": 0},
}


@pytest.fixture
def probe(small: Small) -> str:
    """A probe with a detector of two columns; gives its token."""
    with transaction() as session:
        place = session.get_one(DeviceRow, small.camera).place
        device = add_device(session, place, {"code": "R1", "name": "Kiln", "kind": "probe"})
        add_detector(session, device_id=device.id, detector=detector_of(DOCUMENT), reason="made", user_id=small.user)
        return device.token


@pytest.fixture
def ingest(probe: str) -> Iterator[tuple[TestClient, Engine]]:
    engine = Engine()
    in_a_loop(engine.reload)
    with TestClient(make_ingest(engine)) as client:
        client.headers["Authorization"] = f"Bearer {probe}"
        yield client, engine


def said(seq: int, t: float, units: str = "°C", **readings: float) -> dict[str, Any]:
    return {"seq": seq, "t": t, "readings": readings, "units": dict.fromkeys(readings, units)}


def standing(engine: Engine, name: str = "Too warm") -> dict[str, Any]:
    [found] = [run.as_dict() for runs in engine.runs.values() for run in runs if run.watch.detector.name == name]
    return found


def test_what_comes_live_is_decided_as_on_a_take(ingest: tuple[TestClient, Engine]) -> None:
    client, _ = ingest
    table = kiln()
    rows = zip(table.t_s.tolist(), *(table.columns[name].tolist() for name in COLUMNS), strict=True)
    for seq, (t, shell, bearing) in enumerate(rows):
        answer = client.post("/ingest/R1", json=said(seq, T0 + t, Shell=shell, Bearing=bearing))
        assert answer.json() == {"seq": seq, "taken": True}
    take = {name: Series(table.t_s, x, "°C", name) for name, x in table.columns.items()}
    held = judge(detector_of(DOCUMENT), "series", take)
    assert isinstance(held, Raising)
    wanted = [(event.region, event.raised_s) for event in held.events()]
    with transaction() as session:
        live = [(row.region, row.device_t - T0) for row in session.scalars(select(EventRow).order_by(EventRow.id))]
    assert [region for region, _ in wanted] == ["Bearing"]
    assert live == [(region, pytest.approx(at)) for region, at in wanted]


def test_fahrenheit_is_converted_and_what_nobody_knows_is_refused(ingest: tuple[TestClient, Engine]) -> None:
    client, engine = ingest
    assert client.post("/ingest/R1", json=said(1, T0, "degF", Shell=140.0, Bearing=32.0)).status_code == 200
    assert standing(engine)["readings"] == {"Shell": pytest.approx(60.0), "Bearing": pytest.approx(0.0)}
    for bad, word in (
        (said(2, T0 + 1, "furlong", Shell=1.0), "no unit that is known"),
        (said(2, T0 + 1, Shell=-400.0), "-273.15"),
        ({"seq": 2, "t": T0 + 1, "readings": {}}, "readings"),
        ({"seq": 2, "t": T0 + 1, "readings": {"Shell": "warm"}}, "Shell"),
    ):
        answer = client.post("/ingest/R1", json=bad)
        assert (answer.status_code, word in answer.text) == (422, True), answer.text
    [feed] = [feed for feed in engine.feeds.values() if feed.code == "R1"]
    assert (feed.received, feed.unreadable, feed.words) == (1, 4, "Shell 60 °C, Bearing 0 °C")
    assert client.post("/ingest/R1", json=said(1, T0, "degF", Shell=140.0, Bearing=32.0)).json()["taken"] is False


def test_a_column_that_lacks_is_said_at_the_detector_and_over_a_websocket_it_is_the_same(
    ingest: tuple[TestClient, Engine],
) -> None:
    client, engine = ingest
    with client.websocket_connect("/ingest/R1", headers=dict(client.headers)) as socket:
        socket.send_text(json.dumps(said(1, T0, Shell=48.0)))
        socket.send_bytes(json.dumps(said(2, T0 + 1, Shell=48.0)).encode())
    assert client.post("/ingest/R1", json=said(3, T0 + 2, Shell=48.0)).status_code == 200
    assert "no column of that name" in standing(engine)["error"]
    client.post("/ingest/R1", json=said(4, T0 + 3, Shell=48.0, Bearing=41.0))
    assert standing(engine)["error"] == ""
    assert standing(engine)["readings"] == {"Shell": 48.0, "Bearing": 41.0}


def test_a_detector_of_columns_takes_no_picture(small: Small, probe: str) -> None:
    """It stood at "17.4 °C, clear" for both of its columns, before: the pixel in the corner."""
    from live.test_going_on import message

    with transaction() as session:
        document = DOCUMENT | {"device": "T1", "name": "Columns"}
        detector: Detector = detector_of(document)
        add_detector(session, device_id=small.camera, detector=detector, reason="made", user_id=small.user)
    engine = Engine()
    in_a_loop(engine.reload)
    feed = engine.feeds[small.camera]
    in_a_loop(lambda: engine.take(small.camera, feed.read(message(1))))
    found = standing(engine, "Columns")
    assert found["error"] == "it watches columns of readings (Shell, Bearing), and what comes is heat"
    assert found["readings"] == {}
    assert found["standing"] == {}


def test_pieces_of_a_recording_are_a_take_that_comes_back_equal(tmp_path: Path) -> None:
    signal = SIGNALS["series"]
    sent = [unpack_readings(str_of(said(n, T0 + n, Shell=48.0 + n / 3, Bearing=41.0))).columns() for n in range(6)]
    assert signal.alike(sent[0], sent[1])
    assert not signal.alike(sent[0], unpack_readings(str_of(said(9, T0, Shell=48.0))).columns())
    t_s = np.arange(6.0)
    timed = list(zip(t_s.tolist(), sent, strict=True))
    whole = signal.joined([signal.piece(timed[:4], {}), signal.piece(timed[4:], {})], t_s)
    document = {
        "format": "lantern-take/1",
        "name": "n",
        "kind": "series",
        "device": "R1",
        "start": "2026-03-04T05:12:00+01:00",
    }
    info = signal.write(TakeInfo.model_validate(document), whole, tmp_path)
    again = signal.read(info, tmp_path / info.data, TakeFolder(tmp_path, DEFAULT, "take.json"))
    for name in COLUMNS:
        assert again[name].unit == "°C"
        assert again[name].x.tolist() == whole[name].x.tolist()
        assert again[name].t_s.tolist() == t_s.tolist()


def str_of(document: dict[str, Any]) -> bytes:
    return json.dumps(document).encode()


def test_the_stand_in_plays_a_table_of_ones_own(tmp_path: Path) -> None:
    path = tmp_path / "oven.csv"
    path.write_text("time;Oven (°F);Door\n05:12:00;140,5;1\n05:12:02;141,5;0\n")
    table = table_of(path, times=None, fps=None, units={"Door": ""})
    assert (table.t_s.tolist(), dict(table.units)) == ([0.0, 2.0], {"Oven (°F)": "°F", "Door": ""})
    first = ProbeStandIn(table, "", "")._said(1, T0)
    assert first.readings == {"Oven (°F)": 141.5, "Door": 0.0}
    for units, word in (({"Lid": "°C"}, "no column Lid"), ({"Door": "furlong"}, "no unit that is known")):
        with pytest.raises(Refused, match=word):
            table_of(path, times=None, fps=None, units=units)
