"""A sample at a time gives what the whole take gives: every kind, every filter, pauses included."""

from __future__ import annotations

from typing import Any

import numpy as np
from hypothesis import given, settings
from hypothesis import strategies as st

from builders import subject_of
from lantern.core.events import Detector
from lantern.core.kinds import kind_of
from lantern.core.objects.following import Step
from lantern.core.objects.kind import TrackKind
from lantern.core.objects.region import ObjectRegion
from lantern.core.tracks import Seen, Tracks
from wandering import FIGURES, REGIONS, wandering

DIALS = st.fixed_dictionaries(
    {
        "anchor": st.sampled_from(["foot", "centre", "top"]),
        "rearm_s": st.sampled_from([0.0, 3.0]),
        "rearm_extends": st.booleans(),
        "gap_s": st.sampled_from([1.0, 5.0]),
    },
    optional={
        "min_confidence": st.just(0.5),
        "classes": st.just(("person",)),
        "min_height_px": st.just(8),
        "max_height_share": st.just(1.5),
        "min_height_m": st.just(1.2),
    },
)
OWN: dict[str, Any] = {
    "crossing": {"band": [0.0, 2.0], "direction": ["both", "a_to_b"], "across_percent": [0.0, 60.0]},
    "count": {"band": [0.0, 2.0], "reverse": [True, False]},
    "zone": {
        "when": ["enter", "leave", "inside"],
        "dwell_s": [0.0, 1.5],
        "born_inside": [True, False],
        "enter_after_s": [0.0, 0.5, 1.0],
        "leave_after_s": [0.0, 0.5, 1.5],
    },
    "path": {"within_s": [5.0, 30.0], "strict": [True, False], "band": [0.0, 1.0]},
}


def followed(kind: TrackKind, tracks: Tracks, regions: tuple[ObjectRegion, ...], dials: Any) -> list[Step]:
    follower = kind.follower(regions, dials, tracks.frame_px)
    out: list[Step] = []
    for t in np.unique(tracks.t_s).tolist():
        here = np.flatnonzero(tracks.t_s == t)
        seen = [
            Seen(
                tracks.ids[tracks.object[i]],
                tuple(tracks.box[i].tolist()),
                float(tracks.confidence[i]),
                tracks.classes[tracks.label[i]] if tracks.label[i] >= 0 else "",
                None if tracks.height_m is None or np.isnan(tracks.height_m[i]) else float(tracks.height_m[i]),
            )
            for i in here.tolist()
        ]
        out += follower.take(t, seen)
    out += follower.take(float(tracks.t_s.max()) + 1000, [])
    return out


@given(wandering(), st.sampled_from(list(OWN)), DIALS, st.randoms(use_true_random=False))
@settings(max_examples=200, deadline=None)
def test_live_equals_batch(tracks: Tracks, name: str, common: dict[str, Any], choose: Any) -> None:
    kind = kind_of(name)
    assert isinstance(kind, TrackKind)
    dials = common | {dial: choose.choice(values) for dial, values in OWN[name].items()}
    regions = (*REGIONS[name], *FIGURES)
    held = subject_of(Detector(name="d", kind=name, regions=regions, dials=dials), tracks)
    steps = followed(kind, tracks, regions, held.dials)
    key = lambda e: (e[0], e[1], str(e[2]))  # noqa: E731
    batch = sorted(((e.raised_s, e.region, e.object, e.direction) for e in held.events()), key=key)
    live = sorted(((s.at_s, s.region, s.object, s.direction) for s in steps if s.what == "raise"), key=key)
    assert live == batch
    if name == "zone" and held.dials.when == "inside":
        cleared = sorted(((e.cleared_s, e.region, e.object, e.cleared_by) for e in held.events()), key=key)
        told = sorted(((s.at_s, s.region, s.object, s.cleared_by) for s in steps if s.what == "clear"), key=key)
        assert told == cleared
