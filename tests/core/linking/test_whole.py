"""`lantern rehearse --events`: what the contract's sentences say of a small site, by hand; and what is wrong with a file, with its place."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

from commands import lantern

TRACKER = {"code": "V1", "name": "Camera", "kind": "camera", "ability": {"width": 640, "height": 480}}
SITE: dict[str, Any] = {
    "format": "lantern-site/1",
    "name": "Yard",
    "zone": "UTC",
    "places": [
        {
            "name": "Yard",
            "devices": [
                TRACKER,
                {"code": "Z1", "name": "Mast", "kind": "ptz"},
                {"code": "L1", "name": "Horn", "kind": "speaker"},
                {"code": "L2", "name": "Ceiling", "kind": "speaker"},
                {
                    "code": "M1",
                    "name": "Module",
                    "kind": "io_module",
                    "outputs": [
                        {"name": "lamp", "coil": 0},
                        {"name": "siren", "coil": 1, "timetable": "never"},
                    ],
                    "inputs": [{"name": "gate", "discrete": 0, "timetable": "mornings"}],
                },
            ],
        }
    ],
    "detectors": [
        {
            "name": "A",
            "kind": "zone",
            "device": "V1",
            "regions": [{"name": "r", "shape": "box", "points": [[0, 0], [9, 9]]}],
        },
        {
            "name": "B",
            "kind": "zone",
            "device": "V1",
            "regions": [{"name": "r", "shape": "box", "points": [[0, 0], [9, 9]]}],
        },
        {
            "name": "S",
            "kind": "zone",
            "device": "V1",
            "timetable": "never",
            "regions": [{"name": "r", "shape": "box", "points": [[0, 0], [9, 9]]}],
        },
    ],
    "timetables": [
        {"name": "never", "zone": "UTC", "hours": []},
        {
            "name": "mornings",
            "zone": "UTC",
            "hours": [{"day": day, "start_min": 0, "end_min": 1} for day in range(7)],
        },
    ],
    "messages": [{"name": "halt", "text": "Halt, {place}", "length_s": 4.0}],
    "compounds": [{"name": "both", "kind": "all", "within_s": 10, "parts": [{"detector": "A"}, {"detector": "B"}]}],
    "links": [],
}


def site(**changes: Any) -> dict[str, Any]:
    return json.loads(json.dumps(SITE | changes))


def event(detector: str, raised_s: float, cleared_s: float | None = None, **more: Any) -> dict[str, Any]:
    return {"detector": detector, "region": "r", "raised_s": raised_s, "cleared_s": cleared_s, **more}


def run(tmp_path: Path, document: dict[str, Any], events: list[Any], *more: str) -> list[dict[str, Any]]:
    done = asked(tmp_path, document, events, *more)
    assert done.returncode == 0, done.stderr
    return [json.loads(line) for line in done.stdout.splitlines()]


def asked(tmp_path: Path, document: dict[str, Any], events: list[Any], *more: str) -> Any:
    (tmp_path / "S.json").write_text(json.dumps(document))
    lines = [each if isinstance(each, str) else json.dumps(each) for each in events]
    (tmp_path / "E.jsonl").write_text("\n".join(lines))
    return lantern("rehearse", "--site", str(tmp_path / "S.json"), "--events", str(tmp_path / "E.jsonl"), *more)


def link(name: str, *effects: dict[str, Any], **more: Any) -> dict[str, Any]:
    return {
        "name": name,
        "effects": list(effects),
        **({"detector": "A"} if not {"input", "compound"} & set(more) else {}),
        **more,
    }


def orders(lines: list[dict[str, Any]]) -> list[tuple[Any, ...]]:
    return [
        (e["link"], e["on"], e["event"], e["at_s"], e["from_s"], e["to_s"], e["result"]) for e in lines if "do" in e
    ]


def test_events_have_their_place_and_those_that_sleep_fire_nothing(tmp_path: Path) -> None:
    links = [link("l", {"output": "lamp", "length_s": 3}), link("s", {"output": "lamp"}, detector="S")]
    events = [
        event("B", 5),
        event("A", 1, 2, extra="kept"),
        event("S", 3),
        {"input": "gate", "state": "active", "raised_s": 70},
    ]
    lines = run(tmp_path, site(links=links), events)
    assert [(e.get("detector") or e.get("input"), e["index"], e.get("asleep", False)) for e in lines if "index" in e] == [
        ("A", 0, False), ("S", 1, True), ("B", 2, False), ("gate", 3, True),
    ]  # fmt: skip
    assert lines[0]["extra"] == "kept"
    assert orders(lines) == [("l", "lamp", 0, 1.0, 1.0, 4.0, "done")]
    assert [e for e in lines if e.get("compound") == "both"] == [
        {"compound": "both", "raised_s": 5.0, "cleared_s": 5.0, "parts": [0, 2], "asleep": False}
    ]


def test_delays_repeats_and_timetables_of_links_and_outputs(tmp_path: Path) -> None:
    links = [
        link("late", {"output": "lamp", "mode": "latched"}, delay_s=2.5),
        link("once", {"output": "lamp"}, on_repeat=False),
        link("asleep", {"output": "lamp"}, timetable="never"),
        link("siren", {"output": "siren"}),
    ]
    lines = run(tmp_path, site(links=links), [event("A", 1), event("A", 4, repeat=True)])
    assert orders(lines) == [
        ("once", "lamp", 0, 1.0, 1.0, 6.0, "done"),
        ("siren", "siren", 0, 1.0, None, None, "asleep"),
        ("late", "lamp", 0, 3.5, 3.5, None, "done"),
        ("siren", "siren", 1, 4.0, None, None, "asleep"),
        ("late", "lamp", 1, 6.5, 6.5, None, "done"),
    ]
    assert [(e["link"], e["event"], e["at_s"]) for e in lines if "do" not in e and "link" in e] == [
        ("asleep", 0, 1.0),
        ("asleep", 1, 4.0),
    ]
    short = run(tmp_path, site(links=links), [event("A", 1), event("A", 4, repeat=True)], "--until", "3.5")
    assert [each[0] for each in orders(short)] == ["once", "siren"]  # what is ordered at 3.5 does not exist


def test_what_does_one_thing_at_a_time(tmp_path: Path) -> None:
    say = {"do": "say", "devices": ["L1", "L2"], "message": "halt", "repeats": 2}
    look = {"do": "go_to", "device": "Z1", "preset": "Gate", "length_s": 10}
    links = [
        link("say", say),
        link("look", look),
        link("urgent", {"do": "follow", "device": "Z1", "length_s": 5, "priority": 2}, detector="B"),
        link("waits", look | {"when_busy": "wait", "preset": 3}, compound="both"),
    ]
    lines = run(tmp_path, site(links=links), [event("A", 0), event("B", 4)])
    assert orders(lines) == [
        ("say", "L1", 0, 0.0, 0.0, 8.0, "done"),
        ("say", "L2", 0, 0.0, 0.0, 8.0, "done"),
        ("look", "Z1", 0, 0.0, 0.0, 4.0, "cut"),
        ("urgent", "Z1", 1, 4.0, 4.0, 9.0, "done"),
        ("waits", "Z1", "both", 4.0, 9.0, 19.0, "done"),
    ]
    busy = run(tmp_path, site(links=[link("say", say)]), [event("A", 0), event("A", 5)])
    assert [each[-1] for each in orders(busy)] == ["done", "done", "busy", "busy"]
    tired = run(
        tmp_path, site(links=[link("say", say | {"when_busy": "wait", "expire_s": 2})]), [event("A", 0), event("A", 5)]
    )
    assert [each[-1] for each in orders(tired)] == ["done", "done", "expired", "expired"]
    exact = run(
        tmp_path, site(links=[link("say", say | {"when_busy": "wait", "expire_s": 3})]), [event("A", 0), event("A", 5)]
    )
    assert orders(exact)[2][4:] == (8.0, 16.0, "done")  # exactly as long: it still starts


def test_clips_mails_posts_and_what_pops_up(tmp_path: Path) -> None:
    effects = [
        {"do": "clip", "devices": ["V1", "Z1"], "before_s": 5, "after_s": 20},
        {"do": "mail", "to": ["a@example.org", "b@example.org"], "subject": "{detector}", "text": "at {time}"},
        {"do": "post", "to": "https://example.org/x", "text": "{region}"},
        {"do": "show", "roles": ["operator", "lead"]},
    ]
    lines = run(tmp_path, site(links=[link("all", *effects)]), [event("A", 100)])
    assert [(e["do"], e["on"], e["from_s"], e["to_s"]) for e in lines if "do" in e] == [
        ("clip", "V1", 95.0, 120.0), ("clip", "Z1", 95.0, 120.0),
        ("mail", "a@example.org", 100.0, 100.0), ("mail", "b@example.org", 100.0, 100.0),
        ("post", "https://example.org/x", 100.0, 100.0), ("show", "operator,lead", 100.0, 100.0),
    ]  # fmt: skip


@pytest.mark.parametrize(
    ("changes", "told"),
    [
        ({"links": [link("l", {"do": "dance"})]}, "links.0.effects.0.do"),
        ({"links": [link("l", {"output": "nobody"})]}, "there is no 'nobody'"),
        ({"links": [link("l", {"do": "say", "devices": ["Z1"], "message": "halt"})]}, "there is no 'Z1'"),
        ({"links": [link("l", {"do": "mail", "to": ["a"], "text": "{wrong}"})]}, "{wrong} is filled in by nothing"),
        ({"links": [link("l", {"do": "post", "to": "ftp://x"})]}, "an address that begins with"),
        ({"links": [link("l", {"do": "go_to", "device": "Z1", "length_s": 3})]}, "give preset, or at"),
        ({"links": [link("l", compound="both", region="r")]}, "region and lists belong to a detector"),
        ({"links": [link("l", {"output": "lamp"}, {"output": "lamp"})]}, "two effects in one link"),
        ({"compounds": [{"name": "A", "kind": "any", "parts": [{"detector": "B"}]}]}, "is called as a detector is"),
        ({"compounds": [{"name": "c", "kind": "any", "parts": [{"compound": "c"}]}]}, "is made of itself"),
        (
            {
                "compounds": [
                    {"name": "c", "kind": "all", "within_s": 0, "parts": [{"detector": "A"}, {"detector": "B"}]}
                ]
            },
            "within_s 0",
        ),
    ],
)
def test_what_is_wrong_with_a_site_is_told_with_its_place(tmp_path: Path, changes: dict[str, Any], told: str) -> None:
    done = asked(tmp_path, site(**changes), [])
    assert done.returncode == 2
    assert told in done.stderr


def test_what_is_wrong_with_an_event_is_told_with_its_line(tmp_path: Path) -> None:
    events = [
        event("A", 1),
        "{",
        event("nobody", 1),
        event("B", 3, 2),
        {"input": "gate", "state": "open", "raised_s": True},
    ]
    done = asked(tmp_path, site(), events)
    assert done.returncode == 2
    for told in (
        "line 2: is no JSON",
        "line 3: detector",
        "line 4: cleared_s: 2 is before",
        "line 5: raised_s",
        "line 5: state",
    ):
        assert told in done.stderr
