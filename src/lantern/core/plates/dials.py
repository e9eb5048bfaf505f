"""The dials of a plate reader's decision."""

from __future__ import annotations

from typing import Literal

from pydantic import field_validator

from lantern.core.dials import Dials, dial
from lantern.core.faults import Refused
from lantern.core.plates.syntax import template
from lantern.core.time_dials import gap_dial, rearm_dial


class PlateDials(Dials):
    """Reads become a vote, a vote a match, a match a raise."""

    when: Literal["listed", "unlisted", "any"] = dial(
        "listed", meaning="What raises: a plate on a list, one on none, or every plate"
    )
    min_confidence: float = dial(
        0.0,
        low=0.0,
        high=1.0,
        step=0.01,
        reach=1.0,
        meaning="Reads less sure than this do not count",
        source="the device's scale",
    )
    min_height_px: float | None = dial(
        None,
        unit="px",
        low=0.0,
        high=1000.0,
        step=0.5,
        meaning="Reads whose plate's box is lower than this, or that have no box, do not count; empty: all do",
    )
    gap_s: float = gap_dial(3.0, step=0.5, meaning="A longer pause of a vehicle begins another passage")
    min_reads: int = dial(
        3, unit="reads", low=1, high=10_000, step=1, reach=12, meaning="So many reads before anything is decided"
    )
    min_vote: float = dial(
        0.9, low=0.0, high=1.0, step=0.01, meaning="How sure the vote must be: the product over its characters"
    )
    tempering: float = dial(
        0.4,
        above=0.0,
        high=1.0,
        step=0.05,
        meaning="What a read counts in the vote: reads of one passage look at the same dirt and err together; 1 takes them for independent",
        source="common practice: 0.3 to 0.5",
    )
    calibration: float = dial(
        1.0,
        low=0.2,
        high=8.0,
        step=0.05,
        reach=4.0,
        meaning="How sure the reader's characters are taken to be: their log-odds divided by this; 1: as it says, more: less sure",
        source="temperature scaling (textbook)",
    )
    syntaxes: tuple[str, ...] = dial(
        (), meaning="Templates that plates follow: L a letter, D a digit, ? either, [..] a set; empty: none"
    )
    tolerance: float = dial(
        0.0,
        unit="edits",
        low=0.0,
        high=10.0,
        step=0.1,
        reach=2.0,
        meaning="How far the text may be from an entry: a confusable symbol costs 0.3, another 1, one lost or added 0.8; 0: exact",
    )
    runner_up: float = dial(
        0.3,
        unit="edits",
        low=0.0,
        high=10.0,
        step=0.1,
        reach=2.0,
        meaning="How much farther the next entry must be, where the match is not exact",
    )
    vehicle: Literal["any", "not_held", "attached"] = dial(
        "any",
        meaning="Must the plate go with a vehicle: no matter; unless it is held in a hand; only if it surely does",
    )
    wander: float = dial(
        0.05,
        unit="box",
        low=0.0,
        high=10.0,
        step=0.005,
        reach=0.2,
        meaning="How far a fixed plate may wander in its vehicle's box, RMS",
    )
    direction: Literal["any", "towards", "away"] = dial(
        "any", meaning="Which way the vehicle must go, by how its plate grows; a way that is not known is neither"
    )
    decide_after_s: float = dial(
        2.0,
        unit="s",
        low=0.0,
        high=86_400.0,
        step=0.5,
        reach=10.0,
        meaning="How long after the first read a plate may still turn out to be listed",
    )
    rearm_s: float = rearm_dial(10.0, meaning="Of one text: what raises so soon after a raise is dropped", reach=60.0)

    @field_validator("syntaxes")
    @classmethod
    def _templates(cls, texts: tuple[str, ...]) -> tuple[str, ...]:
        for text in texts:
            try:
                template(text)
            except Refused as error:
                fault = error.faults[0]
                raise ValueError(f"{fault.where.removeprefix('dials.')} {fault.what}: {fault.expected}") from error
        return texts


GROUPS = (
    ("List", ("when", "tolerance", "runner_up", "decide_after_s", "rearm_s")),
    ("Vehicle", ("vehicle", "wander", "direction")),
    ("Vote", ("min_vote", "min_reads", "tempering", "calibration", "syntaxes")),
    ("Reads", ("min_confidence", "min_height_px", "gap_s")),
)


def matters(name: str, dials: PlateDials) -> bool:
    """Return whether a dial plays a part under these."""
    if name in ("tolerance", "runner_up"):
        return dials.when != "any" and (name == "tolerance" or dials.tolerance > 0)
    if name == "decide_after_s":
        return dials.when == "unlisted"
    return name != "wander" or dials.vehicle != "any"
