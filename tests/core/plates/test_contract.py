"""Votes, vehicles, lists and raises against the plain reading of the contract, on random passages and dials."""

from __future__ import annotations

from dataclasses import asdict
from typing import Any

import numpy as np
import pytest

from core.plates import plain
from core.plates.scenes import scene
from lantern.core.faults import Refused
from lantern.core.kinds import detector_of, judge
from lantern.core.plates.reads import Reads
from lantern.core.plates.subject import PlateSubject
from lantern.core.scoring.marks import Mark


def dials_of(seed: int) -> plain.Dials:
    rng = np.random.default_rng(seed + 5000)

    def one(*values: Any) -> Any:
        return values[int(rng.integers(len(values)))]

    return plain.Dials(
        when=one("listed", "listed", "unlisted", "any"),
        min_confidence=one(0.0, 0.5, 0.62),
        min_height_px=one(None, 12.0),
        gap_s=one(1.0, 3.0),
        min_reads=one(1, 2, 4),
        min_vote=one(0.0, 0.3, 0.9),
        tempering=one(0.4, 1.0),
        syntaxes=one([], ["LLLDD", "L?[0-58]D"], ["LLLL", "DLLDD", "????"]),
        tolerance=one(0.0, 0.3, 0.6, 0.9, 1.7),
        runner_up=one(0.0, 0.3, 0.7),
        vehicle=one("any", "not_held", "attached"),
        wander=one(0.01, 0.05),
        decide_after_s=one(0.0, 0.5),
        rearm_s=one(0.0, 8.0),
    )


def subject(seed: int) -> tuple[PlateSubject, plain.Dials, list[dict[str, Any]]]:
    reads, lists = scene(seed)
    dials = dials_of(seed)
    document = {"name": "gate", "kind": "plate", "device": "P1", "dials": asdict(dials), "lists": lists}
    made = judge(detector_of(document), "plates", reads)
    assert isinstance(made, PlateSubject)
    return made, dials, lists


@pytest.mark.parametrize("seed", range(150))
def test_events_and_passages_are_those_of_the_plain_reading(seed: int) -> None:
    on, dials, lists = subject(seed)
    events, lines = plain.run(on.reads, lists, dials)
    told = [
        {
            "t": event.raised_s,
            "text": event.own["text"],
            "peak": pytest.approx(event.peak, abs=1e-9),
            "match": (event.own["match"], event.own["list"]) if event.own["match"] is not None else None,
            "cleared": event.cleared_s,
            "object": event.object,
        }
        for event in on.events()
    ]
    assert told == (events if dials.when == "listed" else [event | {"match": event["match"]} for event in events])
    for line, (many, own, text, sure, kind, found) in zip(on.passage_lines(), lines, strict=True):
        assert (line["reads"], line["accepted"], line["text"], line["attached"]) == (many, own, text, kind)
        assert line["confidence"] == pytest.approx(sure, abs=1e-9)
        assert (line["match"], line["list"]) == (found or (None, None))


@pytest.mark.parametrize("seed", range(60))
def test_every_exact_dial_equals_every_value_by_itself(seed: int) -> None:
    on, _, _ = subject(seed)
    rng = np.random.default_rng(seed)
    marks = [Mark(t, t + 6, "expect") for t in np.sort(rng.uniform(0, on.length_s, 3)).tolist()]
    for dial in on.exact_dials():
        low, high = {"min_confidence": (0.0, 1.0), "min_vote": (0.0, 1.0), "wander": (0.0, 0.4)}.get(dial, (1.0, 20.0))
        low, high = {"tolerance": (0.0, 2.0), "runner_up": (0.0, 2.0)}.get(dial, (low, high))
        rows = on.sweep(dial, marks, low=low, high=high)
        assert (rows[0].start, rows[-1].stop) == (low, high)
        for row in rows:
            if row.stop - row.start < 1e-6:
                continue
            assert row.start <= row.value <= row.stop
            again = on.with_dials(**{dial: row.value}).result(marks)
            assert row.result[:6] == again[:6], (dial, row)


@pytest.mark.parametrize(
    ("shape", "points", "inside"),
    [
        ("box", [[100, 100], [200, 200]], [True, True, False, False]),
        ("box", [[200, 200], [100, 100]], [True, True, False, False]),
        ("polygon", [[100, 100], [200, 100], [150, 200]], [True, True, False, False]),
    ],
)
def test_reads_count_where_the_middle_of_their_box_is_in_a_region(
    shape: str, points: list[list[int]], inside: list[bool]
) -> None:
    """By hand: middles at (150, 150), on the upper edge at (150, 100), at (150, 99), and a read without a box."""
    nothing = [float("nan")] * 4
    reads = Reads(
        t_s=np.arange(4.0),
        vehicle=("a", "b", "c", "d"),
        text=("AB1",) * 4,
        confidence=np.full(4, 0.9),
        chars=((),) * 4,
        plate=np.array([[140, 145, 20, 10], [140, 95, 20, 10], [140, 94, 20, 10], nothing], dtype=np.float64),
        car=np.full((4, 4), np.nan),
        truth=("",) * 4,
    )
    regions = [{"name": "lane", "shape": shape, "points": points}]
    dials = {"when": "any", "min_reads": 1, "min_vote": 0.0, "rearm_s": 0.0}
    on = judge(detector_of({"name": "d", "kind": "plate", "regions": regions, "dials": dials}), "plates", reads)
    assert [line["accepted"] == 1 for line in on.passage_lines()] == inside
    assert [event.as_dict()["region"] for event in on.events()] == ["lane"] * sum(inside)
    with pytest.raises(Refused, match="a polygon has three or more"):
        detector_of({"name": "d", "kind": "plate", "regions": [regions[0] | {"shape": "polygon", "points": [[0, 0]]}]})
