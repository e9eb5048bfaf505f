"""A radar registered to the plan: by a walk that somebody recorded, or by points where somebody stood."""

from __future__ import annotations

from collections.abc import Sequence
from functools import partial
from typing import Annotated, Any, Literal

import numpy as np
from fastapi import APIRouter, Query, Request
from fastapi.responses import Response
from pydantic import BaseModel, ConfigDict, Field
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from lantern.core.faults import Fault, Refused
from lantern.core.radar.returns import Returns
from lantern.core.registration.registered import Registered, differs, standing_by
from lantern.core.registration.report import registered
from lantern.core.registration.stood import Point, stood
from lantern.core.registration.walk import Track, walked
from lantern.core.signals import Floats
from lantern.db.base import now, transaction
from lantern.db.numbers import Id
from lantern.formats.walks import read_walk
from lantern.plan.actions import plan_model
from lantern.register.devices import change_device
from lantern.register.tables import DeviceRow
from lantern.takes.store import value_of_take
from lantern.takes.tables import TakeRow
from lantern.web.access import may, tell
from lantern.web.answers import json_answer
from lantern.web.door import user_id
from lantern.web.outside import read_outside

router = APIRouter()
Model = Literal["rigid", "similarity"]
LEAST_S = 2.0  # a target that was seen for less is nobody who walks or stands


class Stood(BaseModel):
    """Where somebody stood on the plan, from when until when in the take."""

    model_config = ConfigDict(extra="forbid", allow_inf_nan=False)

    x_m: float
    y_m: float
    from_s: float
    until_s: float
    target: str = Field(default="", max_length=120)


class Standing(BaseModel):
    model_config = ConfigDict(extra="forbid")

    model: Model = "rigid"
    points: list[Stood] = Field(max_length=40)


@router.post("/devices/{device_id}/registration/walk", **may("engineer", ""))
async def by_walk(
    request: Request,
    device_id: Id,
    take: Id,
    name: Annotated[str, Query(max_length=200)],
    model: Model = "rigid",
    error_m: Annotated[float | None, Query(gt=0, le=100)] = None,
    shift_s: Annotated[float | None, Query(ge=-3600, le=3600)] = None,
) -> Response:
    """Return what a walk says; the body is its file. Nothing is kept. `shift_s`: how far its clock is ahead, where that is known."""
    plan, start = await run_in_threadpool(_ground, device_id, take)
    read = partial(read_walk, name=name, plan=plan, start=start, error_m=error_m)
    track = await read_outside(request, read, name=name)
    return await run_in_threadpool(_answer_walk, device_id, take, track, model, shift_s)


def _ground(device_id: int, take_id: int) -> tuple[Any, Any]:
    with transaction() as session:
        row, take = session.get_one(DeviceRow, device_id), session.get_one(TakeRow, take_id)
        return plan_model(session, row.site_id), take.start


def _answer_walk(device_id: int, take_id: int, track: Track, model: Model, shift_s: float | None) -> Response:
    with transaction() as session:
        take = _take(session, device_id, take_id)
        found = walked(_targets(session, take), track, model=model, shift_s=shift_s)
        told = {"target": found.target, "shift_s": found.shift_s, "shift_interval_s": None}
        if found.shift_from_s is not None:
            told["shift_interval_s"] = [found.shift_from_s, found.shift_to_s]
        walk = [[round(x, 2), round(y, 2)] for x, y in zip(track.x_m.tolist(), track.y_m.tolist(), strict=True)]
        return json_answer(
            told
            | _told(take, found.pairs, found.t_s, found.report, model)
            | {"walk": walk[:: max(len(walk) // 500, 1)]}
        )


@router.post("/devices/{device_id}/registration/points", **may("engineer", ""))
def by_points(device_id: Id, take: Id, asked: Standing) -> Response:
    """Return what standing points say; nothing is kept."""
    with transaction() as session:
        row = _take(session, device_id, take)
        points = [Point(**each.model_dump()) for each in asked.points]
        pairs, who = stood(points, _targets(session, row))
        t_s = np.array([(each.from_s + each.until_s) / 2 for each in points])
        told = {"target": ", ".join(dict.fromkeys(who)), "shift_s": 0.0, "shift_interval_s": None, "walk": []}
        return json_answer(told | _told(row, pairs, t_s, registered(asked.model, pairs), asked.model))


@router.put("/devices/{device_id}/registration", **may("engineer", "registered a device"))
def keep(request: Request, device_id: Id, asked: Registered) -> Response:
    """Keep a registration at its device: its pairs are fitted again here, and where it stands is worked out of them."""
    with transaction() as session:
        row = session.get_one(DeviceRow, device_id)
        held = standing_by(asked.model_copy(update={"at": now()}))
        document = {"registered": held.model_dump(mode="json")}
        reason = f"Registered by {len(held.pairs)} pairs, {held.rms_m:.2f} m in the mean."
        change_device(session, row, document, place=row.place, user_id=user_id(request), reason=reason)
        tell(request, f"registered {row.code} by {len(held.pairs)} pairs")
        return json_answer(held.model_dump(mode="json"))


def _take(session: Session, device_id: int, take_id: int) -> TakeRow:
    take = session.get_one(TakeRow, take_id)
    if take.device_id != device_id:
        raise Refused([Fault("take", f"{take.name} is of another device", "a take of this one")])
    if take.signal != "radar":
        raise Refused([Fault("take", f"{take.name} holds {take.signal}", "returns of a radar")])
    return take


def _targets(session: Session, take: TakeRow) -> list[tuple[str, Floats, Floats]]:
    """(name, times, places in the radar's frame) of whoever was seen for long enough."""
    returns = value_of_take(session, take)
    assert isinstance(returns, Returns)
    order, (x, y) = returns.by_target, returns.places
    first = np.searchsorted(returns.target[order], np.arange(len(returns.ids) + 1))
    out = []
    for target, name in enumerate(returns.ids):
        rows = order[first[target] : first[target + 1]]
        if rows.size and returns.t_s[rows[-1]] - returns.t_s[rows[0]] >= LEAST_S:
            out.append((str(name), returns.t_s[rows], np.column_stack((x[rows], y[rows]))))
    return out


def _told(take: TakeRow, pairs: Floats, t_s: Floats, report: dict[str, Any], model: Model) -> dict[str, Any]:
    """What a page shows of a fit; `apart`: (m, degrees) from where the plan has the device, None where it stands nowhere."""
    rows: Sequence[Any] = pairs.round(3).tolist()
    held = standing_by(
        Registered(model=model, pairs=tuple(tuple(row) for row in rows), t_s=tuple(t_s.round(2).tolist()))
    )
    place = {key: getattr(held, key) for key in ("x_m", "y_m", "azimuth_deg")}
    mount = take.device.extras.get("mount")
    apart = None if mount is None else differs(mount, held)
    return {"pairs": rows, "t_s": list(held.t_s), "report": report, "place": place, "model": model, "apart": apart}
