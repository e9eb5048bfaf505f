"""Returns of a radar as files and on the wire: what is read, what is refused with its place, what is told."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest

from commands import lantern
from core.radar.scenes import returns_of, wandering
from lantern.core.faults import Refused
from lantern.signals.radar.signal import RadarReturns, _unpack
from lantern.signals.radar.table import COLUMNS, read_returns, write_returns
from lantern.signals.radar.wire import unpack_scan

HEADER = ",".join(COLUMNS)


def read(*rows: str):
    return read_returns("\n".join((HEADER, *rows, "")).encode(), where="r.csv")


def test_numbers_and_names_of_targets_and_out_again() -> None:
    numbered = read("0,7,10,1,-1,0", "0.1,7,9.9,1,-1,0", "0.1,12,30,-4,0.5,10")
    assert numbered.ids == (7, 12)
    named = read("0,boat,10,1,-1,0", "0.1,boat,9.9,1,-1,0")
    assert named.ids == ("boat",)
    for returns in (numbered, named, returns_of(wandering(np.random.default_rng(1)))):
        again = read_returns(write_returns(returns).encode(), where="r.csv")
        assert write_returns(again) == write_returns(returns)
        assert again.ids == tuple(sorted(returns.ids, key=returns.ids.index))


@pytest.mark.parametrize(
    ("rows", "says"),
    [
        (["0,1,-3,0,0,0"], r"line 2, range_m: no range: -3"),
        (["0,1,3,0,0,0", "0,1,4,0,0,0"], r"line 3, target: 1 comes twice at 0 s"),
        (["1,1,3,0,0,0", "0.5,1,4,0,0,0"], r"line 3, t_s: goes back"),
        (["0,a,3,0,0"], r"line 2: 5 columns"),
        (["0,,3,0,0,0"], r"line 2, target: is empty"),
        (["0,1,x,0,0,0"], r"line 2, range_m"),
        (["0,1,3,nan,0,0"], r"line 2, azimuth_deg"),
        ([], r"no row of data"),
    ],
)
def test_what_is_wrong_is_refused_with_its_line(rows: list[str], says: str) -> None:
    with pytest.raises(Refused, match=says):
        read(*rows)


def test_bare_detections_come_with_their_levels_and_go_out_so() -> None:
    text = f"{HEADER},snr_db,noise_db\n0,,10,1,-1,0,14.5,-92\n0,,10.5,20,0,-3,,\n0.1,,9.9,1,-1,0,15,-91.5\n"
    returns = read_returns(text.encode(), where="r.csv", detections=True, noise_cells=16)
    assert returns.bare
    assert returns.noise_cells == 16
    assert returns.snr_db is not None
    assert returns.snr_db[[0, 2]].tolist() == [14.5, 15.0]
    assert np.isnan(returns.snr_db[1])
    assert returns.power_db.tolist() == [14.5, -3.0, 15.0]
    assert write_returns(returns) == text
    signal = RadarReturns()
    [block] = [make() for _, make in signal.pack(returns)]
    again = _unpack(block, {"noise_cells": 16})
    assert write_returns(again) == text
    assert read_returns(text.encode(), where="r.csv", detections=None).bare
    with pytest.raises(Refused, match=r'line 2, target: is empty.*"detections": true'):
        read_returns(text.encode(), where="r.csv")
    with pytest.raises(Refused, match=r"line 2, target: is .*7.*nothing: the sidecar"):
        read_returns(f"{HEADER}\n0,7,10,1,-1,0\n".encode(), where="r.csv", detections=True)
    with pytest.raises(Refused, match="no level: 900"):
        read_returns(f"{HEADER},snr_db\n0,,10,1,-1,0,900\n".encode(), where="r.csv", detections=True)


def test_another_header_is_refused() -> None:
    with pytest.raises(Refused, match="line 1"):
        read_returns(b"t,range\n", where="r.csv")


def test_azimuths_beyond_a_turn_and_another_unit_of_speed_are_told() -> None:
    told = read("0,1,3,400,-1,0", "1,1,3,10,-360,0").told
    assert told == (
        "1 azimuths lie beyond a full turn, and are counted modulo 360°",
        "Something moves at 360 m/s: are speeds in m/s?",
    )


def test_detections_on_the_wire_have_no_targets_and_others_have() -> None:
    seen = {"range_m": 12.5, "azimuth_deg": -4, "radial_speed_mps": -0.8, "rcs_dbsm": 1, "snr_db": 17}
    scan = unpack_scan(json.dumps({"seq": 1, "t": 1.7e9, "detections": True, "returns": [seen, seen]}).encode())
    assert [each.seen().snr_db for each in scan.returns] == [17.0, 17.0]
    for wrong in ({"returns": [seen]}, {"detections": True, "returns": [seen | {"target": "3"}]}):
        with pytest.raises(Refused, match=r"target"):
            unpack_scan(json.dumps({"seq": 1, "t": 1.7e9} | wrong).encode())


def test_scans_on_the_wire() -> None:
    seen = {"target": "3", "range_m": 12.5, "azimuth_deg": -4, "radial_speed_mps": -0.8, "rcs_dbsm": 1}
    scan = unpack_scan(json.dumps({"seq": 1, "t": 1.7e9, "returns": [seen]}).encode())
    assert scan.returns[0].seen().range_m == 12.5
    for wrong in ({"range_m": -1}, {"target": ""}, {"radial_speed_mps": "NaN"}, {"more": 1}):
        with pytest.raises(Refused):
            unpack_scan(json.dumps({"seq": 1, "t": 1.7e9, "returns": [seen | wrong]}).encode())
    with pytest.raises(Refused, match="twice in a scan"):
        unpack_scan(json.dumps({"seq": 1, "t": 1.7e9, "returns": [seen, seen]}).encode())


def test_pieces_join_to_what_they_were() -> None:
    signal, rows = RadarReturns(), wandering(np.random.default_rng(2))
    from core.radar.scenes import one_by_one

    whole = one_by_one(returns_of(rows))
    parts = [signal.piece(whole[:50], {}), signal.piece(whole[50:], {})]
    joined = signal.joined(parts, np.zeros(0))
    assert write_returns(joined) == write_returns(signal.piece(whole, {}))


def test_evaluate_and_sweep_as_commands(tmp_path: Path) -> None:
    rows = [f"{n / 10},boat,{40 - n / 10:.1f},5,-1,3" for n in range(120)]
    (tmp_path / "r.csv").write_text("\n".join((HEADER, *rows, "")))
    sidecar = {
        "format": "lantern-take/1",
        "name": "T",
        "kind": "radar",
        "device": "R1",
        "start": "2026-03-04T05:00:00Z",
    }
    (tmp_path / "r.csv.json").write_text(json.dumps(sidecar))
    region = {"name": "quay", "shape": "sector", "points": [[5, -20], [35, 20]]}
    document = {"format": "lantern-detector/1", "name": "in", "kind": "radar", "regions": [region]}
    (tmp_path / "d.json").write_text(json.dumps(document | {"dials": {"profile": "inbound", "distance_m": 3.0}}))
    done = lantern("evaluate", "--detector", tmp_path / "d.json", "--take", tmp_path / "r.csv")
    assert done.returncode == 0, done.stderr
    event = json.loads(done.stdout)
    # it enters at 35 m after 5 s at 1 m/s, and has come 3 m nearer 3 s later
    assert (event["region"], event["object"], event["raised_s"], event["direction"]) == ("quay", "boat", 8.0, "in")
    assert (event["cleared_s"], event["cleared_by"], event["peak"]) == (None, "end", pytest.approx(3.0))
    (tmp_path / "m.csv").write_text("start_s,end_s,label,detector,note\n5,11,expect,,\n")
    swept = lantern(
        "sweep", "--detector", tmp_path / "d.json", "--take", tmp_path / "r.csv", "--marks", tmp_path / "m.csv",
        "--dial", "distance_m",
    )  # fmt: skip
    assert swept.returncode == 0, swept.stderr
    assert len(swept.stdout.splitlines()) > 3
