"""`lantern rehearse --takes` and `--expect`: takes on one clock, inputs from a series, and what is kept, broken or not shown; by hand."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from commands import lantern
from core.linking.test_whole import event, link, site


def expectation(name: str, when: dict[str, Any], *must: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {"name": name, "when": when, "must": list(must), **more}


def rehearsed(folder: Path, document: dict[str, Any], *more: str) -> Any:
    (folder / "S.json").write_text(json.dumps(document))
    return lantern("rehearse", "--site", str(folder / "S.json"), *more)


def events_of(folder: Path, *events: dict[str, Any]) -> str:
    (folder / "E.jsonl").write_text("\n".join(json.dumps(each) for each in events))
    return str(folder / "E.jsonl")


def outcomes(done: Any) -> dict[str, str]:
    lines = [json.loads(line) for line in done.stdout.splitlines()]
    return {each["expectation"]: each["result"] for each in lines if "expectation" in each}


LINKS = [
    link("lamp", {"output": "lamp"}, delay_s=2.0),
    link("both", {"do": "clip", "devices": ["V1"], "before_s": 5}, compound="both"),
]


def test_what_is_kept_broken_and_not_shown(tmp_path: Path) -> None:
    lamp = {"do": "switch", "on": "lamp"}
    document = site(
        links=LINKS,
        expectations=[
            expectation("in time", {"detector": "A"}, {**lamp, "within_s": 2.0}),
            expectation("too late", {"detector": "A"}, {**lamp, "within_s": 1.9}),
            expectation("never", {"detector": "S"}, {**lamp, "within_s": 2.0}),
            expectation("other", {"detector": "B"}, {**lamp, "within_s": 9.0}),
            expectation("must not", {"detector": "B"}, must_not=[{**lamp, "within_s": 9.0}]),
            expectation("early", {"detector": "A", "from_s": 50, "to_s": 60}, {**lamp, "within_s": 2.0}),
            expectation("compound", {"compound": "both"}, {"do": "clip", "on": "V1", "within_s": 0}),
        ],
    )
    done = rehearsed(tmp_path, document, "--events", events_of(tmp_path, event("A", 10), event("B", 12)), "--expect")
    assert done.returncode == 1
    assert outcomes(done) == {
        "in time": "kept", "too late": "broken", "never": "not shown", "other": "broken", "must not": "kept",
        "early": "not shown", "compound": "kept",
    }  # fmt: skip
    said = [json.loads(line) for line in done.stdout.splitlines()][-7:]
    assert "it started 2 s after it" in said[1]["because"]
    document["expectations"] = document["expectations"][:1]
    assert rehearsed(tmp_path, document, "--events", str(tmp_path / "E.jsonl"), "--expect").returncode == 0


def test_an_order_of_another_event_does_not_keep_it(tmp_path: Path) -> None:
    """Two raises of A, the second while its link sleeps: the first one's lamp is not the second's."""
    links = [link("lamp", {"output": "lamp"}, timetable="mornings")]
    document = site(
        links=links, expectations=[expectation("e", {"detector": "A"}, {"do": "switch", "on": "lamp", "within_s": 5})]
    )
    done = rehearsed(tmp_path, document, "--events", events_of(tmp_path, event("A", 59), event("A", 61)), "--expect")
    assert outcomes(done) == {"e": "broken"}


def test_expectations_that_say_nothing_are_refused(tmp_path: Path) -> None:
    document = site(expectations=[expectation("e", {"detector": "A", "input": "gate"}), {"name": "f", "when": {}}])
    done = rehearsed(tmp_path, document, "--events", events_of(tmp_path))
    assert done.returncode == 2
    assert "expectations.0" in done.stderr
    assert "expectations.1" in done.stderr


def take(folder: Path, name: str, device: str, start: str, header: str, rows: list[str], **more: Any) -> None:
    (folder / f"{name}.csv").write_text("\n".join([f"t_s,{header}", *rows]) + "\n")
    sidecar = {"format": "lantern-take/1", "name": name, "kind": "series", "device": device, "start": start, **more}
    (folder / f"{name}.csv.json").write_text(json.dumps(sidecar))


@pytest.fixture
def takes(tmp_path: Path) -> Path:
    folder = tmp_path / "takes"
    folder.mkdir()
    level = [f"{t},{9 if 20 <= t < 30 else 1}" for t in range(60)]
    take(folder, "night", "P9", "2026-01-05T01:00:00+00:00", "level", level, units={"level": "°C"})
    gate = [f"{t},{1 if 5 <= t < 15 else 2 if t >= 50 else 0}" for t in range(60)]
    take(folder, "module", "M1", "2026-01-05T01:00:10+00:00", "gate", gate, units={"gate": ""})
    take(folder, "another site's", "X9", "2026-01-05T00:00:00+00:00", "level", level, units={"level": "°C"})
    return folder


def with_probe(**changes: Any) -> dict[str, Any]:
    document = site(**changes)
    probe = {"code": "P9", "name": "Probe", "kind": "thermal"}
    document["places"][0]["devices"].append(probe)
    detector = {
        "name": "high",
        "kind": "heat",
        "device": "P9",
        "regions": [{"name": "level", "shape": "spot", "points": [[0, 0]]}],
        "dials": {"threshold_c": 5.0, "sustain_s": 0},
    }
    document["detectors"].append(detector)
    for hours in document["timetables"]:
        if hours["name"] == "mornings":
            hours["hours"] = [{"day": day, "start_min": 0, "end_min": 120} for day in range(7)]
    return document


def test_takes_lie_on_one_clock_and_a_series_of_a_module_is_its_inputs(tmp_path: Path, takes: Path) -> None:
    document = with_probe(links=[link("l", {"output": "lamp"}, input="gate")])
    done = rehearsed(tmp_path, document, "--takes", str(takes))
    assert done.returncode == 0, done.stderr
    lines = [json.loads(line) for line in done.stdout.splitlines()]
    high = [(e["raised_s"], e["take"]) for e in lines if e.get("detector") == "high"]
    assert high == [(20.0, "night")]
    inputs = [(e["state"], e["raised_s"], e["cleared_s"], e["take"]) for e in lines if "input" in e]
    assert inputs == [("active", 15.0, 25.0, "module"), ("fault", 60.0, None, "module")]
    assert [(e["on"], e["event"], e["at_s"]) for e in lines if "do" in e] == [
        ("lamp", e["index"], e["raised_s"]) for e in lines if "input" in e
    ]
    later = rehearsed(tmp_path, document, "--takes", str(takes), "--start", "2026-01-05T01:00:00")
    assert [json.loads(line)["raised_s"] for line in later.stdout.splitlines() if "input" in json.loads(line)] == [
        15.0,
        60.0,
    ]


def test_expectations_of_a_take_go_by_its_own_clock(tmp_path: Path, takes: Path) -> None:
    lamp = {"do": "switch", "on": "lamp", "within_s": 1}
    document = with_probe(
        links=[link("l", {"output": "lamp"}, input="gate")],
        expectations=[
            expectation("its own", {"input": "gate", "take": "module", "from_s": 4, "to_s": 6}, lamp),
            expectation("the site's", {"input": "gate", "from_s": 4, "to_s": 6}, lamp),
            expectation("no such take", {"input": "gate", "take": "night"}, lamp),
        ],
    )
    done = rehearsed(tmp_path, document, "--takes", str(takes), "--expect")
    assert outcomes(done) == {"its own": "kept", "the site's": "not shown", "no such take": "not shown"}


def test_what_is_wrong_with_what_is_given(tmp_path: Path, takes: Path) -> None:
    empty = tmp_path / "empty"
    empty.mkdir()
    for more, told in (
        ((), "needs --events or --takes"),
        (("--takes", str(empty)), "has no take of a device of the site"),
        (("--takes", str(tmp_path / "none")), "is no folder"),
        (("--events", events_of(tmp_path), "--start", "soon"), "ISO 8601"),
    ):
        done = rehearsed(tmp_path, site(), *more)
        assert done.returncode == 2
        assert told in done.stderr
    take(takes, "odd", "M1", "2026-01-05T01:00:10+00:00", "gate", ["0,0", "1,3"], units={"gate": ""})
    done = rehearsed(tmp_path, with_probe(), "--takes", str(takes))
    assert "3 is no state of an input" in done.stderr
