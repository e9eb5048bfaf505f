"""The family of heads that turn: they follow whoever moves over the plan."""

from __future__ import annotations

from lantern.core.device_kind import DeviceKind
from lantern.core.family import Family
from lantern.core.following.detector import FollowDetector
from lantern.core.following.dials import GROUPS, FollowDials, matters
from lantern.core.following.kind import FollowKind
from lantern.core.following.subject import judge
from lantern.core.following.watch import FollowWatch
from lantern.core.tracks import Tracks


def _share(dials: FollowDials) -> str:
    return "%"


def _pair(dials: FollowDials) -> tuple[str, str]:
    zoom = "share_percent" if dials.zoom_by == "share" else "ratio"
    return (zoom, "cap_s") if dials.cap_s is not None else (zoom, "lost_s")


FOLLOW = FollowKind(
    name="follow",
    says="a head turns after whoever moves over the plan",
    dials=FollowDials,
    groups=GROUPS,
    matters=matters,
    unit=_share,
    pair=_pair,
)
FAMILY: Family[FollowDetector, FollowKind, Tracks] = Family(
    name="following",
    kinds=(FOLLOW,),
    devices=(
        DeviceKind(
            "ptz", "PTZ camera", ("plan-tracks", "tracks"), "steered", pictured=True, usual_height_m=(3.0, 15.0)
        ),
    ),
    judge=judge,
    watch=FollowWatch,
)
