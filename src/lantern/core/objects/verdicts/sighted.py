"""A detector on tracks, and what can become of an object there, in words."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from typing import Any

from lantern.core.events import Event
from lantern.core.objects.dials import ObjectDials
from lantern.core.objects.filters import filtered
from lantern.core.objects.kinds import Found
from lantern.core.objects.region import ObjectDetector
from lantern.core.objects.shapes import watched_regions
from lantern.core.tracks import Tracks, stretch_of
from lantern.core.watching import Indices

WORDS = {
    "raised": "raised",
    "raised_false": "raised falsely",
    "outside_hours": "raised outside its hours",
    "rearm": "within the re-arm time",
    "class": "class filtered",
    "size": "size filtered",
    "confidence": "confidence filtered",
    "other_direction": "the other direction",
    "not_across": "not far enough across",
    "turned_back": "turned back inside the band",
    "beyond_end": "passed beyond the line's end",
    "unseen_before": "never wholly in view before the line",
    "too_short": "not long enough",
    "born_inside": "first seen inside",
    "still_inside": "last seen inside",
    "late": "took too long",
    "part": "part of the way",
    "away": "did not come near",
}
ORDER = tuple(WORDS)  # as legends list them

Find = Callable[[Tracks, Indices, Any, Any], list[Found]]


@dataclass(frozen=True, slots=True)
class Verdict:
    """`told` puts it into words: only when somebody asks, for a take has thousands of objects."""

    code: str
    told: Callable[[], str]

    @property
    def text(self) -> str:
        return self.told()

    def as_dict(self) -> dict[str, str]:
        return {"code": self.code, "text": self.text}


@dataclass(frozen=True)
class Sighted:
    """A detector on tracks, with the events it gave, and those it would have given without its re-arm time."""

    detector: ObjectDetector
    dials: ObjectDials
    tracks: Tracks
    events: tuple[Event, ...]
    raw: tuple[Event, ...]
    find: Find

    def raising(self, *, all_samples: bool = False, **changes: Any) -> frozenset[int]:
        """Objects (indices) that raise with other dials, before the re-arm time; `all_samples`: none is filtered out."""
        dials = self.dials.model_copy(update=changes)
        regions = self.detector.regions

        def look() -> frozenset[int]:
            left = self.tracks if all_samples else filtered(self.tracks, regions, dials)
            found = self.find(left, stretch_of(left, dials.gap_s), watched_regions(regions), dials)
            return frozenset(left.object[[each.raised for each in found]].tolist())

        without = " ".join(("raising without", *changes))  # a band that is dragged does not ask anew what none would do
        key = (
            without,
            all_samples,
            self.find,
            tuple(regions),
            dials.model_dump_json(exclude={"rearm_s", "rearm_extends"}),
        )
        return self.tracks.remember(key, look)
