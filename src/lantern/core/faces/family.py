"""The family of faces: looks of a face device with candidates and scores, held against lists."""

from __future__ import annotations

from lantern.core.device_kind import LENS, DeviceKind
from lantern.core.faces import dials as face_dials
from lantern.core.faces.dials import FaceDials
from lantern.core.faces.kind import FaceKind
from lantern.core.faces.subject import judge
from lantern.core.faces.watch import FaceWatch
from lantern.core.family import Family


def _score(dials: FaceDials) -> str:
    return ""


def _pair(dials: FaceDials) -> tuple[str, str]:
    return ("threshold", "holdoff_s") if dials.when == "listed" else ("threshold", "rearm_s")


FACE = FaceKind(
    name="face",
    says="a face is seen that is on a list, or on none",
    dials=FaceDials,
    groups=face_dials.GROUPS,
    matters=face_dials.matters,
    unit=_score,
    pair=_pair,
)
CAMERA = DeviceKind(
    "face",
    "face camera",
    ("faces",),
    "sends",
    pictured=True,
    figures=(LENS,),
    has_gallery=True,
    usual_height_m=(1.5, 3.5),
)
FAMILY = Family(
    name="faces",
    kinds=(FACE,),
    signals={"faces": "looks at faces"},
    devices=(CAMERA,),
    judge=judge,
    watch=FaceWatch,
)
