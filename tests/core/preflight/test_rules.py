"""Each rule on a site with that one fault: it is found, where it lies; a site in order has no error."""

from __future__ import annotations

import copy
import json
from collections.abc import Callable
from pathlib import Path
from typing import Any

import pytest

from commands import lantern
from lantern.core.preflight.checked import Checked
from lantern.core.preflight.rules import RULES, preflight
from lantern.core.spoken import Measured
from lantern.formats.device_types import shipped_types
from lantern.formats.site_files import read_site

MOUNT = {
    "x_m": 50.0, "y_m": 50.0, "height_m": 8.0, "azimuth_deg": 0.0, "tilt_deg": 15.0, "focal_mm": 6.0, "focal_min_mm": 6.0,
    "focal_max_mm": 60.0, "sensor_width_mm": 5.37, "pixels": [1280, 720],
}  # fmt: skip
PAIRS = [
    {"pan": 0.0, "tilt": 0.5, "x_m": 50.0, "y_m": 80.0},
    {"pan": 0.5, "tilt": 0.3, "x_m": 70.0, "y_m": 50.0},
    {"pan": -0.5, "tilt": -0.1908, "x_m": 40.0, "y_m": 50.0},
]
PRESETS = [
    {"number": 1, "name": "Gate", "token": "1", "pan": 0.0, "tilt": 0.4},
    {"number": 2, "name": "Tank", "token": "2", "pan": 0.2, "tilt": 0.4},
]
DEMO = Path("src/lantern/demo/skerrow.site.json")
ALL_WEEK = [{"day": day, "start_min": 0, "end_min": 1440} for day in range(7)]


def hours(name: str, first: int, last: int) -> dict[str, Any]:
    return {
        "name": name,
        "zone": "UTC",
        "hours": [{"day": day, "start_min": first, "end_min": last} for day in range(7)],
    }


def zone_detector(name: str, **more: Any) -> dict[str, Any]:
    box = {"name": "r", "shape": "box", "points": [[10, 10], [200, 200]]}
    return {"name": name, "kind": "zone", "device": "V1", "regions": [box], "dials": {"gap_s": 2.0}, **more}


SITE: dict[str, Any] = {
    "format": "lantern-site/1",
    "name": "Yard",
    "zone": "UTC",
    "plan": {"width_m": 100, "height_m": 100},
    "places": [
        {
            "name": "Yard",
            "polygon": [[0, 0], [90, 0], [90, 90], [0, 90]],
            "devices": [
                {"code": "V1", "name": "Camera", "kind": "camera", "ability": {"width": 640, "height": 480}, "mount": {"x_m": 1, "y_m": 1},
                 "address": {"url": "http://10.0.0.5/stream"}},
                {"code": "Z1", "name": "Mast", "kind": "ptz", "mount": MOUNT, "turned": {"pairs": PAIRS, "presets": PRESETS},
                 "address": {"url": "http://10.0.0.6/onvif/device_service", "login": "mast"},
                 "duty": {"rounds": [{"name": "round", "stops": [{"preset": 1}, {"preset": 2}]}], "idle": "round",
                          "wishes": {"Yard": 60}, "call_most_s": 20}},
                {"code": "L1", "name": "Horn", "kind": "speaker"},
                {"code": "M1", "name": "Module", "kind": "io_module", "address": {"host": "10.0.0.7", "port": 502, "unit": 1},
                 "watchdog": {"register_address": 0, "unit_s": 1.0, "value": 5},
                 "outputs": [{"name": "lamp", "coil": 0, "what": "beacon"}, {"name": "siren", "coil": 1}],
                 "inputs": [{"name": "gate", "discrete": 0}]},
            ],
        }
    ],
    "detectors": [zone_detector("A"), zone_detector("B")],
    "timetables": [hours("night", 0, 360), hours("day", 480, 960)],
    "messages": [{"name": "halt", "text": "Halt at {place}", "length_s": 4.0}],
    "compounds": [{"name": "both", "kind": "all", "within_s": 10, "parts": [{"detector": "A"}, {"detector": "B"}]}],
    "links": [
        {"name": "lamp", "detector": "A", "timetable": "night", "effects": [{"output": "lamp"}]},
        {"name": "siren", "compound": "both", "timetable": "day", "effects": [{"output": "siren"}]},
        {"name": "gate", "input": "gate", "effects": [
            {"do": "say", "devices": ["L1"], "message": "halt"},
            {"do": "go_to", "device": "Z1", "preset": 1, "length_s": 10},
            {"do": "mail", "to": ["guard@example.org"], "text": "{place}"}]},
    ],
    "expectations": [{"name": "e", "when": {"detector": "A"}, "must": [{"do": "switch", "on": "lamp", "within_s": 5}]}],
}  # fmt: skip


def device(site: dict[str, Any], code: str) -> Any:
    return next(each for each in site["places"][0]["devices"] if each["code"] == code)


def found(tmp_path: Path, change: Callable[[dict[str, Any]], Any] | None = None) -> list[tuple[str, str, str]]:
    document = copy.deepcopy(SITE)
    if change is not None:
        change(document)
    (tmp_path / "S.json").write_text(json.dumps(document))
    site = read_site(tmp_path / "S.json")
    types = {**shipped_types(), **{each.name: each for each in site.types}}
    return [(each.finding.rule, each.finding.severity, each.finding.at) for each in preflight(Checked(site, types))]


def test_a_site_in_order_has_no_error_and_no_warning(tmp_path: Path) -> None:
    assert [each for each in found(tmp_path) if each[1] != "note"] == []


def put(where: str, key: str, value: Any) -> Callable[[dict[str, Any]], Any]:
    """Change one thing: a device by its code, else a list by its first, else by name."""

    def change(site: dict[str, Any]) -> None:
        if where in ("V1", "Z1", "L1", "M1"):
            device(site, where)[key] = value
        else:
            what, _, name = where.partition(":")
            next(each for each in site[what] if each["name"] == name)[key] = value

    return change


def add(what: str, *values: Any) -> Callable[[dict[str, Any]], Any]:
    return lambda site: site.setdefault(what, []).extend(values)


def effects(*values: dict[str, Any], **more: Any) -> Callable[[dict[str, Any]], Any]:
    return add("links", {"name": "new", "detector": "B", "effects": list(values), **more})


BEFORE_GATE = ((357.0, 16.0), (3.0, 16.0), (3.0, 21.0), (357.0, 21.0))  # Z1 looks there at its preset 1


def masked(points: Any, aim: list[float] | None = None) -> Callable[[dict[str, Any]], Any]:
    """Something hidden of what Z1 sees, and maybe an aim of the plan there."""

    def change(site: dict[str, Any]) -> None:
        device(site, "Z1")["turned"]["masks"] = [{"name": "a window", "points": points}]
        if aim is not None:
            site["plan"]["aims"] = [{"name": "gate", "device": "Z1", "what": "following", "points": [aim]}]

    return change


SAY = {"do": "say", "devices": ["L1"], "message": "halt"}
Z, M, V = (f"places[Yard].devices[{code}]" for code in ("Z1", "M1", "V1"))
FAULTS: list[tuple[str, str, Callable[[dict[str, Any]], Any]]] = [
    # links
    ("link_does_nothing", "links[new]", effects()),
    ("link_of_retired", "links[lamp]", put("detectors:A", "retired", True)),
    ("link_of_retired", "links[lamp]", put("V1", "retired", True)),
    ("link_of_disabled", "links[lamp]", put("detectors:A", "enabled", False)),
    ("link_asleep_with_its_cause", "links[lamp]", put("detectors:A", "timetable", "day")),
    ("output_asleep_with_its_link", f"{M}.outputs[lamp]",
     put("M1", "outputs", [{"name": "lamp", "coil": 0, "timetable": "day"}, {"name": "siren", "coil": 1}])),
    ("output_unused", f"{M}.outputs[horn]",
     lambda site: device(site, "M1")["outputs"].append({"name": "horn", "coil": 5})),
    ("input_unused", f"{M}.inputs[door]", lambda site: device(site, "M1")["inputs"].append({"name": "door", "discrete": 5})),
    ("coil_twice", M, lambda site: device(site, "M1")["outputs"].append({"name": "horn", "coil": 0})),
    ("contact_twice", M, lambda site: device(site, "M1")["inputs"].append({"name": "door", "discrete": 0})),
    ("input_not_wired", f"{M}.inputs[gate]", put("M1", "inputs", [{"name": "gate"}])),
    ("flashes_add_up", "links[new]", lambda site: (
        device(site, "M1")["outputs"].append({"name": "red", "coil": 7, "what": "beacon"}),
        effects({"output": "lamp", "flash_hz": 2.0}, {"output": "red", "flash_hz": 2.0})(site))),
    ("pulse_short", "links[new]", effects({"output": "siren", "length_s": 0.1})),
    ("text_without_place", "links[new]", effects({"do": "mail", "to": ["a@example.org"], "text": "help"})),
    ("text_without_place", "messages[halt]", put("messages:halt", "text", "Halt")),
    ("mail_to_nobody", "links[new]", effects({"do": "mail", "to": ["guard"], "text": "{place}"})),
    ("post_in_the_open", "links[new]", effects({"do": "post", "to": "http://example.org/x", "text": "{place}"})),
    ("post_to_nowhere", "links[new]", effects({"do": "post", "to": "https:///x", "text": "{place}"})),
    ("priority_never_wins", "links[new]", effects(SAY, input="gate", detector=None)),
    ("effect_cannot_be", "links[new]", effects({"do": "go_to", "device": "Z1", "preset": 9, "length_s": 5})),
    ("effect_cannot_be", "links[gate]", put("L1", "retired", True)),
    ("effect_cannot_be", "links[new]", lambda site: (
        put("Z1", "turned", {"presets": PRESETS})(site), effects({"do": "follow", "device": "Z1", "length_s": 5})(site))),
    ("message_format", "messages[other]", add("messages", {"name": "other", "file": "other.mp4", "length_s": 3})),
    ("message_unused", "messages[other]", add("messages", {"name": "other", "file": "other.wav", "length_s": 3})),
    ("gain_clips", "links[new]", effects({**SAY, "gain_db": 12})),
    ("message_cut", "links[new]", effects({**SAY, "length_s": 2})),
    ("clip_of_no_length", "links[new]", effects({"do": "clip", "devices": ["V1"]})),
    # compounds
    ("part_cannot_happen", "compounds[both]", lambda site: (
        add("timetables", {"name": "never", "zone": "UTC", "hours": []})(site), put("detectors:B", "timetable", "never")(site))),
    ("parts_never_meet", "compounds[both]", lambda site: (
        put("detectors:A", "timetable", "night")(site), put("detectors:B", "timetable", "day")(site))),
    ("part_twice", "compounds[both]", put("compounds:both", "parts", [{"detector": "A"}, {"detector": "A"}])),
    ("compound_unused", "compounds[new]", add("compounds", {"name": "new", "kind": "any", "parts": [{"detector": "A"}]})),
    ("waits_too_long", "compounds[new]", add("compounds", {
        "name": "new", "kind": "unless", "wait_s": 600, "parts": [{"detector": "A"}, {"detector": "B"}]})),
    # hours
    ("hours_empty", "links[lamp]", put("timetables:night", "hours", [])),
    ("hours_empty", f"{M}.outputs[lamp]", lambda site: (
        add("timetables", {"name": "never", "zone": "UTC", "hours": []})(site),
        device(site, "M1")["outputs"][0].update(timetable="never"))),
    ("timetable_empty", "timetables[never]", add("timetables", {"name": "never", "zone": "UTC", "hours": []})),
    ("timetable_unused", "timetables[spare]", add("timetables", hours("spare", 0, 60))),
    ("trial_left_on", "timetables[Test hours]", lambda site: (
        add("timetables", {"name": "Test hours", "zone": "UTC", "hours": ALL_WEEK})(site),
        put("links:lamp", "timetable", "Test hours")(site))),
    ("zone_differs", "timetables[night]", put("timetables:night", "zone", "Europe/Amsterdam")),
    ("channel_zone_differs", V, put("V1", "channels", [{"name": "a", "settings": {"time_zone": "Europe/Amsterdam"}}])),
    # devices
    ("type_unknown", V, put("V1", "type", "Nobody's camera")),
    ("type_of_another_kind", V, put("V1", "type", "PTZ camera")),
    ("address_twice", Z, put("Z1", "address", {"url": "http://10.0.0.5/stream", "login": "mast"})),
    ("address_of_this_machine", M, put("M1", "address", {"host": "127.0.0.1", "port": 502, "unit": 1})),
    ("address_missing", M, put("M1", "address", {})),
    ("usual_login", Z, put("Z1", "address", {"url": "http://10.0.0.6/", "login": "admin"})),
    ("no_watchdog", M, put("M1", "watchdog", None)),
    ("off_the_plan", Z, put("Z1", "mount", {**MOUNT, "x_m": 150.0})),
    ("not_on_the_plan", "places[Yard].devices[L1]", lambda site: None),
    ("mount_wrong", Z, put("Z1", "mount", {**MOUNT, "focal_mm": -2})),
    ("stream_of_nobody", V, lambda site: device(site, "V1").update(abilities=[{"name": "zones", "of": "V9"}])),
    # detectors and lists
    ("device_retired", "detectors[A]", put("V1", "retired", True)),
    ("detector_alone", "detectors[C]", add("detectors", zone_detector("C"))),
    ("detector_off", "detectors[A]", put("detectors:A", "enabled", False)),
    ("defaults_left", "detectors[A]", put("detectors:A", "dials", {})),
    ("region_out_of_picture", "detectors[A]", put(
        "detectors:A", "regions", [{"name": "r", "shape": "box", "points": [[700, 500], [900, 600]]}])),
    ("region_of_no_area", "detectors[A]", put(
        "detectors:A", "regions", [{"name": "r", "shape": "polygon", "points": [[1, 1], [5, 5], [9, 9]]}])),
    ("nothing_watched", "detectors[A]", put(
        "detectors:A", "regions", [{"name": "r", "shape": "box", "points": [[1, 1], [50, 50]], "role": "mask"}])),
    ("list_unused", "lists[crew]", add("lists", {"name": "crew", "entries": [{"text": "AB12CDE", "until": "2999-01-01"}]})),
    ("list_without_end", "lists[crew]", add("lists", {"name": "crew", "entries": [{"text": "AB12CDE"}]})),
    ("list_ended", "lists[crew]", add("lists", {"name": "crew", "entries": [{"text": "AB12CDE", "until": "2001-01-01"}]})),
    ("entries_near", "lists[crew]", add("lists", {"name": "crew", "entries": [{"text": "AB12CDE"}, {"text": "AB12CDF"}]})),
    # heads
    ("presets_of_one_name", Z, put("Z1", "turned", {"pairs": PAIRS, "presets": [PRESETS[0], PRESETS[1] | {"name": "Gate"}]})),
    ("preset_number_twice", Z, put("Z1", "turned", {"pairs": PAIRS, "presets": [PRESETS[0], PRESETS[1] | {"number": 1}]})),
    ("preset_token_twice", Z, put("Z1", "turned", {"pairs": PAIRS, "presets": [PRESETS[0], PRESETS[1] | {"token": "1"}]})),
    ("round_wrong", f"{Z}.duty", lambda site: device(site, "Z1")["duty"].update(idle="preset 7")),
    ("call_outlasts_wish", f"{Z}.duty", lambda site: device(site, "Z1")["duty"].update(call_most_s=300)),
    ("wish_for_nowhere", f"{Z}.duty", lambda site: device(site, "Z1")["duty"].update(wishes={"Moon": 60})),
    ("duty_of_no_hours", f"{Z}.duty", lambda site: device(site, "Z1")["duty"].update(hours=[{"timetable": "dusk", "do": "round"}])),
    ("head_moved", Z, lambda site: device(site, "Z1")["turned"].update(check={"pan": 0.3, "tilt": 0.5, "x_m": 50.0, "y_m": 80.0})),
    ("mask_over_aim", f"{Z}.turned", masked(BEFORE_GATE, aim=[50.0, 74.0])),
    ("mask_over_preset", f"{Z}.turned", masked(BEFORE_GATE)),
    ("mask_not_at_device", f"{Z}.turned", masked(((10.0, 5.0), (12.0, 5.0), (11.0, 8.0)))),
    # what is expected and promised
    ("expects_nobody", "expectations[new]", add("expectations", {
        "name": "new", "when": {"detector": "ghost"}, "must": [{"do": "switch", "on": "lamp", "within_s": 1}]})),
    ("expects_what_no_link_does", "expectations[new]", add("expectations", {
        "name": "new", "when": {"detector": "A"}, "must": [{"do": "switch", "on": "siren", "within_s": 1}]})),
    ("promise_fails", Z, lambda site: site["plan"].update(aims=[
        {"name": "far", "device": "Z1", "what": "following", "points": [[99, 99]], "px_per_m": 9000.0}])),
    ("aim_of_nobody", "plan.aims[far]", lambda site: site["plan"].update(aims=[
        {"name": "far", "device": "V1", "what": "density", "points": [[99, 99]], "px_per_m": 10.0}])),
]  # fmt: skip


@pytest.mark.parametrize(("rule", "at", "change"), FAULTS, ids=lambda each: each if isinstance(each, str) else "")
def test_the_fault_is_found_where_it_lies(tmp_path: Path, rule: str, at: str, change: Any) -> None:
    told = found(tmp_path, change)
    assert (rule, at) in [(name, where) for name, _, where in told]
    if rule not in ("not_on_the_plan",):
        assert (rule, at) not in [(name, where) for name, _, where in found(tmp_path)]


def test_there_are_many_rules_and_each_says_why() -> None:
    assert len(RULES) >= 40
    assert len({each.name for each in RULES}) == len(RULES)
    assert all(len(each.why.split()) > 5 for each in RULES)


def test_the_gravest_come_first_and_what_is_accepted_counts_no_more(tmp_path: Path) -> None:
    document = copy.deepcopy(SITE)
    put("Z1", "mount", {**MOUNT, "x_m": 150.0})(document)
    add("detectors", zone_detector("C"))(document)
    (tmp_path / "S.json").write_text(json.dumps(document))
    done = lantern("preflight", "--site", str(tmp_path / "S.json"))
    assert done.returncode == 1
    lines = [json.loads(line) for line in done.stdout.splitlines()]
    order = [("error", "warning", "note").index(each["severity"]) for each in lines]
    assert order == sorted(order)
    errors = [each for each in lines if each["severity"] == "error"]
    assert all(each["accepted"] is None for each in errors)
    document["accepted"] = [
        {
            "rule": each["rule"],
            "at": each["at"],
            "because": "It is carried there next week.",
            "by": "Ida",
            "on": "2026-01-05",
        }
        for each in errors
    ] + [{"rule": "coil_twice", "at": "places[Yard].devices[M1]", "because": "old", "by": "Ida", "on": "2026-01-05"}]
    (tmp_path / "S.json").write_text(json.dumps(document))
    done = lantern("preflight", "--site", str(tmp_path / "S.json"))
    assert done.returncode == 0
    lines = [json.loads(line) for line in done.stdout.splitlines()]
    assert {each["accepted"] for each in lines if each["severity"] == "error"} == {"It is carried there next week."}
    [gone] = [each for each in lines if each["rule"] == "accepted_and_gone"]
    assert (gone["severity"], gone["at"]) == ("note", "places[Yard].devices[M1]")


def test_the_demo_has_what_it_is_known_for() -> None:
    done = lantern("preflight", "--site", str(DEMO))
    told = {(each["rule"], each["at"]) for each in map(json.loads, done.stdout.splitlines())}
    assert ("watts_short", "places[Yard].devices[Z1]") in told
    assert ("promise_fails", "places[Quay edge].devices[L1]") in told  # the horn, too quiet by night
    assert ("channels_differ", "places[Yard].devices[Z1]") in told


def test_what_the_running_program_knows_of_sounds(tmp_path: Path) -> None:
    """A message that nobody has brought, one that was cut off, and one 24 dB beneath full scale."""
    document = copy.deepcopy(SITE)
    document["messages"] = [
        {"name": name, "file": f"{name}.wav", "length_s": 2.0} for name in ("gone", "cut off", "quiet", "well")
    ] + [{"name": "spoken", "text": "Halt at {place}", "length_s": 2.0}]
    document["links"] = [
        {"name": f"say {each['name']}", "detector": "A", "effects": [
            {"do": "say", "devices": ["L1"], "message": each["name"], "gain_db": 4.0 if each["name"] == "quiet" else 0.0}]}
        for each in document["messages"]
    ]  # fmt: skip
    (tmp_path / "S.json").write_text(json.dumps(document))
    site = read_site(tmp_path / "S.json")
    sounds = {
        "cut off": Measured(2.0, -6.0, 0.0, 7),
        "quiet": Measured(2.0, -31.0, -14.0, 0),
        "well": Measured(2.0, -15.0, -2.0, 0),
    }
    types = shipped_types()
    rules = ("message_silent", "message_clipped", "message_quiet")
    for speaks in (False, True):
        told = preflight(Checked(site, types, sounds=sounds, speaks=speaks))
        found = {(each.finding.rule, each.finding.at): each.finding.what for each in told if each.finding.rule in rules}
        assert found == {
            ("message_silent", "messages[gone]"): "nobody has brought gone.wav yet",
            ("message_clipped", "messages[cut off]"): "is cut off at full scale in 7 places",
            ("message_quiet", "links[say quiet]"): "says quiet 24 dB beneath the level that the plan counts with",
        } | ({} if speaks else {("message_silent", "messages[spoken]"): "nothing on this machine speaks a text"})
