"""The commands of the contract, as another program would run them: no database, exit codes, exact keys."""

from __future__ import annotations

import csv
import io
import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import httpx
import pytest

from commands import lantern
from lantern.cluster import free_port
from lantern.devices.modbus import RelayModule
from loops import in_a_loop
from takes_on_disk import DETECTOR, pictures, raw, tiff_take

LANTERN = Path(sys.executable).with_name("lantern")


def process(*arguments: object) -> subprocess.CompletedProcess[str]:
    environment = {k: v for k, v in os.environ.items() if not k.startswith("LANTERN_")}
    return subprocess.run([LANTERN, *map(str, arguments)], capture_output=True, text=True, check=False, env=environment)


@pytest.fixture
def files(tmp_path: Path) -> dict[str, Path]:
    detector, marks = tmp_path / "d.json", tmp_path / "m.csv"
    detector.write_text(json.dumps(DETECTOR))
    marks.write_text("start_s,end_s,label,detector,note\n4,9,expect,,\n")
    return {"detector": detector, "marks": marks, "take": tiff_take(tmp_path, raw(pictures()))}


def test_a_site_file_stands_in_for_a_detectors_own(files: dict[str, Path], tmp_path: Path) -> None:
    site = tmp_path / "s.json"
    place = {"name": "Shed", "devices": [{"code": "T1", "name": "Camera", "kind": "thermal"}]}
    document = {
        "format": "lantern-site/1",
        "name": "Shed",
        "places": [place],
        "detectors": [DETECTOR | {"device": "T1"}],
    }
    site.write_text(json.dumps(document))
    named = ("--site", site, "--detector", DETECTOR["name"], "--take", files["take"])
    for command in (
        ("evaluate",),
        ("score", "--marks", files["marks"]),
        ("sweep", "--marks", files["marks"], "--dial", "threshold_c"),
    ):
        plain = lantern(*command, "--detector", files["detector"], "--take", files["take"])
        whole = lantern(*command, *named)
        assert (whole.returncode, whole.stdout) == (0, plain.stdout)
    lost = lantern("evaluate", "--site", site, "--detector", "nobody", "--take", files["take"])
    assert (lost.returncode, "s.json has no detector 'nobody'" in lost.stderr) == (2, True)


def test_a_site_file_is_checked_and_compared(tmp_path: Path) -> None:
    one, two = tmp_path / "one.json", tmp_path / "two.json"
    place = {"name": "Shed", "devices": [{"code": "T1", "name": "Camera", "kind": "thermal"}]}
    document = {"format": "lantern-site/1", "name": "Shed", "places": [place]}
    one.write_text(json.dumps(document))
    two.write_text(json.dumps(document | {"zone": "Europe/Lisbon"}))
    assert lantern("site", "check", one).stdout == "Shed: 1 places, 1 devices, 0 detectors, 0 links.\n"
    same, other = lantern("site", "diff", one, one), lantern("site", "diff", one, two)
    assert (same.returncode, same.stdout) == (0, "")
    assert (other.returncode, json.loads(other.stdout)) == (
        1,
        {"at": "zone", "first": "UTC", "second": "Europe/Lisbon"},
    )
    two.write_text(json.dumps(document | {"places": [place, place], "zone": "Mars"}))
    wrong = lantern("site", "check", two)
    assert (wrong.returncode, wrong.stdout) == (2, "")
    assert "two.json: zone" in wrong.stderr


def test_a_relay_stands_alone_and_says_what_is_switched() -> None:
    port = free_port()
    # as from a terminal: what a shell began in the background has Ctrl-C ignored, and so have its children
    command = ["env", "--default-signal=INT", LANTERN, "standin", "relay", "--port", str(port)]
    relay = subprocess.Popen(command, stdout=subprocess.PIPE, text=True)
    try:
        assert relay.stdout is not None
        assert f"127.0.0.1:{port}, unit 1" in relay.stdout.readline()
        assert "discrete inputs 0 to 7" in relay.stdout.readline()
        relay.stdout.readline()

        async def switch() -> None:
            module = RelayModule("127.0.0.1", port)
            await module.write_coil(3, True)
            await module.close()

        in_a_loop(switch)
        assert relay.stdout.readline() == "coil 3 on\n"
        taken = process("standin", "relay", "--port", port)
        assert (taken.returncode, "a port that nobody uses" in taken.stderr) == (2, True)
    finally:
        relay.send_signal(signal.SIGINT)
        assert relay.wait(90) == 0


def test_the_inputs_of_a_relay_alone_are_set_at_its_panel() -> None:
    port, panel = free_port(), free_port()
    asked = [LANTERN, "standin", "relay", "--port", str(port), "--panel", str(panel)]
    relay = subprocess.Popen(asked, stdout=subprocess.PIPE, text=True)
    try:
        assert relay.stdout is not None
        lines = [relay.stdout.readline() for _ in range(4)]
        assert lines[3] == f"Its inputs are set at http://127.0.0.1:{panel}/panel.\n"
        for attempt in range(100):
            try:
                page = httpx.get(f"http://127.0.0.1:{panel}/panel", timeout=60)
                break
            except httpx.ConnectError:
                time.sleep(0.1)
                assert attempt < 99
        assert page.text.count("<button") == 8 + 8 * 5
        pressed = httpx.post(f"http://127.0.0.1:{panel}/panel/contact/2/close")
        assert "contact 2</td><td>closed" in pressed.text
        assert httpx.post(f"http://127.0.0.1:{panel}/relay/loop/1/cut").json()["loops"][1] == 1000
        for wrong in ("contact/9/close", "contact/1/kick", "loop/1/melted"):
            assert httpx.post(f"http://127.0.0.1:{panel}/relay/{wrong}").status_code == 422

        async def look() -> tuple[dict[int, bool], dict[int, int]]:
            module = RelayModule("127.0.0.1", port)
            read = await module.read_discrete_inputs([1, 2]), await module.read_input_registers([0, 1])
            await module.close()
            return read

        assert in_a_loop(look) == ({1: False, 2: True}, {0: 500, 1: 1000})
    finally:
        relay.terminate()
        relay.wait(90)


def test_evaluate(files: dict[str, Path], tmp_path: Path) -> None:
    done = process("evaluate", "--detector", files["detector"], "--take", files["take"])
    assert (done.returncode, done.stderr) == (0, "")
    lines = [json.loads(line) for line in done.stdout.splitlines()]
    assert [(e["raised_s"], e["cleared_s"], e["cleared_by"], e["repeat"], e["peak"]) for e in lines] == [
        (6.0, 7.5, "reading", False, 60.0),
        (13.5, 15.0, "reading", False, 60.0),
    ]
    out = tmp_path / "events.jsonl"
    assert lantern("evaluate", "--detector", files["detector"], "--take", files["take"], "--out", out).stdout == ""
    assert out.read_text() == done.stdout


def test_score(files: dict[str, Path]) -> None:
    done = lantern("score", "--detector", files["detector"], "--take", files["take"], "--marks", files["marks"])
    card = json.loads(done.stdout)
    assert set(card) == {
        "hits",
        "misses",
        "false_alarms",
        "repeats",
        "ignored",
        "delays_s",
        "median_delay_s",
        "hit_rate",
        "hit_rate_low",
        "hit_rate_high",
        "exposure_h",
        "false_per_hour",
        "false_per_hour_low",
        "false_per_hour_high",
    }
    assert (card["hits"], card["misses"], card["false_alarms"], card["delays_s"]) == (1, 0, 1, [2.0])
    assert card["exposure_h"] == pytest.approx((19.5 - 5) / 3600)
    late = lantern(
        "score", "--detector", files["detector"], "--take", files["take"], "--marks", files["marks"], "--late", 5
    )
    assert json.loads(late.stdout)["repeats"] == 1


def test_sweep_exact_joins_up_and_by_range_has_a_row_a_value(files: dict[str, Path]) -> None:
    common = ("sweep", "--detector", files["detector"], "--take", files["take"], "--marks", files["marks"], "--dial")
    exact = list(csv.DictReader(io.StringIO(lantern(*common, "threshold_c").stdout)))
    assert list(exact[0]) == [
        "from",
        "to",
        "value",
        "hits",
        "misses",
        "false_alarms",
        "repeats",
        "ignored",
        "median_delay_s",
    ]
    assert [(float(r["from"]), float(r["to"])) for r in exact] == [
        (-273.15, 20.0),
        (20.0, 21.0),
        (21.0, 60.0),
        (60.0, 3000.0),
    ]
    assert [r["hits"] for r in exact] == ["0", "1", "1", "0"]
    assert [r["median_delay_s"] for r in exact] == ["", "2.0", "2.0", ""]
    ranged = list(
        csv.DictReader(io.StringIO(lantern(*common, "clear_s", "--from", 0, "--to", 2, "--step", 0.5).stdout))
    )
    assert [(r["from"], r["to"], r["value"]) for r in ranged] == [
        (v, v, v) for v in ("0.0", "0.5", "1.0", "1.5", "2.0")
    ]
    assert {r["hits"] for r in ranged} == {"1"}


def test_an_exact_sweep_is_refused_for_other_dials(files: dict[str, Path]) -> None:
    done = lantern(
        "sweep",
        "--detector",
        files["detector"],
        "--take",
        files["take"],
        "--marks",
        files["marks"],
        "--dial",
        "emissivity",
    )
    assert done.returncode == 2
    assert "--from, --to and --step (exact: threshold_c, sustain_s, hysteresis_c, clear_s, rearm_s)" in done.stderr


@pytest.mark.parametrize("what", ["site", "detector", "take"])
def test_schema(what: str) -> None:
    document = json.loads(lantern("schema", what).stdout)
    assert document["type"] == "object"
    assert document["properties"]["format"]["const"] == f"lantern-{what}/1"


def test_bad_input_ends_with_2_and_every_fault_on_a_line(files: dict[str, Path]) -> None:
    files["detector"].write_text(json.dumps(DETECTOR | {"dials": {"sustain_s": -1, "threshold_c": "hot"}}))
    done = lantern("evaluate", "--detector", files["detector"], "--take", files["take"])
    assert (done.returncode, done.stdout) == (2, "")
    assert len(done.stderr.splitlines()) == 2
    assert "dials.sustain_s: -1 is not allowed; expected a number of at least 0 and at most 86400 s" in done.stderr
    assert (
        lantern("score", "--detector", files["detector"], "--take", files["take"], "--marks", "none.csv").returncode
        == 2
    )
    assert lantern("schema", "nothing").returncode == 2


def test_commands_work_without_a_database_and_say_so_where_they_need_one(
    tmp_path: Path, files: dict[str, Path]
) -> None:
    done = subprocess.run(
        [LANTERN, "import", str(files["take"])], cwd=tmp_path, capture_output=True, text=True, check=False
    )
    assert done.returncode == 1
    assert "start it with ./lantern demo" in done.stderr


# ---- objects ---------------------------------------------------------------------------------------------------------


@pytest.fixture
def gate(tmp_path: Path) -> dict[str, Path]:
    """Two people through a gate at 1 frame a second: one in at the third frame, one out at the fourth, who turns back."""
    rows = [(f, 1, 18, 4 * f - 8) for f in range(1, 6)] + [
        (f, 2, 18, y) for f, y in ((1, 12), (2, 8), (3, 6), (4, -2), (5, 8))
    ]
    take = tmp_path / "gate.txt"
    take.write_text("".join(f"{f},{i},{x},{y},4,8,1,1,1\n" for f, i, x, y in rows))
    info = {
        "format": "lantern-take/1",
        "name": "Gate",
        "kind": "tracks",
        "device": "C1",
        "start": "2026-03-04T05:12:00+01:00",
        "fps": 1,
    }
    take.with_name("gate.txt.json").write_text(json.dumps(info))
    line = {"name": "gate", "shape": "line", "points": [[0, 10], [40, 10]]}
    for kind in ("crossing", "count"):
        detector = {
            "format": "lantern-detector/1",
            "name": kind,
            "kind": kind,
            "device": "C1",
            "regions": [line],
            "dials": {"band": 0, "rearm_s": 0, "gap_s": 3},
        }
        (tmp_path / f"{kind}.json").write_text(json.dumps(detector))
    (tmp_path / "hand.csv").write_text("start_s,end_s,in,out\n0,5,2,1\n")
    (tmp_path / "marks.csv").write_text("start_s,end_s,label,detector,note\n1.5,2.5,expect,,\n")
    return {"take": take, "folder": tmp_path}


def test_crossings_are_printed_with_object_and_direction(gate: dict[str, Path]) -> None:
    done = lantern("evaluate", "--detector", gate["folder"] / "crossing.json", "--take", gate["take"])
    events = [json.loads(line) for line in done.stdout.splitlines()]
    assert [(e["raised_s"], e["object"], e["direction"]) for e in events] == [
        (2.0, 1, "a_to_b"),
        (3.0, 2, "b_to_a"),
        (4.0, 2, "a_to_b"),
    ]
    assert all(e["cleared_s"] == e["raised_s"] for e in events)


def test_counts_are_scored_by_marks_or_held_against_hand_counts(gate: dict[str, Path]) -> None:
    counter = ("--detector", gate["folder"] / "count.json", "--take", gate["take"])
    audit = json.loads(lantern("score", *counter, "--marks", gate["folder"] / "hand.csv").stdout)
    assert (audit["in"]["counted"], audit["in"]["bias"], audit["out"]["wape"]) == (2, 0, 0)
    card = json.loads(lantern("score", *counter, "--marks", gate["folder"] / "marks.csv").stdout)
    assert (card["hits"], card["false_alarms"]) == (1, 2)
    rows = lantern("sweep", *counter, "--marks", gate["folder"] / "marks.csv", "--dial", "band").stdout.splitlines()
    assert rows[0].startswith("from,to,value,hits")
    assert rows[-1].split(",")[3:6] == ["0", "1", "0"]  # a band as wide as the picture counts nobody
    (gate["folder"] / "hand.csv").write_text("start_s,end_s,in,out\n0,5,-1,1.5\n")
    bad = lantern("score", *counter, "--marks", gate["folder"] / "hand.csv")
    assert bad.returncode == 2
    assert len(bad.stderr.splitlines()) == 2


def test_tracks_cannot_be_read_by_a_heat_detector(gate: dict[str, Path], files: dict[str, Path]) -> None:
    done = lantern("evaluate", "--detector", files["detector"], "--take", gate["take"])
    assert done.returncode == 2
    assert "a heat detector reads no tracks" in done.stderr
