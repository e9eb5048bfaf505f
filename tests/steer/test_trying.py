"""A round tried at the device, and how long a preset takes to become sharp there: over the wire, on the stand-in."""

from __future__ import annotations

import time
from typing import Any

import pytest

from lantern.core.faults import Refused
from lantern.core.ptz.rounds import findings
from lantern.db.base import transaction
from lantern.register.heads import pointing_of, sheet_of
from lantern.register.tables import DeviceRow
from lantern.standins.ptz import body as body_of_standin
from lantern.steer import focusing, pictures, trying
from lantern.steer.focusing import sharp_after_s
from steer.test_steering import FAST, Mast, mast, zoomed

__all__ = ["mast"]


def over(mast: Mast, path: str) -> Any:
    end = time.monotonic() + 120
    while (told := mast.client.get(f"{mast.at}/{path}").json())["open"]:
        assert time.monotonic() < end
        time.sleep(0.05)
    return told


def kept(mast: Mast, number: int, x: float, y: float, *, zoom: float = 0.0, with_picture: bool = False) -> None:
    mast.device.body.zoom.at = zoom
    mast.drive_onto(x, y)
    document = {"name": f"p{number}", "with_picture": with_picture}
    assert mast.client.put(f"{mast.at}/kept/{number}", json=document).status_code == 200


def sheet(*stops: tuple[int, float], **more: Any) -> dict[str, Any]:
    held = {"name": "night", "stops": [{"preset": number, "stay_s": 30, "speed": speed} for number, speed in stops]}
    return {"rounds": [held, *more.pop("rounds", ())], **more}


def test_a_round_is_tried_once_and_told_stop_by_stop(mast: Mast, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pictures, "LOOK_S", 0.01)
    monkeypatch.setattr(trying, "STAY_S", 0.05)
    mast.register()
    kept(mast, 1, 300.0, 186.0)
    kept(mast, 2, 262.0, 181.0)
    at = mast.at.replace("/steer", "/duty")
    mast.at = at
    asked = {"sheet": sheet((1, 1.0), (2, 0.05)), "name": "night"}
    mast.post("try", **asked)
    told = over(mast, "try")
    assert told["said"] == ""
    assert [each[0] for each in told["found"]] == ["preset 1", "preset 2"]
    (_, quick, _, off), (_, slow, should, other) = told["found"]
    assert max(off, other) < 0.5
    assert should > 3  # at a twentieth of its greatest speed
    assert slow * FAST == pytest.approx(should, rel=0.35)  # the stand-in's clock runs so much faster than ours
    assert quick * FAST < should
    assert any(line.startswith("absolute") for line in mast.device.told)


def test_a_sweep_is_gone_to_and_measured_as_it_went(mast: Mast, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(pictures, "LOOK_S", 0.01)
    mast.register()
    kept(mast, 1, 300.0, 186.0)
    mast.at = mast.at.replace("/steer", "/duty")
    sweep = {"pan_from_deg": 200, "pan_to_deg": 210, "tilt_deg": 8, "speed_deg_s": 20}  # there and back in a second
    asked = {"rounds": [{"name": "swept", "way": "sweep", "sweep": sweep}]}
    mast.post("try", sheet=asked, name="swept")
    told = over(mast, "try")
    assert told["said"] == ""
    [[name, took, should, off]] = told["found"]
    assert (name, should) == ("swept", 1.0)
    assert took > 1.0  # with what it takes to tell it each step
    assert off < 1
    monkeypatch.setattr(trying, "_sent", lambda head, pointing, step: None)  # one that does not move
    mast.post("try", sheet=asked, name="swept")
    assert over(mast, "try")["found"][0][3] > 20  # where it stands, and not where it should


def test_what_cannot_be_tried_is_refused_and_a_stop_ends_it(mast: Mast, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(trying, "STAY_S", 20.0)
    mast.register()
    kept(mast, 1, 300.0, 186.0)
    steer = mast.at
    mast.at = mast.at.replace("/steer", "/duty")
    refused = mast.client.post(f"{mast.at}/try", json={"sheet": sheet((7, 1.0)), "name": "night"})
    assert (refused.status_code, "no preset 7" in refused.text) == (422, True)
    slow = {"name": "slow", "way": "sweep"} | {
        "sweep": {"pan_from_deg": 0, "pan_to_deg": 359, "tilt_deg": 5, "speed_deg_s": 0.5}
    }
    refused = mast.client.post(f"{mast.at}/try", json={"sheet": sheet((1, 1.0), rounds=[slow]), "name": "slow"})
    assert (refused.status_code, "once round it takes" in refused.text) == (422, True)
    mast.post("try", sheet=sheet((1, 1.0)), name="night")
    assert mast.client.post(f"{mast.at}/try", json={"sheet": sheet((1, 1.0)), "name": "night"}).status_code == 422
    assert mast.client.post(f"{steer}/stop").status_code == 200  # as it ends everything
    assert over(mast, "try")["said"] == "It was stopped."


def test_the_time_that_its_focus_takes_is_seen_in_its_pictures_and_stands_at_the_preset(
    mast: Mast, monkeypatch: pytest.MonkeyPatch
) -> None:
    """The stand-in hunts for so long after its zoom has come to rest; a focus that is kept is sharp at once. It hunts longer here, so that a
    busy machine sees it all the same.
    """
    hunts_s = 6.0
    monkeypatch.setattr(body_of_standin, "HUNTS_S", hunts_s)
    monkeypatch.setattr(pictures, "LOOK_S", 0.02)
    monkeypatch.setattr(focusing, "WATCHED_S", 10.0)
    mast.device.body.now_s = time.monotonic()
    mast.device.clock = time.monotonic  # here its own time counts
    mast.register()
    zoomed(mast)
    body = mast.device.body
    body.focus = 0.3 + 0.4 * 0.6
    kept(mast, 3, 262.0, 181.0, zoom=0.6, with_picture=True)
    body.focus = None
    mast.post("kept/3/sharp")
    told = over(mast, "sharp")
    assert told["said"] == ""
    [[number, by_itself, own]] = told["found"]
    assert number == 3
    assert by_itself == pytest.approx(hunts_s - body.settle_s, abs=2.0)
    assert own < by_itself / 2
    assert body.focus is None  # as it was before
    assert mast.client.put(f"{mast.at}/sharp").status_code == 200
    [row] = mast.client.get(f"{mast.at}/presets").json()["rows"]
    assert row["sharp_s"] == [by_itself, own]
    with transaction() as session:
        device = session.query(DeviceRow).filter_by(code="Z9").one()
        pointing = pointing_of(device)
        assert pointing is not None
        assert pointing.turned.presets[0].sharp_after_s == own
        assert sheet_of(device).rounds == ()


def test_from_when_on_it_is_sharp() -> None:
    hunting = [(0.0, 9.0), (0.5, 30.0), (1.0, 12.0), (1.5, 38.0), (2.0, 40.0), (2.5, 41.0), (3.0, 40.0)]
    assert sharp_after_s(hunting) == 1.5  # it was sharp at 0.5 s by chance
    assert sharp_after_s([(t, 40.0) for t, _ in hunting]) == 0.0
    assert sharp_after_s([(t + 0.7, 40.0) for t, _ in hunting]) == 0.7  # nobody saw it earlier
    with pytest.raises(Refused, match="did not stay as sharp"):
        sharp_after_s([*hunting, (3.5, 12.0)])
    with pytest.raises(Refused, match="no edges to focus on"):
        sharp_after_s([(t, 0.5) for t, _ in hunting])


def test_a_stay_that_ends_before_its_picture_is_sharp_is_a_finding() -> None:
    from core.ptz.test_days import HEAD, LOOKS
    from core.ptz.test_days import sheet as made

    held = made((1, 6), (2, 8))
    assert findings(held, LOOKS, HEAD) == []
    [line] = findings(held, LOOKS, HEAD, {1: 1.6, 2: 1.6})
    assert "6 s at preset 1" in line
    assert "once it is sharp after 1.6 s" in line
