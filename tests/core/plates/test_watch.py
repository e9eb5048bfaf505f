"""Live says what a take says, read by read, and remembers over a restart what it has raised."""

from __future__ import annotations

from dataclasses import asdict, replace
from datetime import UTC, datetime

import pytest

from core.plates.examples import read_at, samples_of
from core.plates.scenes import scene
from core.plates.test_contract import dials_of
from lantern.core.events import Detector
from lantern.core.kinds import detector_of, judge, watch
from lantern.core.plates.reads import Read
from lantern.core.plates.subject import PlateSubject
from lantern.core.plates.verdicts import ORDER
from lantern.core.plates.watch import PlateWatch
from lantern.core.watch import Sample, Turn

EPOCH = datetime(1970, 1, 1, tzinfo=UTC)


def turns_of(live: PlateWatch, samples: list[Sample]) -> list[Turn]:
    return [turn for sample in samples for turn in live.step(sample, 0.2)]


def detector(seed: int, **more: object) -> Detector:
    _, lists = scene(seed)
    return detector_of({"name": "gate", "kind": "plate", "dials": asdict(dials_of(seed)) | more, "lists": lists})


@pytest.mark.parametrize("seed", range(80))
def test_live_equals_batch_on_random_passages(seed: int) -> None:
    reads = replace(scene(seed)[0], start=EPOCH)
    made = detector(seed, direction=("any", "towards", "away")[seed % 3])
    on = judge(made, "plates", reads)
    assert isinstance(on, PlateSubject)
    live = watch(made, {"zone": "UTC"})
    assert isinstance(live, PlateWatch)
    turns = turns_of(live, samples_of(reads))
    raised = [turn for turn in turns if turn.changes[0].what == "raise"]
    events = on.events()
    assert [(turn.changes[0].t, turn.object, turn.own) for turn in raised] == [
        (event.raised_s, event.object, event.own) for event in events
    ]
    for turn, event in zip(raised, events, strict=True):
        assert turn.reading == pytest.approx(event.peak, abs=1e-12)
        assert {key: value for key, value in turn.why.items() if key != "device_t"} == pytest.approx(event.why)
    ends = {(turn.object, turn.changes[0].t) for turn in turns if turn.changes[0].what == "clear"}
    assert ends <= {(event.object, event.cleared_s) for event in events}


def test_a_restart_opens_nothing_twice() -> None:
    reads = replace(scene(3)[0], start=EPOCH)
    made = detector(3, when="any", min_reads=1, min_vote=0.0, vehicle="any", min_confidence=0.0, rearm_s=8.0)
    whole = watch(made, {})
    samples = samples_of(reads)
    first = [turn for turn in turns_of(whole, samples) if turn.changes[0].what == "raise"]
    half = next(n for n, sample in enumerate(samples) if sample.t > first[1].changes[0].t)
    before = watch(made, {})
    told = turns_of(before, samples[:half])
    kept = {turn.region: asdict(turn.state) for turn in told if turn.state is not None}
    after = watch(made, {})
    assert after.resume(kept, set()) is True
    told += turns_of(after, samples[half:])
    again = [(turn.object, turn.changes[0].t) for turn in told if turn.changes[0].what == "raise"]
    assert again == [(turn.object, turn.changes[0].t) for turn in first]


def test_a_read_that_comes_late_votes_and_opens_nothing() -> None:
    made = detector_of({"name": "gate", "kind": "plate", "dials": {"when": "any", "min_reads": 2, "min_vote": 0.0}})
    live = watch(made, {})
    read = Read("v1", "AB12CDE", 0.9)
    late = replace(read, late=True)
    turns = turns_of(live, [Sample("plates", 0.0, [read]), Sample("plates", 0.2, [late])])
    assert turns == []
    [turn] = turns_of(live, [Sample("plates", 0.4, [read])])
    assert (turn.changes[0].t, turn.why["reads"]) == (0.4, 3)


def test_an_entry_ends_with_its_day_in_the_zone_of_the_site() -> None:
    entry = {"text": "AB12CDE", "until": "2026-03-03"}
    lists = [{"name": "crews", "entries": [entry]}]
    dials = {"min_reads": 1, "min_vote": 0.0}
    made = detector_of({"name": "gate", "kind": "plate", "dials": dials, "lists": lists})
    midnight = datetime(2026, 3, 3, 23, 0, tzinfo=UTC).timestamp()  # in Amsterdam the 4th begins
    for t, opens in ((midnight - 1, 1), (midnight, 0)):
        live = watch(made, {"zone": "Europe/Amsterdam"})
        assert len(turns_of(live, [Sample("plates", t, [Read("v1", "AB12CDE", 0.9)])])) == opens


def test_reads_are_told_apart_by_their_vehicle() -> None:
    reads = scene(1)[0]
    assert {read_at(reads, i).vehicle for i in range(len(reads))} == set(reads.vehicle)


@pytest.mark.parametrize("seed", range(20))
def test_a_passage_that_is_over_says_why_it_did_not_raise(seed: int) -> None:
    """The same reason as on the take, of each one."""
    reads = replace(scene(seed)[0], start=EPOCH)
    made = detector(seed)
    on = judge(made, "plates", reads)
    assert isinstance(on, PlateSubject)
    live = watch(made, {"zone": "UTC"})
    assert isinstance(live, PlateWatch)
    told = []
    for sample in [*samples_of(reads), Sample("plates", reads.length_s + 60, [])]:
        list(live.step(sample, 0.2))
        told += [each for each in live.refused if each not in told]
    by_end = {round(float(on.passages.last_s[n]), 6): verdict for n, verdict in enumerate(on.verdicts)}
    assert len(told) == sum(verdict.code not in ("raised", "dropped") for verdict in on.verdicts)
    assert [each["code"] for each in told] == [by_end[round(each["at"], 6)].code for each in told]
    assert {each["code"] for each in told} <= set(ORDER)
