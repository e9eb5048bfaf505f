"""By what following is judged: how long targets are in the picture, how large, who is lost from it and who is never seen."""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple

import numpy as np

from lantern.core.following.simulation import STEP_S, Followed
from lantern.core.tuning.measures import Figures, Measure, Plain, Wish

ENOUGH_PERCENT = 90.0  # in the picture; common practice, no source
SMALL_TENTH = 10  # percentile of the heights: in nine tenths of the time a target is at least so high
GLIMPSE_S = 2.0  # somebody who was there for less is nobody to follow


class Measured(NamedTuple):
    """What dials bring about on a take, by the measures' names; None: there was nobody."""

    in_percent: float | None
    lost_from_picture: int
    never_seen: int
    target_px: float | None
    first_s: float | None


IN_PICTURE = Measure(
    name="in_percent",
    label="in the picture, %",
    form="{} % in the picture",
    better="more",
    ideal=100.0,
    pool="worst",
    slight=1.0,
    wish=Wish(
        name="in_percent",
        label="At least so much of the time in the picture, in %",
        words=("≥", "% in the picture"),
        high=100.0,
        expected="0 to 100 %",
        helps=lambda *_: "a smaller share of the picture, a longer cap, or a head that turns faster",
    ),
)
LOSSES = Measure(name="lost_from_picture", label="lost from the picture", form="{} lost from the picture")
UNSEEN = Measure(
    name="never_seen",
    label="never seen",
    form="{} never seen",
    wish=Wish(
        name="never_seen",
        label="At most so many who are never seen",
        words=("≤", "never seen"),
        helps=lambda *_: "a shorter cap, or a switch to those who come later",
    ),
)
HEIGHT = Measure(
    name="target_px",
    label="px high, nine tenths of it",
    form="{} px high",
    better="more",
    ideal=1000.0,
    pool="worst",
    slight=5.0,
    wish=Wish(
        name="target_px",
        label="At least so high in the picture, in px",
        words=("≥", "px high"),
        high=10_000.0,
        helps=lambda *_: "a larger share of the picture, or a longer lens",
    ),
)
FIRST = Measure(
    name="first_s",
    label="first seen after, s, median",
    form="first seen after {} s",
    pool="worst",
    parts=False,
    slight=0.5,
)


class FollowYardstick(Plain):
    """Nothing need be marked: that somebody was there says what should have been in the picture."""

    def standing(self, cards: Sequence[Figures]) -> str:
        if not cards:
            return "no take"
        known = [dict(zip((m.name for m in card.measures), card.values, strict=True)) for card in cards]
        short = any(
            (each["in_percent"] or 0.0) < ENOUGH_PERCENT or each["never_seen"]
            for each in known
            if each["in_percent"] is not None
        )
        return "misses" if short else "steady"


FOLLOWING = FollowYardstick(measures=(IN_PICTURE, LOSSES, UNSEEN, HEIGHT, FIRST))


def measured(done: Followed, wanted: np.ndarray) -> Measured:
    """`wanted` (k,): the places of those who may be followed. Of these everybody counts who was there for a while."""
    counts = (
        np.bincount(done.who[wanted], minlength=len(done.ids))
        if wanted.any()
        else np.zeros(len(done.ids), dtype=np.intp)
    )
    long = counts >= GLIMPSE_S / STEP_S - 1e-6
    mine = wanted & long[done.who] if done.who.size else wanted
    if not mine.any():
        return Measured(None, len(done.losses), 0, None, None)
    inside = done.inside[mine]
    seen = np.bincount(done.who[mine], weights=inside, minlength=len(done.ids))
    firsts = [s for who, s in done.first_s.items() if long[who] and s is not None]
    heights = done.height_px[mine][inside]
    return Measured(
        round(100 * float(inside.mean()), 1),
        len(done.losses),
        int((long & (seen == 0)).sum()),
        round(float(np.percentile(heights, SMALL_TENTH)), 1) if heights.size else None,
        round(float(np.median(firsts)), 2) if firsts else None,
    )
