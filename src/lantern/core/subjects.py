"""One door for all kinds: a detector and what a take holds, to what can be judged."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from lantern.core.events import Detector
from lantern.core.judged import Judged
from lantern.core.objects.subject import subject_of_tracks
from lantern.core.objects.tracks import Tracks
from lantern.core.signals import Frames, Series
from lantern.core.subject import subject_of_frames, subject_of_series


def subject_of(detector: Detector, signal: Frames | Mapping[str, Series] | Tracks, **how: Any) -> Judged:
    """`how` is passed on to readings of frames. Refuses a signal that the kind does not look at."""
    if isinstance(signal, Tracks):
        return subject_of_tracks(detector, signal)
    if isinstance(signal, Frames):
        return subject_of_frames(detector, signal, **how)
    return subject_of_series(detector, signal)
