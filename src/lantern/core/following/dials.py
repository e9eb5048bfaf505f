"""Dials of following: whom a head follows, for how long, how near it zooms, and where it looks ahead."""

from __future__ import annotations

from typing import Literal

from lantern.core.dials import Dials, dial

Choose = Literal["nearest", "first", "newest", "fastest"]


class FollowDials(Dials):
    """Times in s, places in m. A dial that is empty holds nothing back."""

    choose: Choose = dial("nearest", meaning="Whom of several it follows")
    switch_gain: float | None = dial(
        1.3, low=1.0, high=10.0, step=0.1, meaning="Switches to another that is better by so many times; empty: never"
    )
    dwell_s: float = dial(3.0, unit="s", low=0.0, high=600.0, step=0.5, meaning="Stays so long with one at least")
    cap_s: float | None = dial(
        60.0,
        unit="s",
        above=0.0,
        high=3600.0,
        step=1.0,
        reach=90.0,
        meaning="Follows one for so long at most; empty: as long as it is there",
    )
    again_s: float = dial(10.0, unit="s", low=0.0, high=3600.0, step=1.0, meaning="Then leaves it alone for so long")
    lost_s: float = dial(2.0, unit="s", above=0.0, high=60.0, step=0.5, meaning="Not seen for so long, it is lost")
    still_s: float = dial(1.0, unit="s", low=0.0, high=60.0, step=0.5, meaning="Then holds still for so long")
    afterwards: Literal["home", "stay"] = dial("home", meaning="What it does once there is nobody")
    zoom_by: Literal["share", "ratio"] = dial("share", meaning="Zooms to a share of the picture, or stays at one ratio")
    share_percent: float = dial(
        30.0, unit="%", low=2.0, high=95.0, step=1.0, meaning="So much of the picture's height is the target's"
    )
    ratio: float = dial(4.0, unit="x", low=1.0, high=60.0, step=0.5, reach=12.0, meaning="Zooms in so many times")
    arrive: Literal["wide", "zoomed"] = dial(
        "wide", meaning="How it comes: wide until the target is in the middle, or zoomed in"
    )
    target_height_m: float = dial(1.8, unit="m", low=0.2, high=20.0, step=0.1, meaning="How tall a target is")
    lead: bool = dial(True, meaning="Looks to where the target will be once it gets there")
    manoeuvre_mps2: float = dial(
        1.0, unit="m/s²", above=0.0, high=20.0, step=0.1, meaning="How sharply targets turn: how much the newest place counts",
        source="tracking index, Kalata 1984, from memory",
    )  # fmt: skip
    place_error_m: float = dial(0.3, unit="m", above=0.0, high=20.0, step=0.1, meaning="How far places are out")
    command_s: float = dial(0.2, unit="s", low=0.1, high=5.0, step=0.1, meaning="A command every so many seconds")


GROUPS = (
    ("Whom", ("choose", "switch_gain", "dwell_s", "cap_s", "again_s", "lost_s")),
    ("Zoom", ("zoom_by", "share_percent", "ratio", "arrive", "target_height_m")),
    ("Ahead", ("lead", "manoeuvre_mps2", "place_error_m", "command_s")),
    ("Afterwards", ("still_s", "afterwards")),
)


def matters(name: str, dials: FollowDials) -> bool:
    return {
        "share_percent": dials.zoom_by == "share",
        "ratio": dials.zoom_by == "ratio",
        "dwell_s": dials.switch_gain is not None,
        "again_s": dials.cap_s is not None,
        "manoeuvre_mps2": dials.lead,
        "place_error_m": dials.lead,
    }.get(name, True)
