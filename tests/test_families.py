"""What every family must hold, so that pages, commands and the engine need know none of them.

Each family brings its examples: a module `core.NAME.examples` of the tests (or of whoever adds a family) with `examples()`.
"""

from __future__ import annotations

import importlib
import os
import subprocess
import sys
from dataclasses import dataclass
from datetime import UTC, datetime
from pathlib import Path

import numpy as np
import pytest

from examples import Example
from lantern.benches.register import BENCHES, FOLDERS
from lantern.core.dials import describe, describe_dial
from lantern.core.families import FAMILIES
from lantern.core.kinds import KINDS, judge, kind_of, watch
from lantern.core.raising import Raising
from lantern.core.sweepable import Sweepable
from lantern.core.units import CELSIUS
from lantern.formats.sidecar import TakeInfo
from lantern.signals.register import signal_of
from lantern.signals.signal import Stored
from lantern.tune.evidence import Held, strips

EXAMPLES: list[Example] = [
    each for name in FAMILIES for each in importlib.import_module(f"core.{name}.examples").examples()
]
EVERY = pytest.mark.parametrize("one", EXAMPLES, ids=lambda one: one.detector.kind)


def held(one: Example) -> Sweepable:
    return judge(one.detector, one.signal, one.value)


def test_every_kind_has_an_example_and_every_family_a_bench() -> None:
    assert {one.detector.kind for one in EXAMPLES} == set(KINDS)
    assert set(BENCHES) == set(FAMILIES)
    for name, room in FOLDERS.items():
        assert (room / "templates" / f"bench_{name}.html").exists()
        assert (room / "templates" / f"walk_{name}.html").exists()


@EVERY
def test_live_equals_batch(one: Example) -> None:
    """Every raise, and every clear that is not for want of further samples."""
    live = watch(one.detector, one.facts)
    told: dict[tuple[str, str | None, str], list[float]] = {}
    for sample in one.samples:
        for turn in (each for first in live.step(sample, one.interval_s) for each in first.chain()):
            for change in turn.changes:
                if change.cleared_by == "lost":
                    continue
                told.setdefault((turn.region, turn.object, change.what), []).append(change.t)
    on = held(one)
    assert isinstance(on, Raising) == kind_of(one.detector.kind).raises
    if not isinstance(on, Raising):
        assert told == {}
        return
    batch: dict[tuple[str, str | None, str], list[float]] = {}
    for event in on.events():
        name = None if event.object is None else str(event.object)
        what = "repeat" if event.repeat else "raise"
        batch.setdefault((event.region, name, what), []).append(event.raised_s)
        if event.cleared_s is not None and event.cleared_by != "lost":
            batch.setdefault((event.region, name, "clear"), []).append(event.cleared_s)
    assert any(what == "raise" for *_, what in batch), "an example that raises nothing shows nothing"
    assert told.keys() == batch.keys()
    for key, times in batch.items():
        assert told[key] == pytest.approx(times, abs=1e-6), key


@EVERY
def test_a_signal_comes_back_from_the_store_as_it_went_in(one: Example) -> None:
    signal = signal_of(one.signal)
    start = datetime(2026, 3, 4, tzinfo=UTC)
    info = TakeInfo(format="lantern-take/1", name="T", device="D", kind=one.signal, start=start, **one.info)
    facts = signal.facts(info, one.value)
    packed = [(count, pack()) for count, pack in signal.pack(one.value)]
    stored = Stored(facts, signal.t_s(one.value), signal.samples(one.value), lambda: iter(packed))
    again = signal.unpack(stored)
    assert [(count, pack()) for count, pack in signal.pack(again)] == packed
    assert signal.facts(info, again) == facts
    assert signal.length_s(again) == signal.length_s(one.value)
    assert np.array_equal(signal.t_s(again), signal.t_s(one.value))
    before, after = held(one), judge(one.detector, one.signal, again)
    assert after.result([]) == before.result([])
    if isinstance(before, Raising) and isinstance(after, Raising):
        assert [event.as_dict() for event in after.events()] == [event.as_dict() for event in before.events()]


@EVERY
def test_exact_sweeps_equal_brute_force(one: Example) -> None:
    on = held(one)
    own = on.own(one.marks)
    for dial in on.exact_dials():
        value = float(getattr(on.dials, dial) or 0.0)
        info = describe_dial(kind_of(one.detector.kind).dials, dial)
        low, high = max(value - 2, info.low or 0.0), min(value + 3, info.high or np.inf)
        rows = on.sweep(dial, own, low=low, high=high)
        assert (rows[0].start, rows[-1].stop) == (low, high)
        for row in rows:
            again = on.with_dials(**{dial: row.value}).result(own)
            shown = [getattr(again, name) for name in on.sweep_columns]
            assert row.printed(on.sweep_columns)[3:] == tuple(shown), (dial, row.value)


@dataclass(frozen=True)
class Why:
    """Why a dial has no strip."""

    numeric: bool
    matters: bool
    empty: bool


@EVERY
def test_every_dial_has_unit_range_meaning_and_a_strip_or_a_reason_for_none(one: Example) -> None:
    on, kind = held(one), kind_of(one.detector.kind)
    drawn = strips([Held(on, on.own(one.marks))], None, None, CELSIUS)
    for info in describe(kind.dials):
        assert len(info.meaning) > 10, info.name
        assert info.source, info.name
        why = Why(info.numeric, kind.matters(info.name, on.dials), getattr(on.dials, info.name) is None)
        if info.numeric:
            assert info.low is not None, info.name
            assert info.high is not None, info.name
            assert info.step, info.name
            assert info.low < info.high, info.name
            assert kind.dial_unit(info, one.signal) == info.unit or one.signal.startswith("plan"), info.name
        has_a_reason = not why.numeric or not why.matters or why.empty
        assert (info.name in drawn) != has_a_reason, info.name
    across, up = kind.pair(on.dials)
    assert {across, up} <= {info.name for info in describe(kind.dials) if info.numeric}


@EVERY
def test_what_its_events_name_can_be_listened_to(one: Example) -> None:
    sources = kind_of(one.detector.kind).sources(one.detector)
    on = held(one)
    events = on.events() if isinstance(on, Raising) else []
    assert {event.region for event in events} <= set(sources)


def test_families_are_added_by_their_folders_alone(tmp_path: Path) -> None:
    """Three made-up ones: in the core and on the command line, with no edit of common code; `browser/test_made_up.py` has
    their pages.
    """
    script = Path(__file__).parent / "made_up" / "prove.py"
    command = [sys.executable, str(script), str(tmp_path)]
    done = subprocess.run(command, capture_output=True, text=True, check=False, env=os.environ)
    assert done.returncode == 0, done.stdout[-3000:] + done.stderr[-3000:]
    assert done.stdout.splitlines()[-1] == "an echo at 6 s, and a curve"
