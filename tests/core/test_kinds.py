"""What every kind in the register must hold, so that pages, commands and the engine need know none of them."""

from __future__ import annotations

import numpy as np
import pytest

from builders import subject_of
from lantern.core.dials import describe
from lantern.core.events import Detector
from lantern.core.exact.chains import CHAINS
from lantern.core.faults import Refused
from lantern.core.kind import Kind
from lantern.core.kinds import KINDS, kind_of
from lantern.core.readings.kind import SeriesKind
from lantern.core.readings.region import ReadingRegion
from lantern.core.scoring.marks import Mark
from lantern.core.signals import Frames, RecordedAs, Series, frames_of

EVERY = pytest.mark.parametrize("kind", KINDS.values(), ids=lambda kind: kind.name)
READING = [kind for kind in KINDS.values() if isinstance(kind, SeriesKind)]
EVERY_READING = pytest.mark.parametrize("kind", READING, ids=lambda kind: kind.name)
REGIONS = (
    ReadingRegion(name="face", shape="box", points=((2, 2), (26, 28))),
    ReadingRegion(name="source", shape="box", points=((30, 2), (36, 8)), role="reference"),
)


def picture(minutes: int = 1) -> Frames:
    """A warm oval that comes and goes every ten seconds beside a source at 35 °C, 40 x 30 pixels at 4 Hz."""
    rng = np.random.default_rng(6)
    y, x = np.mgrid[0:30, 0:40]
    celsius = 22 + rng.normal(0, 0.05, (minutes * 240, 30, 40))
    celsius[:, 2:8, 30:36] += 13
    oval = ((x - 14) / 9) ** 2 + ((y - 15) / 11) ** 2 < 1
    for start in range(8, minutes * 240, 40):
        celsius[start : start + 20, oval] = 36.0 + (2.5 if start // 40 % 3 == 0 else 0)
    raw = np.round((celsius + 273.15) * 25).astype(np.uint16)
    recorded = RecordedAs(emissivity_set=0.98, reflected_c=22.0)
    return frames_of(raw, np.arange(len(raw)) / 4, scale=0.04, offset_c=-273.15, recorded=recorded)


def detector(kind: SeriesKind, **dials: object) -> Detector:
    plain = {"skin": {"face_px": 150, "hottest_px": 2}, "heat": {"threshold_c": 30, "sustain_s": 0.5, "rearm_s": 2}}
    return Detector(name="d", kind=kind.name, regions=REGIONS, dials=plain[kind.name] | dials)


@EVERY
def test_groups_hold_every_dial_once(kind: Kind) -> None:
    laid_out = [name for _, names in kind.groups for name in names]
    assert sorted(laid_out) == sorted(kind.dials.model_fields)


@EVERY_READING
def test_exact_dials_are_numeric_and_known_to_the_sweep(kind: SeriesKind) -> None:
    numeric = {info.name for info in describe(kind.dials) if info.numeric}
    exact = kind.exact(kind.dials())
    assert set(exact) <= numeric
    assert set(exact.values()) <= set(CHAINS)


@EVERY_READING
def test_readings_change_only_with_the_dials_of_their_key(kind: SeriesKind) -> None:
    """A dial outside the key moved by a step leaves the reading as it is; that is what lets a drag answer at once."""
    frames = picture()
    held = subject_of(detector(kind), frames)
    numeric = [info for info in describe(kind.dials) if info.numeric and getattr(held.dials, info.name) is not None]
    compared = []
    for info in numeric:
        assert info.step is not None
        value = getattr(held.dials, info.name)
        up = value + info.step if info.high is None or value + info.step <= info.high else value - info.step
        changed = held.kind.dials.model_validate(held.dials.model_dump() | {info.name: up})
        if kind.reading_key(changed) == kind.reading_key(held.dials):
            compared.append(info.name)
            fresh = kind.readings(frames, REGIONS, changed)
            for name, series in held.readings.items():
                assert (fresh[name].x == series.x).all(), info.name
    assert {"sustain_s", "rearm_s"} <= set(compared)  # times are no part of a reading
    assert len(compared) < len(numeric)  # and some dials are


@EVERY_READING
def test_every_alternative_can_be_looked_at(kind: SeriesKind) -> None:
    held = subject_of(detector(kind), picture())
    ways = kind.alternatives(held.dials)
    assert len({words for words, _ in ways}) == len(ways)
    for _, changes in ways:
        assert held.with_dials(**changes).readings


@EVERY_READING
def test_events_stand_in_order_and_explain_themselves(kind: SeriesKind) -> None:
    held = subject_of(detector(kind), picture())
    events = held.events()
    assert events
    assert [e.raised_s for e in events] == sorted(e.raised_s for e in events)
    assert all(e.why["sustain_s"] == held.dials.sustain_s for e in events)
    assert all(e.cleared_s is None or e.cleared_s > e.raised_s for e in events)


@EVERY_READING
def test_the_command_line_and_the_bench_say_the_same(kind: SeriesKind) -> None:
    frames, setting = picture(), detector(kind)
    direct = kind.evaluate(frames, "d", REGIONS, kind.read_dials(setting))
    assert [e.as_dict() for e in subject_of(setting, frames).events()] == [e.as_dict() for e in direct]


@EVERY_READING
def test_sweeps_by_range_and_exact_ones_agree(kind: SeriesKind) -> None:
    held = subject_of(detector(kind), picture())
    marks = [Mark(1, 9, "expect"), Mark(31, 39, "expect")]
    for dial in kind.exact(held.dials):
        info = next(i for i in describe(kind.dials) if i.name == dial)
        low = max(info.low or 0.0, 0.5)
        high = min(low + 20 * (info.step or 1), info.high or 1e9)
        exact = held.sweep(dial, marks, low=low, high=high)
        for row in held.sweep(dial, marks, low=low, high=high, step=(high - low) / 7):
            [found] = [r for r in exact if r.start <= row.value <= r.stop][:1]
            near = min(row.value - found.start, found.stop - row.value) < 1e-6
            assert near or found.result[:6] == row.result[:6], (dial, row.value)


@EVERY_READING
def test_live_reads_what_the_take_read(kind: SeriesKind) -> None:
    frames, setting = picture(), detector(kind)
    dials = kind.read_dials(setting)
    [block] = frames.blocks()
    reader, seen = kind.reader(REGIONS, dials), {}
    for i, t in enumerate(frames.t_s.tolist()):
        one = frames_of(block[i : i + 1], np.array([t]), scale=0.04, offset_c=-273.15, recorded=frames.recorded)
        for name, (x, _) in reader.read(one, t).items():
            seen.setdefault(name, []).append((t, x))
    for name, series in kind.readings(frames, REGIONS, dials).items():
        assert [t for t, _ in seen[name]] == series.t_s.tolist()
        assert [x for _, x in seen[name]] == pytest.approx(series.x.tolist(), abs=1e-9)


def test_a_kind_says_the_unit_of_its_reading() -> None:
    heat, skin = kind_of("heat"), kind_of("skin")
    assert heat.unit(heat.dials()) == "°C"
    assert heat.unit(heat.dials(against="neighbours")) == "K"
    assert skin.unit(skin.dials(threshold="adaptive")) == "K"
    assert "never a diagnosis" in skin.notice


def test_what_does_not_fit_together_is_refused() -> None:
    s = Series(np.arange(3.0), np.zeros(3))
    with pytest.raises(Refused, match="a skin detector reads no series"):
        subject_of(detector(kind_of("skin")), {"face": s})
    with pytest.raises(Refused, match="no detector kind 'scent'"):
        kind_of("scent")


def test_a_screening_that_falls_short_of_the_standard_says_so() -> None:
    skin = kind_of("skin")
    assert "240 x 180" in skin.cautions(RecordedAs(), REGIONS, skin.dials(face_px=900))[0]
    assert skin.cautions(RecordedAs(), REGIONS, skin.dials(face_px=43_200)) == []
