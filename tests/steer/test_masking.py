"""What a head's pictures must not show: hidden in all that leaves the program, in the device's own picture too, and told where it costs."""

from __future__ import annotations

import io
import time
from collections.abc import Sequence

import numpy as np
import pytest
from PIL import Image

from lantern.db.base import transaction
from lantern.register.heads import pointing_of
from lantern.register.tables import DeviceRow
from lantern.standins.ptz.device import OVERVIEW
from lantern.standins.ptz.yard import MASKED
from steer.test_steering import Mast, mast, zoomed

__all__ = ["mast"]
CORNERS = ((560.0, 300.0), (720.0, 300.0), (720.0, 420.0), (560.0, 420.0))
SLANTED = ((560.0, 300.0), (760.0, 300.0), (640.0, 420.0))  # upside down it would be another


def picture(mast: Mast, channel: str = "") -> np.ndarray:
    """(height, width): which pixels are hidden."""
    answer = mast.client.get(f"{mast.at}/picture", params={"channel": channel})
    assert answer.status_code == 200, answer.text
    with Image.open(io.BytesIO(answer.content)) as held:
        out: np.ndarray = (np.asarray(held.convert("RGB")) == MASKED).all(axis=2)
        return out


def known(mast: Mast) -> None:
    mast.register()
    zoomed(mast)
    mast.device.body.go(100.0, 10.0, 0.0)
    mast.rests()


def drawn(
    mast: Mast, name: str = "a window", corners: Sequence[tuple[float, float]] = CORNERS, **more: float
) -> dict[str, object]:
    points = [mast.post("bearing", u_px=u, v_px=v)["point"] for u, v in corners]
    return mast.post("masks", name=name, points=points, **more)


def test_what_is_drawn_stays_hidden_wherever_it_looks(mast: Mast) -> None:
    known(mast)
    assert not picture(mast).any()
    [row] = drawn(mast)["rows"]
    assert row["name"] == "a window" and not row["there"]
    hidden = picture(mast)
    rows, columns = np.flatnonzero(hidden.any(axis=1)), np.flatnonzero(hidden.any(axis=0))
    assert (columns.min(), columns.max()) == pytest.approx((560, 720), abs=2)
    assert (rows.min(), rows.max()) == pytest.approx((300, 420), abs=2)
    [[name, areas]] = mast.client.get(f"{mast.at}/state").json()["masks"]
    assert name == "a window" and len(areas) == 1
    mast.device.body.go(110.0, 10.0, 0.0)
    mast.rests()
    assert np.flatnonzero(picture(mast).any(axis=0)).mean() < 500
    pixels = mast.post("corners", points=row["points"])["pixels"]
    assert max(u for u, _ in pixels) < 600
    mast.device.body.go(280.0, 10.0, 0.0)
    mast.rests()
    assert not picture(mast).any()
    assert mast.post("corners", points=row["points"])["pixels"] == [None] * 4


def test_while_it_turns_more_is_hidden(mast: Mast) -> None:
    known(mast)
    drawn(mast)
    rests = picture(mast).sum()
    began = mast.device.clock(), time.monotonic()
    mast.device.clock = lambda: (
        began[0] + time.monotonic() - began[1]
    )  # no faster than ours: what it turns is measured by that
    body = mast.device.body
    place = body.pan.at
    for _ in range(
        8
    ):  # on a machine that stalls it may have turned away from what is hidden before the picture is taken
        body.halt()
        body.pan.at, body.pan.speed = place, 0.0
        body.drive(0.02, 0.0, 0.0, 60.0)
        hidden = picture(mast).sum()
        if hidden > 1.5 * rests:
            break
    assert hidden > 1.5 * rests


def test_where_nobody_knows_where_it_looks_all_is_hidden(mast: Mast) -> None:
    known(mast)
    drawn(mast)
    with transaction() as session:
        row = session.query(DeviceRow).filter_by(code="Z9").one()
        row.extras = row.extras | {"turned": row.extras["turned"] | {"zoom": []}}
    assert picture(mast).all()
    [[name, _]] = mast.client.get(f"{mast.at}/state").json()["masks"]
    assert name.startswith("all of it")
    answer = mast.client.post(f"{mast.at}/bearing", json={"u_px": 1.0, "v_px": 1.0})
    assert answer.status_code == 422 and "its zoom measured" in answer.text


def test_a_head_that_stands_nowhere_any_more_shows_nothing(mast: Mast) -> None:
    known(mast)
    drawn(mast)
    with transaction() as session:
        row = session.query(DeviceRow).filter_by(code="Z9").one()
        row.extras = {key: value for key, value in row.extras.items() if key != "mount"}
    assert picture(mast).all()
    assert picture(mast, OVERVIEW).all()


def test_its_other_body_hides_it_once_it_is_registered_and_until_then_everything(mast: Mast) -> None:
    known(mast)
    row = drawn(mast)["rows"][0]  # type: ignore[index]
    assert picture(mast, OVERVIEW).all()
    answer = mast.client.put(f"{mast.at}/masks/0", json={"name": "a window", "points": row["points"], "from_zoom": 4.0})
    assert answer.status_code == 200
    assert not picture(mast, OVERVIEW).any()  # it is as wide as ever


def test_from_its_zoom_on_it_hides(mast: Mast) -> None:
    known(mast)
    drawn(mast, from_zoom=4.0)
    assert not picture(mast).any()
    mast.device.body.zoom.at = 0.6
    assert picture(mast).any()


def test_the_device_hides_the_same(mast: Mast) -> None:
    known(mast)
    drawn(mast, corners=SLANTED)
    before = picture(mast)
    shown = mast.post("masks/0/device")
    assert shown["rows"][0]["there"]
    mast.rests()
    token = shown["rows"][0]["token"]
    assert list(mast.device.hiding.masks) == [token]
    with Image.open(
        io.BytesIO(mast.device.draw(mast.device.body, "turned", list(mast.device.hiding.masks.values())))
    ) as own:
        at_device = (np.asarray(own.convert("RGB")) == MASKED).all(axis=2)
    assert (at_device & before).sum() > 0.95 * before.sum()  # looked at from nearer, and drawn anew from there
    assert at_device.sum() < 1.08 * before.sum()
    row = shown["rows"][0]
    named = mast.client.put(f"{mast.at}/masks/0", json={"name": "their window", "points": row["points"]}).json()
    assert named["rows"][0]["there"]  # its corners are the same
    moved = [[pan + 1, tilt] for pan, tilt in row["points"]]
    changed = mast.client.put(f"{mast.at}/masks/0", json={"name": "their window", "points": moved}).json()
    assert not changed["rows"][0]["there"]
    assert list(mast.device.hiding.masks) == [token]  # it goes on hiding what it was given
    again = mast.post("masks/0/device")
    assert again["rows"][0]["there"] and again["unknown"] == []
    assert list(mast.device.hiding.masks) == [again["rows"][0]["token"]] != [token]
    assert mast.client.delete(f"{mast.at}/masks/0").json()["rows"] == []
    assert mast.device.hiding.masks == {}
    mast.rests()
    assert not picture(mast).any()


def test_it_says_how_much_of_each_preset_it_hides(mast: Mast) -> None:
    known(mast)
    mast.client.put(f"{mast.at}/kept/1", json={"name": "Window", "token": ""})
    mast.device.body.go(280.0, 10.0, 0.0)
    mast.rests()
    mast.client.put(f"{mast.at}/kept/2", json={"name": "Tank", "token": ""})
    mast.device.body.go(100.0, 10.0, 0.0)
    mast.rests()
    [row] = drawn(mast)["rows"]  # type: ignore[misc]
    [hides] = row["hides"]
    assert (hides["number"], hides["name"]) == (1, "Window")
    assert hides["share"] == pytest.approx(160 * 120 / (1280 * 720), rel=0.03)  # of the picture, by hand


def test_what_cannot_be_is_refused_and_nothing_is_lost(mast: Mast) -> None:
    known(mast)
    drawn(mast)
    taken = mast.client.post(f"{mast.at}/masks", json={"name": "a window", "points": [[1, 1], [2, 1], [2, 2]]})
    assert taken.status_code == 422 and "is taken" in taken.text
    crossed = mast.client.post(f"{mast.at}/masks", json={"name": "b", "points": [[0, 0], [9, 9], [9, 0], [0, 9]]})
    assert crossed.status_code == 422 and "edges cross" in crossed.text
    assert (
        mast.client.put(f"{mast.at}/masks/7", json={"name": "b", "points": [[1, 1], [2, 1], [2, 2]]}).status_code == 422
    )
    assert mast.client.delete(f"{mast.at}/masks/7").status_code == 422
    mast.device.body.drive(0.3, 0.0, 0.0, 60.0)
    moving = mast.client.post(f"{mast.at}/bearing", json={"u_px": 1.0, "v_px": 1.0})
    assert moving.status_code == 422 and "come to rest" in moving.text
    with transaction() as session:
        pointing = pointing_of(session.query(DeviceRow).filter_by(code="Z9").one())
        assert pointing is not None and [each.name for each in pointing.turned.masks] == ["a window"]
