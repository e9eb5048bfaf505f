"""What a rehearsal of a site shows: lanes by place, stations of the chain, what was expected, what it asks of people; and beside another."""

from __future__ import annotations

from collections import Counter
from typing import Any

from lantern.core.effects.register import EFFECTS
from lantern.core.linking.expectations import Expectation
from lantern.core.linking.load import load
from lantern.core.linking.runs import Run, counted, differences
from lantern.core.linking.supposed import alike, others
from lantern.core.linking.whole import HELD_BACK, Line
from lantern.rehearse.playing import Played

TOLD = ("mail", "post", "show", "say", "switch")  # what somebody is to attend to


def shown(run: Played) -> dict[str, Any]:
    """Return a rehearsal as the page draws it."""
    lines, later, site = run.lines, run.later, run.site
    spans = sorted(
        {(at, min(at + one.take.length_s, run.ends_s)) for one in run.heards for at in later.get(one.take.id, ())}
    )
    return {
        "begins": run.begins.timestamp(),
        "zone": site.zone,
        "spans": _merged(spans),
        "unknown": {code: len(hours) for code, hours in run.unknown.items() if hours},
        "takes": sorted({one.take.name for one in run.heards}),
        "places": _places(run),
        "orders": [_order(line) for line in lines if "do" in line.said],
        "compounds": [
            line.said | {"key": _key(line.shown.place)}
            for line in lines
            if line.shown is not None and line.shown.what == "compound"
        ],
        "asleep": [line.said for line in lines if "link" in line.said and "do" not in line.said],
        "lanes": _lanes(lines),
        "expectations": [
            each.as_dict() | {"sentence": _sentence(one)}
            for each, one in zip(run.outcomes, site.expectations, strict=True)
        ],
        "stations": _stations(lines, {link.of[1] for link in site.links if link.effects}),
        "load": _load(lines, sum(to - at for at, to in _merged(spans)), run.suppose.guards),
    }


def held_against(base: Played, run: Played) -> dict[str, Any]:
    """Return what comes out otherwise in a run that supposes something, than in one as it is."""
    before, after = shown(base), shown(run)
    found = others(base.lines, run.lines)
    return {
        "run": after,
        "load": [before["load"], after["load"]],
        "differences": [each._asdict() for each in differences(run_of(before), run_of(after))],
        "otherwise": len(found),
        "orders": [each._asdict() for each in alike(found)],
    }


def run_of(told: dict[str, Any]) -> Run:
    """Return a rehearsal, as its page has it, in figures."""
    lanes = [lane for place in told["places"] for lane in place["lanes"]]
    raised = [(lane["name"], verdict) for lane in lanes for _, _, verdict, *_ in lane["events"]]
    raised += [
        (lane["name"], "missed")
        for lane in lanes
        for _, _, label, hit, _ in lane["marks"]
        if label == "expect" and not hit
    ]
    orders = [
        (f"{each['link']}: {each['do'].replace('_', ' ')} {each['on']}", each["result"]) for each in told["orders"]
    ]
    expected = {each["expectation"]: each["result"] for each in told["expectations"]}
    return Run(raised=counted(raised), orders=counted(orders), expectations=expected)


def _places(run: Played) -> list[dict[str, Any]]:
    events: dict[str, list[list[Any]]] = {}
    for line in run.lines:
        shown = line.shown
        if shown is not None and shown.what == "detector":
            said = line.said
            events.setdefault(shown.name, []).append(
                [said["index"], shown.raised_s, said["verdict"], shown.asleep, said["take"]]
            )
    marks: dict[str, list[list[Any]]] = {}
    for one in run.heards:
        for at in run.later.get(one.take.id, ()):
            told: list[list[Any]] = [
                [from_s + at, to_s + at, label, was_hit, why] for from_s, to_s, label, was_hit, why in one.marks
            ]
            marks.setdefault(one.row.name, []).extend(each for each in told if each[0] < run.ends_s)
    rows = {one.row.name: one.row for one in run.heards}
    out = []
    for place in run.site.places:
        codes = {device.code for device in place.devices}
        lanes = [
            {
                "id": row.id,
                "name": name,
                "code": row.device.code,
                "events": events.get(name, []),
                "marks": marks.get(name, []),
            }
            for name, row in rows.items()
            if row.device.code in codes
        ]
        if lanes:
            out.append({"name": place.name, "lanes": lanes})
    return out


def _lanes(lines: list[Line]) -> list[str]:
    """Return what orders are drawn beside, in the order in which they come first."""
    return list(dict.fromkeys(_lane(line.said) for line in lines if "do" in line.said))


def _lane(said: dict[str, Any]) -> str:
    return EFFECTS[said["do"]].lane(said["on"])


def _order(line: Line) -> dict[str, Any]:
    assert line.ordered_by is not None
    return line.said | {"lane": _lane(line.said), "by": _key(line.ordered_by)}


def _key(place: tuple[float, int, int]) -> str:
    """Return what an event is called by, of a detector or of a compound."""
    return " ".join(map(str, place))


def _sentence(expected: Expectation) -> str:
    """Return it as it is said: "Gate line: switch on Yard lights within 5 s"."""
    must = [f"{each.do.replace('_', ' ')} on {each.on} within {each.within_s:g} s" for each in expected.must]
    must += [f"no {each.do.replace('_', ' ')} on {each.on} within {each.within_s:g} s" for each in expected.must_not]
    return f"{expected.when.of[1]}: {', '.join(must)}"


def _stations(lines: list[Line], linked: set[str]) -> list[tuple[str, int]]:
    """Return how many events came to each station of the chain, and where they were lost."""
    shown = [line for line in lines if line.shown is not None]
    awake = [line for line in shown if line.shown is not None and not line.shown.asleep]
    heard_of = [line for line in awake if line.shown is not None and line.shown.name in linked]
    orders = [line.said for line in lines if "do" in line.said]
    held_back = sum("do" not in line.said and line.said.get("result") == HELD_BACK for line in lines)
    by_result = Counter(said["result"] for said in orders)
    return [
        ("raised", len(shown)),
        ("asleep by their own hours", len(shown) - len(awake)),
        ("with no link", len(awake) - len(heard_of)),
        ("their link asleep", sum("do" not in line.said and line.said.get("result") == "asleep" for line in lines)),
        *([("held back by their link", held_back)] if held_back else []),
        ("orders", len(orders)),
        *(
            (f"orders {word}", by_result[word])
            for word in ("done", "cut", "busy", "expired", "asleep")
            if by_result[word]
        ),
    ]


def _load(lines: list[Line], length_s: float, guards: int) -> dict[str, Any]:
    """Return what it asks of each guard: a link that told somebody of an event is one alarm, however much it ordered."""
    alarms: dict[tuple[str, Any], tuple[float, str]] = {}
    for line in lines:
        said = line.said
        if said.get("do") in TOLD and said["result"] in ("done", "cut"):
            alarms.setdefault((said["link"], said["event"]), (said["at_s"], said["link"]))
    found = load(sorted(alarms.values())[::guards], length_s)  # they take turns
    return {
        "count": found.count, "per_10_min": found.per_10_min, "worst": found.worst, "worst_s": found.worst_s,
        "floods": len(found.floods), "first": found.first, "word": found.word, "length_s": length_s,
    }  # fmt: skip


def _merged(spans: list[tuple[float, float]]) -> list[tuple[float, float]]:
    out: list[tuple[float, float]] = []
    for from_s, to_s in spans:
        if out and from_s <= out[-1][1]:
            out[-1] = (out[-1][0], max(out[-1][1], to_s))
        else:
            out.append((from_s, to_s))
    return out
