"""A head steered by hand over a real wire: driven, stopped, registered by places, told to look somewhere, its zoom measured, its presets."""

from __future__ import annotations

import re
import time
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Any

import numpy as np
import pytest
from fastapi.testclient import TestClient
from sqlalchemy import select

from devices.onvif.test_ptz import LOGIN, PASSWORD, served
from lantern.application.app import make_app as make_program
from lantern.core.optics.mount import Mount, View
from lantern.core.ptz.zoom import field_of
from lantern.db.base import now, transaction
from lantern.duty.tables import HadRow, HoldRow
from lantern.register.devices import add_device, change_device
from lantern.register.passwords import keep_password
from lantern.register.tables import DeviceRow
from lantern.sites.tables import PlaceRow
from lantern.standins.ptz.body import Body
from lantern.standins.ptz.device import OVERVIEW, PtzDevice, make_app
from lantern.standins.ptz.yard import EYE, NORTH_OFFSET_DEG, look_of, painter
from lantern.steer import matching, pictures, zooming
from seeded import Small
from web.test_access import log_in

FAST = 25.0  # its clock, by ours
PLACES = ((262.0, 181.0), (300.0, 186.0), (340.0, 96.0), (290.0, 140.0))
MOUNT = {
    "x_m": float(EYE[0]), "y_m": float(EYE[1]), "height_m": float(EYE[2]), "azimuth_deg": 138.0, "tilt_deg": 14.0,
    "focal_mm": 6.0, "focal_min_mm": 6.0, "focal_max_mm": 180.0, "sensor_width_mm": 5.37, "pixels": [1280, 720],
    "pan_deg_s": 120.0,
}  # fmt: skip


@dataclass
class Mast:
    """The device, the program, and the address of the device's page."""

    device: PtzDevice
    client: TestClient
    at: str

    def post(self, path: str, **body: Any) -> Any:
        answer = self.client.post(f"{self.at}/{path}", json=body)
        assert answer.status_code == 200, answer.text
        return answer.json()

    def rests(self) -> None:
        end = time.monotonic() + 8
        while self.client.get(f"{self.at}/state").json()["moving"]:
            assert time.monotonic() < end
            time.sleep(0.02)

    def drive_onto(self, x: float, y: float) -> None:
        """As somebody would with the keys: the device's own body is turned there."""
        dx, dy = x - EYE[0], y - EYE[1]
        pan = float(np.degrees(np.arctan2(dx, dy))) - NORTH_OFFSET_DEG
        self.device.body.go(pan % 360, float(np.degrees(np.arctan2(EYE[2], np.hypot(dx, dy)))))
        self.rests()

    def register(self) -> Any:
        for x, y in PLACES:
            self.drive_onto(x, y)
            found = self.post("pairs", x_m=x, y_m=y)
        return found


@pytest.fixture
def mast(small: Small) -> Iterator[Mast]:
    device = PtzDevice(LOGIN, PASSWORD, painter(lambda: 0.0), clock=lambda: FAST * time.monotonic())
    with served(make_app(device)) as address:
        with transaction() as session:
            place = session.query(PlaceRow).first()
            assert place is not None
            document = {"code": "Z9", "name": "On the mast", "kind": "ptz", "mount": MOUNT}
            document |= {"address": {"url": f"{address}/onvif/device_service", "login": LOGIN}}
            row = add_device(session, place, document)
            keep_password(session, row, PASSWORD)
            number = row.id
        yield Mast(device, log_in(make_program(), "ida", "open sesame"), f"/sites/1/devices/{number}/steer")


def test_it_moves_while_a_key_is_held_and_stops(mast: Mast) -> None:
    mast.rests()
    before = mast.client.get(f"{mast.at}/state").json()
    assert before["aim"] is None  # nobody has said yet what its units are
    mast.post("drive", pan=0.5, tilt=0.0)
    assert mast.device.told == [
        "continuous 0.5 0.0 0.0 for 1 s"
    ]  # of its clock a second is over in 40 ms: whether it moves still is chance
    mast.post("stop")
    assert "stop" in mast.device.told
    mast.rests()
    moved = mast.client.get(f"{mast.at}/state").json()["own"][0]
    assert moved != before["own"][0]
    mast.post("drive", pan=0.5, tilt=0.0)  # and nobody renews it: within a second of its clock it stands
    mast.rests()
    assert mast.client.post(f"{mast.at}/drive", json={"pan": 2.0, "tilt": 0.0}).status_code == 422
    assert mast.client.get(f"{mast.at}/picture").content.startswith(b"\x89PNG")
    assert [each["token"] for each in mast.client.get(f"{mast.at}/channels").json()] == ["turned", "overview"]


def test_places_that_it_is_driven_onto_register_it_and_then_it_looks_where_it_is_told(mast: Mast) -> None:
    refused = mast.client.post(f"{mast.at}/look", json={"x_m": 280.0, "y_m": 170.0})
    assert refused.status_code == 422
    assert "three places that it is driven onto" in refused.text
    found = mast.register()
    assert found["known"]
    assert "looks to 47" in found["line"] and "positive tilt is up" in found["line"]
    assert max(pair["off_deg"] for pair in found["pairs"]) < 0.05
    told = mast.post("look", x_m=280.0, y_m=170.0, z_m=0.0)
    assert told["takes_s"] > 0
    mast.rests()
    state = mast.client.get(f"{mast.at}/state").json()
    assert state["aim"][:2] == pytest.approx(told["aim"][:2], abs=0.1)
    assert len(state["wedge"]) == 18
    with transaction() as session:
        row = session.query(DeviceRow).filter_by(code="Z9").one()
        assert len(row.extras["turned"]["pairs"]) == 4
    dropped = mast.client.delete(f"{mast.at}/pairs/0").json()
    assert len(dropped["pairs"]) == 3
    assert mast.client.delete(f"{mast.at}/pairs/9").status_code == 422
    ahead = mast.post("preview", x_m=300.0, y_m=170.0)
    assert {part[0] for part in ahead["picture"]["parts"]} >= {"ground", "person"}
    assert mast.client.post(f"{mast.at}/look", json={"camera": "nobody", "u_px": 1, "v_px": 1}).status_code == 422
    mast.drive_onto(310.0, 160.0)
    checked = mast.client.put(f"{mast.at}/check", json={"x_m": 310.0, "y_m": 150.0})
    assert "moved, register it again" in checked.text  # it looked elsewhere when that was said


def test_its_zoom_is_measured_from_its_own_pictures(mast: Mast, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(zooming, "FOCUS_S", 0.15)
    monkeypatch.setattr(pictures, "LOOK_S", 0.02)
    monkeypatch.setattr(zooming, "VALUES", (0.0, 0.1, 0.2, 0.3, 0.4, 0.5))
    mast.register()
    mast.drive_onto(290.0, 150.0)
    mast.post("zoom")
    assert mast.client.post(f"{mast.at}/zoom").status_code == 422  # one at a time
    end = time.monotonic() + 60
    while (told := mast.client.get(f"{mast.at}/zoom").json())["open"]:
        assert time.monotonic() < end
        time.sleep(0.1)
    assert told["said"] == ""
    kept = mast.client.put(f"{mast.at}/zoom").json()
    body = mast.device.body
    for unit, field in kept["zoom"]:
        body.zoom.at = unit
        assert field == pytest.approx(field_of(body.focal_mm, body.sensor_mm[0]), rel=0.03)


def overview_pixel(pan_deg: float, tilt_deg: float) -> tuple[float, float]:
    """Where the body that does not turn shows a direction: as the stand-in draws it."""
    p, t = np.radians(pan_deg), np.radians(tilt_deg)
    place = EYE + 100 * np.array([np.sin(p) * np.cos(t), np.cos(p) * np.cos(t), -np.sin(t)])
    look = look_of(Body(), OVERVIEW)
    return look._pixel(look.seen(place[None])[0])


def zoomed(mast: Mast) -> None:
    """Its zoom as it is, for a test that measures something else."""
    body = Body()
    zoom = []
    for unit in np.linspace(0, 1, 9).tolist():
        body.zoom.at = unit
        zoom.append([unit, field_of(body.focal_mm, body.sensor_mm[0])])
    with transaction() as session:
        row = session.query(DeviceRow).filter_by(code="Z9").one()
        document = {"turned": row.extras["turned"] | {"zoom": zoom}}
        change_device(session, row, document, place=row.place)


def test_it_is_registered_to_its_overview_by_hand_and_better_by_itself(
    mast: Mast, monkeypatch: pytest.MonkeyPatch
) -> None:
    monkeypatch.setattr(matching, "FOCUS_S", 0.1)
    monkeypatch.setattr(matching, "COLUMNS", (0.3, 0.5, 0.7))
    monkeypatch.setattr(matching, "ROWS", (0.45, 0.7))
    monkeypatch.setattr(pictures, "LOOK_S", 0.02)
    mast.register()
    zoomed(mast)
    rng = np.random.default_rng(1)
    assert mast.client.post(f"{mast.at}/matching/overview").status_code == 422  # nothing tells roughly how it lies
    for pan, tilt in ((110, 10), (130, 22), (150, 12), (165, 25), (120, 16)):
        mast.device.body.go((pan - NORTH_OFFSET_DEG) % 360, tilt)
        mast.rests()
        u, v = overview_pixel(pan, tilt)
        found = mast.post("seen/overview", u_px=u + rng.normal(0, 6), v_px=v + rng.normal(0, 6))
    by_hand = found["seen"]["overview"]
    assert by_hand["known"] and by_hand["model"] == "rotation"
    assert "87" in by_hand["line"] or "88" in by_hand["line"] or "86" in by_hand["line"]  # 2 atan(5.37 / 2 / 2.8)
    mast.post("matching/overview")
    end = time.monotonic() + 60
    while (told := mast.client.get(f"{mast.at}/matching").json())["open"]:
        assert time.monotonic() < end
        time.sleep(0.1)
    assert (told["said"], told["done"]) == ("", 6)
    assert len(told["found"]) >= 4
    kept = mast.client.put(f"{mast.at}/matching/overview").json()["seen"]["overview"]
    assert kept["rms_deg"] < by_hand["rms_deg"]
    ahead = mast.post("preview", camera="overview", u_px=640, v_px=400)
    u, v = overview_pixel(*ahead["aim"][:2])
    assert (u, v) == pytest.approx((640, 400), abs=4)
    dropped = mast.client.delete(f"{mast.at}/seen/overview/0").json()
    assert len(dropped["seen"]["overview"]["pairs"]) == len(kept["pairs"]) - 1


def test_it_is_registered_to_a_camera_elsewhere_by_feet_on_the_ground(mast: Mast) -> None:
    mount = {
        "x_m": 274,
        "y_m": 192,
        "height_m": 6,
        "azimuth_deg": 222,
        "tilt_deg": 14,
        "focal_mm": 6,
        "sensor_width_mm": 5.37,
    }
    with transaction() as session:
        place = session.query(PlaceRow).first()
        assert place is not None
        document = {"code": "V9", "name": "Over the yard", "kind": "camera", "mount": mount}
        add_device(session, place, document | {"ability": {"width": 1280, "height": 720}})
    mast.register()
    view = View(Mount(**mount, pixels=(1280, 720)))
    walk = ((262.0, 178.0), (255.0, 165.0), (268.0, 170.0), (248.0, 172.0), (240.0, 160.0))
    for x, y in walk:
        mast.drive_onto(x, y)
        u, v = view.pixels(np.array([x, y, 0.0])).tolist()
        found = mast.post("seen/V9", u_px=u, v_px=v)
    told = found["seen"]["V9"]
    assert told["model"] == "ground" and told["known"]
    assert told["rms_deg"] < 0.05
    u, v = view.pixels(np.array([258.0, 172.0, 0.0])).tolist()
    there = mast.post("preview", camera="V9", u_px=u, v_px=v)["place"]
    assert there == pytest.approx([258.0, 172.0], abs=6)  # the middle of somebody there, and so the ground behind
    assert mast.client.post(f"{mast.at}/seen/nobody", json={"u_px": 1, "v_px": 1}).status_code == 422


def test_presets_are_kept_here_and_at_the_device_and_told_apart(mast: Mast) -> None:
    mast.register()
    mast.drive_onto(300.0, 160.0)
    token = mast.post("presets", name="Gate")["token"]
    assert mast.client.put(f"{mast.at}/kept/1", json={"name": "Gate", "token": token}).status_code == 200
    mast.drive_onto(280.0, 150.0)
    other = mast.post("presets", name="Gate")["token"]
    told = mast.client.get(f"{mast.at}/presets").json()
    assert any("2 presets named 'Gate'" in line for line in told["findings"])
    assert [(row["number"], row["token"]) for row in told["rows"]] == [(1, token), (None, other)]
    assert told["rows"][0]["drift_deg"] > 5  # it looks elsewhere now
    mast.post(f"presets/{token}/go")
    mast.rests()
    assert mast.client.get(f"{mast.at}/presets").json()["rows"][0]["drift_deg"] < 0.1
    assert mast.client.delete(f"{mast.at}/presets/{other}").status_code == 200
    assert mast.client.get(f"{mast.at}/presets").json()["findings"] == []
    assert mast.post("kept/1/go")["then"] == {"name": "Gate", "token": token}
    assert mast.client.delete(f"{mast.at}/kept/1").status_code == 200
    assert mast.client.post(f"{mast.at}/kept/1/go", json={}).status_code == 422


def test_a_preset_brings_its_focus_and_its_exposure_along(mast: Mast) -> None:
    mast.register()
    made = mast.client.get(f"{mast.at}/made").json()
    assert (made["focus_mode"], made["exposure_mode"], made["ir_cut"]) == ("AUTO", "AUTO", "AUTO")
    mast.drive_onto(280.0, 150.0)
    wanted = {"focus_mode": "MANUAL", "focus": 0.31, "exposure_mode": "MANUAL", "exposure_us": 2000, "ir_cut": "OFF"}
    assert mast.client.put(f"{mast.at}/made", json=wanted).json()["focus"] == pytest.approx(0.31)
    kept = {"name": "Night gate", "token": "", "with_picture": True}
    assert mast.client.put(f"{mast.at}/kept/7", json=kept).status_code == 200
    mast.client.put(f"{mast.at}/made", json={"focus_mode": "AUTO", "exposure_mode": "AUTO", "ir_cut": "ON"})
    assert mast.device.body.focus is None
    mast.post("kept/7/go")
    mast.rests()
    made = mast.client.get(f"{mast.at}/made").json()
    assert (made["focus_mode"], made["focus"], made["exposure_us"], made["ir_cut"]) == ("MANUAL", 0.31, 2000.0, "OFF")
    assert mast.device.body.blur_px < 1  # what hunts for its focus after each zoom would not be sharp yet
    assert mast.client.put(f"{mast.at}/made", json={"focus": 3}).status_code == 422


def test_a_head_that_has_no_power_says_so(mast: Mast) -> None:
    mast.device.play("no power", True)
    assert "answers" in mast.client.get(f"{mast.at}/state").json()["error"]
    assert mast.client.get(mast.at, headers={"accept": "text/html"}).status_code == 200


def test_the_greater_rank_takes_it_the_lesser_is_told_and_it_is_given_back(mast: Mast) -> None:
    """By the ranks of roles: whoever was first has it among equals, and a stop gets through whoever has it."""
    drive = {"pan": 0.1, "tilt": 0.0}
    with transaction() as session:
        row = session.scalars(select(DeviceRow).where(DeviceRow.code == "Z9")).one()
        change_device(session, row, {"duty": {"release_s": 30.0, "ranks": {"operator": 5, "lead": 7}}}, place=row.place)
        device_id = row.id
        at = now()
        session.add(HoldRow(device_id=device_id, who="Ada Guard", rank=5, from_at=at, until_at=at))
    mast.post("drive", **drive)  # of a greater rank: taken
    held = mast.client.get(f"{mast.at}/state").json()["held"]
    assert (held["by"], held["do"]) == ("manual", "Ida Test")
    assert all(re.fullmatch(r"\d\d:\d\d:\d\d", held[key]) for key in ("since", "until"))
    with transaction() as session:
        [said] = session.scalars(select(HadRow).where(HadRow.device_id == device_id))
        assert (said.do, said.because) == ("Ida Test", "It was taken from Ada Guard.")
    mast.post("release")
    assert mast.client.get(f"{mast.at}/state").json()["held"]["do"] == "Ada Guard"
    with transaction() as session:
        at = now()
        session.add(HoldRow(device_id=device_id, who="Chief Test", rank=9, from_at=at, until_at=at))
    answer = mast.client.post(f"{mast.at}/drive", json=drive)
    assert answer.status_code == 422
    assert "Chief Test moves it by hand, with a greater rank" in answer.text
    mast.post("stop")
