"""The dials of a decision on faces."""

from __future__ import annotations

from typing import Literal

from lantern.core.dials import Dials, dial
from lantern.core.time_dials import DAY_S, rearm_dial


class FaceDials(Dials):
    """Looks become matches, matches raises; who has raised is announced again only after a while."""

    when: Literal["listed", "unlisted", "mask_off", "mask_on"] = dial(
        "listed", meaning="What raises: a face on a list, one on none, one without a mask, one with a mask"
    )
    threshold: float = dial(
        80.0,
        low=-1e6,
        high=1e6,
        step=0.1,
        meaning="A score at or above it matches, on the device's own scale; a list may have its own",
        source="none: a score means nothing before it is held against scores of this place",
    )
    min_looks: int = dial(
        1, unit="looks", low=1, high=1000, step=1, reach=6, meaning="So many looks that match before it raises"
    )
    looks_within_s: float = dial(
        10.0, unit="s", low=0.0, high=DAY_S, step=0.5, reach=30.0, meaning="The time within which they must come"
    )
    holdoff_s: float = dial(
        120.0,
        unit="s",
        low=0.0,
        high=DAY_S,
        step=5,
        reach=600.0,
        meaning="Who has raised is held off until not seen for so long",
        source="common practice: 60 to 300 s",
    )
    reannounce_s: float = dial(
        0.0,
        unit="s",
        low=0.0,
        high=DAY_S,
        step=10,
        reach=1800.0,
        meaning="Who stays in view raises again after so long; 0: never",
        source="common practice: 900 s",
    )
    rearm_s: float = rearm_dial(
        10.0,
        meaning="Of faces that are on no list, or go by a mask: what raises so soon after a raise is dropped",
        reach=120.0,
    )


GROUPS = (
    ("Match", ("when", "threshold", "min_looks", "looks_within_s")),
    ("Again", ("holdoff_s", "reannounce_s", "rearm_s")),
)
MASK, MASKS = "mask", {"mask_off": "none", "mask_on": "worn"}  # the column of a look's class, and the words in it
LISTED = {"min_looks", "looks_within_s", "holdoff_s", "reannounce_s"}


def matters(name: str, dials: FaceDials) -> bool:
    """Return whether the dial plays a part under these."""
    if dials.when in MASKS:
        return name in ("when", "rearm_s")
    if dials.when == "unlisted":
        return name not in LISTED
    if name == "looks_within_s":
        return dials.min_looks > 1
    return name != "rearm_s"
