"""What the page of the plan has to draw and to offer: devices with their promises, layers, fields; and what a drawing would give."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
import shapely
from pydantic import BaseModel
from shapely.geometry.base import BaseGeometry
from sqlalchemy.orm import Session

from lantern.core.optics.grades import EDITIONS
from lantern.core.optics.mount import WIDEST_DEG
from lantern.core.promise.claim import Around, Stood
from lantern.core.promise.claims import claims
from lantern.core.promise.mounts import mount_model
from lantern.core.promise.plan import AIM_SORTS, AREAS, MATERIALS, Aim, Plan
from lantern.core.promise.sight import sight
from lantern.core.promise.sound import MARGINS, Speaker
from lantern.core.promise.sound_field import louder
from lantern.formats.paper.sheet import PAPERS
from lantern.plan.actions import all_stood, around_of, plan_model
from lantern.plan.drawing import drawn, path, side_view
from lantern.plan.grounds import picture_of
from lantern.plan.paper import SCALES
from lantern.plan.tables import plan_of
from lantern.register.tables import DeviceRow, devices_of_site, pixels_of
from lantern.sites.tables import places_of

UNITS = {
    "m": "m", "deg": "°", "mm": "mm", "db": "dB", "watts": "W", "mps": "m/s", "kmh": "km/h", "s": "s", "fps": "Hz", "hour": "h",
}  # fmt: skip
NAMED = {
    "fps": "rate",
    "px_per_m": "wished",
    "f_number": "F-number",
    "pan_deg_s": "turns at",
    "pan_from_deg": "turns from, north 0",
    "pan_to_deg": "clockwise to",
    "tilt_from_deg": "highest look, down +",
    "tilt_to_deg": "lowest look",
    "char_mm": "character height",
    "stroke_mm": "stroke of it",
    "heading_deg": "faces, from north",
    "depth_m": "capture depth",
    "target_m": "size of the target",
    "baseline_m": "between its eyes",
    "blind_s": "unseen at most",
}  # where a key alone would not do
UNOFFERED = ("pixels", "min_speed_mps")  # of a mount: from the device, and rarely changed
# what can be drawn by hand: how it is called, what it is begun with, and how many corners it has at least
THINGS: dict[str, dict[str, Any]] = {
    "building": {
        "words": "Building", "list": "occluders", "fewest": 3, "closed": True,
        "first": {"height_m": 4.0, "closed": True, "material": "concrete"},
    },
    "wall": {"words": "Wall", "list": "occluders", "fewest": 2, "first": {"height_m": 2.5, "material": "metal"}},
    "water": {"words": "Water", "list": "outlines", "fewest": 3, "closed": True, "first": {"what": "water"}},
    "road": {"words": "Road", "list": "outlines", "fewest": 2, "first": {"what": "road"}},
    "pier": {"words": "Pier", "list": "outlines", "fewest": 3, "closed": True, "first": {"what": "pier"}},
    "line": {"words": "Line", "list": "outlines", "fewest": 2, "first": {"what": "line"}},
    "place": {"words": "Place", "list": "places", "fewest": 3, "closed": True},
    "aim": {"words": "Aim", "list": "aims", "fewest": 1},
}  # fmt: skip
HEIGHTS = {0.0: "the ground", 0.5: "a plate, 0.5 m up", 1.6: "a face, 1.6 m up"}
AS_FIRST: dict[str, Any] = {
    "height_m": 4.0, "azimuth_deg": 0.0, "tilt_deg": 20.0, "focal_mm": 6.0, "sensor_width_mm": 5.37, "sector_deg": 100.0,
    "range_m": 30.0, "sensitivity_db": 100.0, "watts": 10.0, "angle_deg": 90.0, "pixels": [1280, 720],
}  # fmt: skip

AIM_FIRST: dict[str, dict[str, Any]] = {
    "density": {"px_per_m": 62.5},
    "reading": {
        "height_m": 0.5,
        "heading_deg": 0.0,
        "speed_kmh": 30.0,
        "shutter_s": 0.001,
        "fps": 12.5,
        "depth_m": 6.0,
    },
    "likeness": {"height_m": 1.6},
    "following": {"speed_kmh": 10.0, "px_per_m": 62.5, "target_m": 1.8},
}


def plan_page(session: Session, site_id: int, *, edits: bool, height_m: float) -> dict[str, Any]:
    """Return all of it, as the site stands; what cameras cover is at a height above the ground."""
    plan, row = plan_model(session, site_id), plan_of(session, site_id)
    stood, wrong = all_stood(session, site_id)
    around = around_of(session, site_id, plan, stood)
    picture = picture_of(session, site_id, plan.picture)
    places = places_of(session, site_id)
    return {
        "plan": plan.model_dump(mode="json", exclude_none=True),
        "revision": row.revision if row else 0,
        "pictures": {} if picture is None else {picture.name: picture.as_dict()},
        "places": [{"id": place.id, "name": place.name, "polygon": place.extras.get("polygon")} for place in places],
        "offers": _offers(),
        "height": height_m,
        "heights": HEIGHTS,
        "devices": [
            _device(device, stood.get(device.code), wrong, around, height_m)
            for device in devices_of_site(session, site_id)
        ],
        "edits": edits,
        "widest": WIDEST_DEG,
        "papers": list(PAPERS),
        "scales": list(SCALES),
        **layers(around, height_m),
    }


def tried(
    session: Session, site_id: int, plan: Plan, *, height_m: float, dragged: bool, chosen: int | None = None
) -> dict[str, Any]:
    """Return what the mounted devices would give on another plan; nothing is kept, and no cure is looked for.
    `dragged`: more will follow, and what all of them give together can wait. `chosen`: the device that is seen from the
    side too.
    """
    stood, _ = all_stood(session, site_id)
    around = around_of(session, site_id, plan, stood)
    devices: dict[int, dict[str, Any]] = {
        device.id: {
            "drawn": drawn(found, plan, height_m),
            "claims": [c.as_dict() for c in claims(found, around, cured=False)],
        }
        for device in devices_of_site(session, site_id)
        if (found := stood.get(device.code)) is not None
    }
    for device in devices_of_site(session, site_id):
        if device.id == chosen and device.id in devices:
            devices[device.id]["side"] = side_view(stood[device.code], plan)
    return {"devices": devices} if dragged else {"devices": devices, **layers(around, height_m)}


def layers(around: Around, height_m: float) -> dict[str, Any]:
    """Return what is of no one device: sizes, grades, what nobody sees and what several do, how loud it is."""
    plan, everyone = around.plan, around.others
    seen = sight(everyone, plan, height_m)
    speakers = [each.mount for each in everyone if isinstance(each.mount, Speaker)]
    return {
        "size": [plan.width_m, plan.height_m],
        "grades": EDITIONS[plan.edition].grades,
        "edition": plan.edition,
        "unseen": {"share": seen.unseen_share, "path": path(seen.unseen)},
        "twice": {"share": seen.twice_share, "path": path(seen.twice)},
        "loud": [{"level": level, "path": path(area), "at": _lowest(area)} for level, area in louder(speakers, plan)],
    }


def _lowest(area: BaseGeometry) -> tuple[float, float]:
    """Return where its outline lies farthest south: a place for its name."""
    corners = shapely.get_coordinates(area)
    x, y = corners[int(np.argmin(corners[:, 1]))]
    return float(x), float(y)


def _device(
    device: DeviceRow, found: Stood | None, wrong: Mapping[str, str], around: Around, height_m: float
) -> dict[str, Any]:
    model = mount_model(device.kind)
    return {
        "id": device.id,
        "code": device.code,
        "name": device.name,
        "kind": device.kind,
        "placed": "mount" in device.extras,
        "mount": device.extras.get("mount"),
        "fields": [] if model is None else _fields(model, [key for key in model.model_fields if key not in UNOFFERED]),
        "first": _first(device, model),
        "wrong": wrong.get(device.code, ""),
        "drawn": drawn(found, around.plan, height_m) if found else None,
        "claims": [c.as_dict() for c in claims(found, around, cured=False)] if found else [],
    }


def _offers() -> dict[str, Any]:
    """Return what can be drawn and said, with the fields of each sort."""
    return {
        "things": THINGS,
        "areas": list(AREAS),
        "materials": list(MATERIALS),
        "margins": list(MARGINS),
        "editions": list(EDITIONS),
        "aims": {
            what: {"title": title, "shape": shape, "fields": _fields(Aim, fields), "first": AIM_FIRST.get(what, {})}
            for what, (title, shape, fields) in AIM_SORTS.items()
        },
    }


def _fields(model: type[BaseModel], keys: Sequence[str]) -> list[dict[str, Any]]:
    """Fields with their labels and units. `optional`: it may be left empty."""
    out = []
    for key in keys:
        words, _, last = key.rpartition("_")
        if key in NAMED or not words:
            words = NAMED.get(key, key)
        label = words.replace("_", " ").removesuffix(" deg").removesuffix(" per")
        unit = {"px_per_m": "px/m", "pan_deg_s": "°/s"}.get(key, UNITS.get(last, ""))
        field = model.model_fields[key]
        out.append(
            {"key": key, "label": label[:1].upper() + label[1:], "unit": unit, "optional": not field.is_required(),
             "default": None if field.is_required() else field.default}
        )  # fmt: skip
    return out


def _first(device: DeviceRow, model: type[BaseModel] | None) -> dict[str, Any]:
    """Return what a device that is put on the plan for the first time begins with."""
    if model is None:
        return {}
    document = {key: AS_FIRST[key] for key in model.model_fields if key in AS_FIRST}
    if "pixels" in document and pixels_of(device) is not None:
        del document["pixels"]
    return document
