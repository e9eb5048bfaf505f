"""The family of objects on their way: tracks in a picture or on a plan, decided object by object."""

from __future__ import annotations

from lantern.core.axis import Axis
from lantern.core.device_kind import DeviceKind, Figure, Figures
from lantern.core.family import Family
from lantern.core.objects import dials as object_dials
from lantern.core.objects import kinds as objects
from lantern.core.objects.counting.occupancy import REGION as OCCUPANCY
from lantern.core.objects.dials import ObjectDials
from lantern.core.objects.kind import AnyTrackKind, Arrows, TrackKind
from lantern.core.objects.region import ObjectDetector
from lantern.core.objects.subject import judge
from lantern.core.objects.watch import object_watch
from lantern.core.tracks import Tracks


def _people(dials: ObjectDials) -> str:
    return "people"


def _by_band(dials: ObjectDials) -> tuple[str, str]:
    return "rearm_s", "band"


def _by_dwell(dials: ObjectDials) -> tuple[str, str]:
    return "rearm_s", "dwell_s"


CROSSING = TrackKind(
    name="crossing",
    says="an object crosses a line",
    dials=object_dials.CrossingDials,
    groups=object_dials.CROSSING_GROUPS,
    matters=object_dials.matters,
    find=objects.find_crossings,
    watches="line",
    arrows=Arrows({"a_to_b": (1,), "b_to_a": (-1,), "both": (1, -1)}, dial="direction"),
    pair=_by_band,
)
ZONE = TrackKind(
    name="zone",
    says="an object enters a zone, leaves it, or stays inside",
    dials=object_dials.ZoneDials,
    groups=object_dials.ZONE_GROUPS,
    matters=object_dials.matters,
    find=objects.find_visits,
    watches="zone",
    pair=_by_dwell,
)
COUNT = TrackKind(
    name="count",
    says="people pass a line, in and out; more are inside than may be",
    dials=object_dials.CountDials,
    groups=object_dials.COUNT_GROUPS,
    matters=object_dials.matters,
    find=objects.find_crossings,
    watches="line",
    beside=OCCUPANCY,
    arrows=Arrows({"false": (1,), "true": (-1,)}, dial="reverse"),
    counts=True,
    axis=Axis(lane="inside"),
    truth=("marks", "counts"),
    unit=_people,
    pair=_by_band,
)
PATH = TrackKind(
    name="path",
    says="an object takes lines and zones in their order",
    dials=object_dials.PathDials,
    groups=object_dials.PATH_GROUPS,
    matters=object_dials.matters,
    find=objects.find_paths,
    watches="both",
    whole="path",
    ordered=True,
    pair=_by_band,
)
STEREO = Figures(
    "Stereo",
    (
        Figure("mount_m", "Mounted at", "m"),
        Figure("f_px", "Focal length", "px"),
        Figure("baseline_mm", "Baseline", "mm"),
        Figure("disparity_px", "Disparity error", "px"),
    ),
    what_for="for the error of heights; may stay empty",
)
TRACKS = ("tracks", "plan-tracks")
FAMILY: Family[ObjectDetector, AnyTrackKind, Tracks] = Family(
    name="objects",
    kinds=(CROSSING, ZONE, COUNT, PATH),
    signals={"tracks": "tracks of objects", "plan-tracks": "tracks over the floor"},
    devices=(
        DeviceKind("camera", "camera that sends objects", TRACKS, "asked", pictured=True, usual_height_m=(2.5, 8.0)),
        DeviceKind(
            "counter",
            "counter that sends objects",
            TRACKS,
            "asked",
            pictured=True,
            figures=(STEREO,),
            usual_height_m=(2.2, 5.0),
        ),
    ),
    judge=judge,
    watch=object_watch,
)
