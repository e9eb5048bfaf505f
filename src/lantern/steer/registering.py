"""A head registered to the plan: places that it is driven onto, its zoom measured, and the presets that it should know."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any, Literal

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.core.modelled import Strict
from lantern.core.ptz.pointing import Direction
from lantern.core.ptz.seen_by import Pixel, SeenBy
from lantern.core.ptz.turned import DRIFT_DEG, Kept, Onto, Pointing, Turned, preset_findings
from lantern.core.ptz.units import FEWEST
from lantern.core.ptz.zoom import ZoomCurve
from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.devices.onvif.imaging import Imaging, Picture
from lantern.devices.onvif.ptz import Position, Preset, Ptz
from lantern.duty.holding import take_hold
from lantern.register.devices import change_device
from lantern.register.heads import Steered, picture_of, steered_of, turned_of
from lantern.register.tables import DeviceRow, device_by_code, pixels_of
from lantern.steer.heads import known_pointing, speak, steered_with
from lantern.steer.matching import MATCHING, begin_matching
from lantern.steer.zooming import MEASURING, begin_measuring
from lantern.web.access import may, tell
from lantern.web.answers import json_answer
from lantern.web.door import user_id

router = APIRouter()
ROUTINE_S = 120.0  # so long what it does by itself may take; it is held for it meanwhile


class Place(Strict):
    """A place of the plan that it looks at now."""

    x_m: float = Field(ge=-1e6, le=1e6)
    y_m: float = Field(ge=-1e6, le=1e6)
    z_m: float = Field(default=0.0, ge=-100, le=1000)


def registration_shown(steered: Steered) -> dict[str, Any]:
    """Return how it is registered: each place with what it is missed by, and what a reader should know."""
    pointing = steered.pointing
    if pointing is None:
        return {"pairs": [], "known": False, "said": [], "zoom": [], "kept": [], "needs": FEWEST}
    turned = pointing.turned
    head = pointing.head
    out: dict[str, Any] = {
        "head": [head.x_m, head.y_m],
        "known": False,
        "needs": FEWEST,
        "said": [],
        "pairs": [pair.model_dump() | {"off_deg": None, "left_out_deg": None} for pair in turned.pairs],
        "check": None if turned.check is None else turned.check.model_dump(),
        "zoom": [list(each) for each in turned.zoom],
        "kept": [each.model_dump() for each in turned.presets],
        "seen": {},
    }
    if not pointing.is_known:
        return out
    try:
        units = pointing.units
    except Refused as refused:
        return out | {"said": [f"{fault.where}: {fault.what}; expected {fault.expected}" for fault in refused.faults]}
    for at, shown in enumerate(out["pairs"]):
        left = pointing.left_out(at)
        shown |= {
            "off_deg": round(pointing.off_deg(turned.pairs[at]), 2),
            "left_out_deg": None if left is None else round(left, 2),
        }
    way = "clockwise" if units.pan_scale_deg > 0 else "the other way round"
    up = "up" if units.tilt_scale_deg < 0 else "down"
    line = (
        f"Its own pan 0 looks to {units.pan_zero_deg:.1f}°, a unit is {abs(units.pan_scale_deg):.1f}° {way}; "
        f"positive tilt is {up}, a unit {abs(units.tilt_scale_deg):.1f}°. Missed by {units.rms_deg:.2f}° in the mean."
    )
    seen = {each.of: _seen_shown(pointing, each.of) for each in turned.seen}
    return out | {"known": True, "line": line, "said": pointing.warnings(), "seen": seen}


def _seen_shown(pointing: Pointing, of: str) -> dict[str, Any]:
    """How a fixed picture is registered: each pair with what it is missed by, and where in the picture it would be."""
    fitted = pointing.seen_by(of)
    assert fitted is not None
    pairs: list[dict[str, Any]] = [{"u_px": pair.u_px, "v_px": pair.v_px} for pair in fitted.seen_by.pairs]
    out: dict[str, Any] = {"model": fitted.seen_by.model, "known": False, "pairs": pairs, "said": []}
    try:
        off, onto = fitted.off_deg, fitted.onto.tolist()
        for at, shown in enumerate(pairs):
            there = fitted.pixel(Direction(*onto[at]))
            left = fitted.left_out(at)
            shown |= {
                "off_deg": round(off[at], 2),
                "left_out_deg": None if left is None else round(left, 2),
                "there": None if there is None else [round(each, 1) for each in there],
            }
    except Refused as refused:
        return out | {"said": [f"{fault.what}; expected {fault.expected}" for fault in refused.faults]}
    field = f", {fitted.field_deg:.1f}° wide" if fitted.seen_by.model == "rotation" else ""
    line = f"{len(pairs)} pairs{field}, missed by {fitted.rms_deg:.2f}° in the mean."
    return out | {"known": True, "line": line, "rms_deg": fitted.rms_deg, "said": fitted.warnings()}


def changed(
    request: Request, session: Session, row: DeviceRow, change: Callable[[Turned], Turned], reason: str
) -> Response:
    """Keep what was changed of its registration, as a state of the device with its reason."""
    session.refresh(row, with_for_update=True)  # what two people add at one time are two
    turned = change(turned_of(row))
    document = {"turned": turned.model_dump(mode="json")}
    change_device(session, row, document, place=row.place, user_id=user_id(request), reason=reason)
    tell(request, f"{row.code}: {reason}")
    return json_answer(registration_shown(steered_of(session, row)))


def _now(steered: Steered) -> Position:
    """Return where it looks. Raises `Refused` while it moves: what it looks at then is nothing."""
    position = speak(steered, "asks", lambda head: head.status())
    if position.moving:
        raise Refused([Fault(f"device {steered.code}", "it moves still", "once it has come to rest")])
    return position


@router.post("/devices/{device_id}/steer/pairs", **may("engineer"))
def take_pair(request: Request, device_id: Id, place: Place) -> Response:
    """It looks at this place of the plan now."""
    with transaction() as session:
        steered = steered_with(session, device_id)
    position = _now(steered)
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        pair = Onto(pan=position.pan, tilt=position.tilt, x_m=place.x_m, y_m=place.y_m, z_m=place.z_m)

        def add(turned: Turned) -> Turned:
            return turned.model_copy(update={"pairs": (*turned.pairs, pair)})

        return changed(request, session, row, add, f"Registered to x {place.x_m:g}, y {place.y_m:g}.")


@router.delete("/devices/{device_id}/steer/pairs/{at}", **may("engineer"))
def drop_pair(request: Request, device_id: Id, at: Count) -> Response:
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)

        def drop(turned: Turned) -> Turned:
            if at >= len(turned.pairs):
                raise Refused([Fault("pair", str(at), f"0 to {len(turned.pairs) - 1}")])
            return turned.model_copy(update={"pairs": turned.pairs[:at] + turned.pairs[at + 1 :]})

        return changed(request, session, row, drop, "A place of its registration was taken away.")


class InPicture(Strict):
    """A pixel of a fixed picture: what is there, it looks at now."""

    u_px: float = Field(ge=-1e5, le=1e5)
    v_px: float = Field(ge=-1e5, le=1e5)


@router.post("/devices/{device_id}/steer/seen/{of}", **may("engineer"))
def take_seen(request: Request, device_id: Id, of: str, asked: InPicture) -> Response:
    """It looks now at what this pixel of a fixed picture shows: of a camera's, or of another body of the same device."""
    with transaction() as session:
        steered = steered_with(session, device_id)
    known_pointing(steered)
    position = _now(steered)
    size: tuple[int, int] | None = None
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        camera = device_by_code(session, row.site_id, of)
        if camera is not None:
            size = pixels_of(camera)
    if camera is None:
        found = speak(steered, "asks", lambda head: head.profiles())
        body = next((each for each in found if each.token == of and not each.turns), None)
        if body is not None and body.width and body.height:
            size = (body.width, body.height)
    if size is None:
        raise Refused(
            [Fault("seen", f"{of[:40]!r} is no fixed picture of known size", "a camera of this site, or a body")]
        )
    fresh = SeenBy(of=of, model="ground" if camera is not None else "rotation", size=size)
    pixel = Pixel(u_px=asked.u_px, v_px=asked.v_px, pan=position.pan, tilt=position.tilt)

    def add(turned: Turned) -> Turned:
        held = next((each for each in turned.seen if each.of == of), fresh)
        more = held.model_copy(update={"pairs": (*held.pairs, pixel)})
        return turned.model_copy(update={"seen": (*(each for each in turned.seen if each.of != of), more)})

    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        return changed(request, session, row, add, f"Registered to the picture of {of}.")


@router.delete("/devices/{device_id}/steer/seen/{of}/{at}", **may("engineer"))
def drop_seen(request: Request, device_id: Id, of: str, at: Count) -> Response:
    def drop(turned: Turned) -> Turned:
        held = next((each for each in turned.seen if each.of == of), None)
        if held is None or at >= len(held.pairs):
            raise Refused([Fault("pair", f"{of[:40]!r} {at}", "a pair that there is")])
        rest = held.model_copy(update={"pairs": held.pairs[:at] + held.pairs[at + 1 :]})
        kept = (*(each for each in turned.seen if each.of != of), *((rest,) if rest.pairs else ()))
        return turned.model_copy(update={"seen": kept})

    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        return changed(request, session, row, drop, f"A pair of {of} was taken away.")


@router.put("/devices/{device_id}/steer/check", **may("engineer"))
def take_check(request: Request, device_id: Id, place: Place) -> Response:
    """It looks at its check point now: later it is measured again."""
    with transaction() as session:
        steered = steered_with(session, device_id)
    position = _now(steered)
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        check = Onto(pan=position.pan, tilt=position.tilt, x_m=place.x_m, y_m=place.y_m, z_m=place.z_m)

        def keep(turned: Turned) -> Turned:
            return turned.model_copy(update={"check": check})

        return changed(
            request, session, row, keep, f"Its check point was measured at x {place.x_m:g}, y {place.y_m:g}."
        )


# ---- by itself ---------------------------------------------------------------------------------------------------------


@router.post("/devices/{device_id}/steer/matching/{of}", **may("engineer", "had a head registered by itself"))
def match(request: Request, device_id: Id, of: str) -> Response:
    """Have it look at one place of the fixed picture after another, and see where its own picture lies on it."""
    with transaction() as session:
        take_hold(request, session, device_id, for_s=ROUTINE_S)
        steered = steered_with(session, device_id)
    begin_matching(steered, of)
    return json_answer(MATCHING.told(device_id))


@router.get("/devices/{device_id}/steer/matching", **may("viewer"))
def match_progress(device_id: Id) -> Response:
    return json_answer(MATCHING.told(device_id))


@router.delete("/devices/{device_id}/steer/matching", **may("engineer"))
def stop_match(device_id: Id) -> Response:
    MATCHING.stop(device_id)
    return json_answer(MATCHING.told(device_id))


@router.put("/devices/{device_id}/steer/matching/{of}", **may("engineer"))
def keep_match(request: Request, device_id: Id, of: str) -> Response:
    """Keep what was found last, in place of the pairs of before."""
    pairs = tuple(Pixel(u_px=u, v_px=v, pan=pan, tilt=tilt) for u, v, pan, tilt in MATCHING.found(device_id))

    def keep(turned: Turned) -> Turned:
        held = next((each for each in turned.seen if each.of == of), None)
        if held is None:
            raise Refused([Fault("seen", f"{of[:40]!r} is no picture that it is registered to", "one that is")])
        fresh = held.model_copy(update={"pairs": pairs})
        return turned.model_copy(update={"seen": (*(each for each in turned.seen if each.of != of), fresh)})

    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        return changed(request, session, row, keep, f"Registered to {of} by itself, by {len(pairs)} pairs.")


# ---- zoom ------------------------------------------------------------------------------------------------------------


@router.post("/devices/{device_id}/steer/zoom", **may("engineer", "had a head's zoom measured"))
def measure_zoom(request: Request, device_id: Id) -> Response:
    """Measure its zoom from its own pictures; it moves a little at each value."""
    with transaction() as session:
        take_hold(request, session, device_id, for_s=ROUTINE_S)
        steered = steered_with(session, device_id)
    begin_measuring(steered)
    return json_answer(MEASURING.told(device_id))


@router.get("/devices/{device_id}/steer/zoom", **may("viewer"))
def zoom_progress(device_id: Id) -> Response:
    return json_answer(MEASURING.told(device_id))


@router.delete("/devices/{device_id}/steer/zoom", **may("engineer"))
def stop_zoom(device_id: Id) -> Response:
    MEASURING.stop(device_id)
    return json_answer(MEASURING.told(device_id))


@router.put("/devices/{device_id}/steer/zoom", **may("engineer"))
def keep_zoom(request: Request, device_id: Id) -> Response:
    """Keep what was measured last."""
    found = MEASURING.found(device_id)
    ZoomCurve(found)  # it must make one
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)

        def keep(turned: Turned) -> Turned:
            return turned.model_copy(update={"zoom": tuple((each.unit, each.field_deg) for each in found)})

        return changed(request, session, row, keep, f"Its zoom was measured at {len(found)} values.")


# ---- presets ---------------------------------------------------------------------------------------------------------


def _where(head: Ptz) -> tuple[list[Preset], Position]:
    return head.presets(), head.status()


@router.get("/devices/{device_id}/steer/presets", **may("viewer"))
def presets(device_id: Id) -> Response:
    """The presets that it should know beside those that it has, and what is wrong between both."""
    with transaction() as session:
        steered = steered_with(session, device_id)
    known, position = speak(steered, "asks", _where)
    turned = Turned() if steered.pointing is None else steered.pointing.turned
    held = {each.token: each.name for each in known}
    rows = [
        {
            "number": each.number,
            "name": each.name,
            "token": each.token,
            "there": held.get(each.token),
            "drift_deg": _drift(steered, each, position),
            "sharp_s": each.sharp_s,
        }
        for each in turned.presets
    ]
    mine = {each.token for each in turned.presets}
    rows += [
        {"number": None, "name": None, "token": each.token, "there": each.name, "drift_deg": None, "sharp_s": None}
        for each in known
        if each.token not in mine
    ]
    findings = preset_findings(turned.presets, [(each.token, each.name) for each in known])
    return json_answer({"rows": rows, "findings": findings, "most_drift_deg": DRIFT_DEG})


def _drift(steered: Steered, kept: Kept, position: Position) -> float | None:
    """How far it looks now from where the preset should: told while it rests there."""
    pointing = steered.pointing
    if pointing is None or not pointing.is_known or position.moving:
        return None
    return round(pointing.drift_deg(kept, position.pan, position.tilt), 2)


class PresetIn(Strict):
    """`with_picture`: focus, exposure and filter as they are now belong to it."""

    name: str = Field(min_length=1, max_length=80)
    token: str = Field(default="", max_length=80)
    with_picture: bool = False


@router.put("/devices/{device_id}/steer/kept/{number}", **may("engineer"))
def keep_preset(request: Request, device_id: Id, number: Count, asked: PresetIn) -> Response:
    """Keep where it looks now as the preset of that number; the device's own is another thing, and may be written by it."""
    with transaction() as session:
        steered = steered_with(session, device_id)
    position = _now(steered)
    made = speak(steered, "asks", _made) if asked.with_picture else Picture()
    manual = made.exposure_mode == "MANUAL"
    kept = Kept(
        number=number,
        name=asked.name,
        token=asked.token,
        pan=position.pan,
        tilt=position.tilt,
        zoom=position.zoom,
        focus=made.focus,
        exposure_us=made.exposure_us if manual else None,
        gain_db=made.gain_db if manual else None,
        ir_cut=made.ir_cut,
    )

    def keep(turned: Turned) -> Turned:
        others = [each for each in turned.presets if each.number != number]
        return turned.model_copy(update={"presets": tuple(sorted([*others, kept], key=lambda each: each.number))})

    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        return changed(request, session, row, keep, f"Preset {number} is {asked.name}.")


def _made(head: Ptz) -> Picture:
    return Imaging(head.held).picture(head.source)


@router.delete("/devices/{device_id}/steer/kept/{number}", **may("engineer"))
def drop_preset(request: Request, device_id: Id, number: Count) -> Response:
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)

        def drop(turned: Turned) -> Turned:
            return turned.model_copy(
                update={"presets": tuple(each for each in turned.presets if each.number != number)}
            )

        return changed(request, session, row, drop, f"Preset {number} is none any more.")


def kept_preset(steered: Steered, number: int) -> Kept:
    """Raises `Refused` for a number that none is kept of."""
    turned = Turned() if steered.pointing is None else steered.pointing.turned
    kept = next((each for each in turned.presets if each.number == number), None)
    if kept is None:
        raise Refused([Fault("preset", str(number), "the number of one that is kept here")])
    return kept


@router.post("/devices/{device_id}/steer/kept/{number}/go", **may("operator"))
def go_to_kept(request: Request, device_id: Id, number: Count) -> Response:
    """Have it look where the preset should, with its picture made so. Answers under what name and token the device may keep that."""
    with transaction() as session:
        take_hold(request, session, device_id)
        steered = steered_with(session, device_id)
    kept = kept_preset(steered, number)

    def go(head: Ptz) -> None:
        head.absolute(kept.pan, kept.tilt, kept.zoom)
        wanted = picture_of(kept)
        if wanted != Picture():
            Imaging(head.held).make(head.source, wanted)

    speak(steered, "moves", go)
    return json_answer({"then": {"name": kept.name, "token": kept.token or None}})


# ---- its picture -----------------------------------------------------------------------------------------------------


class Made(Strict):
    """How its picture is to be made; what is null stays as it is."""

    focus_mode: Literal["AUTO", "MANUAL"] | None = None
    focus: float | None = Field(default=None, ge=0, le=1)
    exposure_mode: Literal["AUTO", "MANUAL"] | None = None
    exposure_us: float | None = Field(default=None, gt=0, le=1e8)
    gain_db: float | None = Field(default=None, ge=-20, le=100)
    ir_cut: Literal["ON", "OFF", "AUTO"] | None = None


@router.get("/devices/{device_id}/steer/made", **may("viewer"))
def picture_made(device_id: Id) -> Response:
    """How its picture is made."""
    with transaction() as session:
        steered = steered_with(session, device_id)
    return json_answer(speak(steered, "asks", _made)._asdict())


@router.put("/devices/{device_id}/steer/made", **may("operator", "changed how a head makes its picture"))
def make_picture(device_id: Id, asked: Made) -> Response:
    with transaction() as session:
        steered = steered_with(session, device_id)
    speak(steered, "moves", lambda head: Imaging(head.held).make(head.source, Picture(**asked.model_dump())))
    return json_answer(speak(steered, "asks", _made)._asdict())
