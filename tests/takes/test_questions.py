"""Imports that ask: a file without a sidecar, an unknown device, answers that do not do; and takes that change their device."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest
from fastapi.testclient import TestClient

from lantern.application.app import make_app
from lantern.core.faults import Refused
from lantern.db.base import transaction
from lantern.register.devices import add_device
from lantern.register.tables import DeviceRow
from lantern.signals.takes import open_take
from lantern.takes import actions, questions
from lantern.takes.actions import import_path, move_take, run_import
from lantern.takes.tables import ImportRow, MarkRow, TakeRow, UploadPartRow
from seeded import Small
from takes_on_disk import pictures, raw, tiff_take
from web.test_access import log_in

READINGS = "Zeit;Kiln (C)\n" + "".join(f"05:12:{n:02};{40 + n},5\n" for n in range(30))
BOXES = "".join(f"{f},1,{100 + f},50,40,80,1,1,1\n" for f in range(1, 51))
ANSWERS: dict[str, Any] = {
    "info": {"name": "Shift", "kind": "series", "times": "Zeit", "units": {"Kiln (C)": "°C"}},
    "start": "2026-03-04T05:12:00",
    "zone": "Europe/Amsterdam",
}


@pytest.fixture
def client(small: Small) -> TestClient:
    return log_in(make_app(), "ida", "open sesame")


def upload(small: Small, files: dict[str, bytes], folder: Path) -> int:
    with transaction() as session:
        row = actions.begin_import(session, site_id=small.site, name="upload")
        for file, data in files.items():
            actions.add_part(session, row, file=file, part=0, data=data)
        actions.finish_upload(row)
        import_id = row.id
    work(import_id, folder)
    return import_id


def work(import_id: int, folder: Path) -> int | None:
    """As the worker does it, each time in a folder of its own."""
    own = folder / f"import-{import_id}-{sum(1 for _ in folder.iterdir())}"
    own.mkdir()
    return run_import(import_id, own)


def state(import_id: int) -> dict[str, Any]:
    with transaction() as session:
        row = session.get_one(ImportRow, import_id)
        parts = session.query(UploadPartRow).filter_by(import_id=import_id).count()
        return {"state": row.state, "asked": row.asked, "faults": row.faults, "take": row.take_id, "parts": parts}


def give(import_id: int, **answers: Any) -> None:
    with transaction() as session:
        row = session.get_one(ImportRow, import_id)
        questions.answer(session, row, questions.Answers.model_validate(answers))


def test_a_table_is_asked_about_and_the_answers_become_its_sidecar(
    client: TestClient, small: Small, tmp_path: Path
) -> None:
    import_id = upload(small, {"kiln.csv": READINGS.encode()}, tmp_path)
    asking = state(import_id)
    assert (asking["state"], asking["parts"], asking["asked"]["guess"]["times"]) == ("asking", 1, "Zeit")
    address = f"/sites/1/takes/imports/{import_id}"
    shown = client.get(address).json()
    assert shown["choices"]["devices"] == [[small.camera, "T1 Camera"]]  # the module gives nothing to look at

    looked = client.post(f"{address}/preview", json=ANSWERS | {"device_id": small.camera}).json()
    assert looked["lines"] == ["30 samples over 29 s: from 2026-03-04 05:12:00 to 05:12:29 (+0100)"]
    assert looked["sidecar"]["start"] == "2026-03-04T05:12:00+01:00"
    lacking = client.post(f"{address}/preview", json=ANSWERS | {"start": "", "device_id": small.camera}).json()
    [fault] = lacking["faults"]
    assert (fault["where"], fault["what"]) == ("answers: start", "is not said yet")

    give(import_id, **ANSWERS, device_id=small.camera)
    take_id = work(import_id, tmp_path)
    with transaction() as session:
        take = session.get_one(TakeRow, take_id)
        assert (take.name, take.signal, take.samples, take.length_s) == ("Shift", "series", 30, 29.0)
        assert take.facts["columns"] == [["Kiln (C)", "°C"]]
    assert state(import_id)["parts"] == 0
    sidecar = client.get(f"{address}/sidecar.json")
    assert "kiln.csv.json" in sidecar.headers["content-disposition"]
    (tmp_path / "kiln.csv").write_text(READINGS)  # kept beside the file, it does what the answers did
    (tmp_path / "kiln.csv.json").write_bytes(sidecar.content)
    with open_take(tmp_path / "kiln.csv") as again:
        assert (again.length_s, again.value["Kiln (C)"].x[0]) == (29.0, 40.5)


def test_an_unknown_device_is_made_on_the_way_with_the_files_picture(small: Small, tmp_path: Path) -> None:
    import_id = upload(small, {"gate.csv": BOXES.encode()}, tmp_path)
    info = {"name": "Gate", "kind": "tracks", "fps": 25, "width": 640, "height": 480, "classes": {"1": "person"}}
    fresh = {"code": "V9", "kind": "camera", "place": "Gate house"}
    give(import_id, info=info, start="2026-03-04T05:12:00", zone="UTC", new_device=fresh)
    assert work(import_id, tmp_path) is not None
    with transaction() as session:
        device = session.query(DeviceRow).filter_by(code="V9").one()
        assert (device.ability, device.place.name) == ({"width": 640, "height": 480, "fps": 25}, "Gate house")
        assert session.query(TakeRow).filter_by(device_id=device.id).count() == 1


def test_a_header_that_names_an_unknown_device_is_asked_about_it(small: Small, tmp_path: Path) -> None:
    path = tiff_take(tmp_path, raw(pictures()), name="lost.tif", device="T7")
    files = {each.name: each.read_bytes() for each in (path, path.with_name(path.name + ".json"))}
    import_id = upload(small, files, tmp_path)
    asking = state(import_id)
    assert (asking["state"], asking["asked"]["needs"], asking["asked"]["guess"]) == (
        "asking",
        "device",
        {"device": "T7"},
    )
    give(import_id, new_device={"code": "T7", "kind": "thermal", "place_id": 1})
    work(import_id, tmp_path)
    with transaction() as session:
        device = session.query(DeviceRow).filter_by(code="T7").one()
        assert (device.ability["width"], device.ability["height"]) == (8, 6)
    with pytest.raises(Refused, match="the site has no device 'T8'"):
        import_path(tiff_take(tmp_path, raw(pictures()), name="other.tif", device="T8"), site_id=small.site)


def test_answers_that_do_not_do_are_asked_again_and_nothing_is_lost(small: Small, tmp_path: Path) -> None:
    import_id = upload(small, {"gate.csv": BOXES.encode()}, tmp_path)
    info = {"name": "Gate", "kind": "tracks", "fps": 1e-6, "width": 640, "height": 480}
    fresh = {"code": "V9", "kind": "camera", "place_id": 1}
    give(import_id, info=info, start="2026-03-04T05:12:00", zone="UTC", new_device=fresh)
    assert work(import_id, tmp_path) is None
    again = state(import_id)
    assert (again["state"], again["parts"], again["asked"]["kinds"]) == ("asking", 1, ["tracks"])
    assert "the last frame" in json.dumps(again["faults"])
    assert again["asked"]["guess"] | {"name": "Gate", "fps": 1e-6, "device": "V9"} == again["asked"]["guess"]
    assert again["asked"]["begins"] == {"": "2026-03-04T05:12:00Z"}  # what was answered need not be typed again
    with transaction() as session:
        camera = session.query(DeviceRow).filter_by(code="V9").one().id
    give(import_id, info=info | {"fps": 25}, start="2026-03-04T05:12:00", zone="UTC", device_id=camera)
    assert work(import_id, tmp_path) is not None


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"zone": "Mars/North"}, "answers: zone"),
        ({"start": "yesterday"}, "answers: start"),
        ({"device_id": 999}, "answers: device"),
        ({"device_id": None, "new_device": {"code": "T1", "kind": "thermal", "place_id": 1}}, "'T1' is taken"),
        ({"device_id": None, "new_device": {"code": "T9", "kind": "thermal"}}, "answers: place"),
        ({"info": {"kind": "series", "name": ""}}, "answers: name"),
        ({"info": ANSWERS["info"] | {"fps": 4}}, "not both"),
        ({"info": ANSWERS["info"] | {"colour": "red"}}, "answers: colour"),
    ],
)
def test_what_is_wrong_with_answers_is_said_and_nothing_has_changed(
    small: Small, tmp_path: Path, change: dict[str, Any], told: str
) -> None:
    import_id = upload(small, {"kiln.csv": READINGS.encode()}, tmp_path)
    with pytest.raises(Refused, match=told):
        give(import_id, **(ANSWERS | {"device_id": small.camera} | change))
    assert state(import_id)["state"] == "asking"
    with transaction() as session:
        assert session.query(DeviceRow).count() == 2


def test_what_asks_can_be_cancelled_and_its_parts_go(client: TestClient, small: Small, tmp_path: Path) -> None:
    import_id = upload(small, {"kiln.csv": READINGS.encode()}, tmp_path)
    assert client.post(f"/sites/1/takes/imports/{import_id}/cancel").json()["state"] == "cancelled"
    assert state(import_id)["parts"] == 0


def test_what_nobody_can_describe_is_refused_at_once(small: Small, tmp_path: Path) -> None:
    assert state(upload(small, {"film.mp4": b"x"}, tmp_path))["state"] == "refused"
    several = state(upload(small, {"a.csv": b"x", "b.csv": b"y"}, tmp_path))
    assert (several["state"], several["parts"]) == ("refused", 0)


# ---- moved -----------------------------------------------------------------------------------------------------------


def test_a_take_moves_with_its_marks_and_is_judged_anew(client: TestClient, small: Small) -> None:
    with transaction() as session:
        place = session.get_one(DeviceRow, small.camera).place
        size = {"width": 8, "height": 6}
        other = add_device(session, place, {"code": "T2", "name": "Twin", "kind": "thermal", "ability": size}).id
    assert client.put(f"/sites/1/takes/{small.take}/device", json={"device_id": other}).status_code == 200
    with transaction() as session:
        take = session.get_one(TakeRow, small.take)
        assert (take.device_id, session.query(MarkRow).count()) == (other, 2)
    assert "It has no evidence yet" in client.get("/sites/1/bench/1", headers={"accept": "text/html"}).text


def test_a_take_does_not_move_to_what_cannot_have_recorded_it(client: TestClient, small: Small) -> None:
    address = f"/sites/1/takes/{small.take}/device"
    assert "gives nothing to look at" in client.put(address, json={"device_id": small.module}).text
    with transaction() as session:
        place = session.get_one(DeviceRow, small.camera).place
        size = {"width": 16, "height": 12}
        other = add_device(session, place, {"code": "T2", "name": "Wide", "kind": "thermal", "ability": size})
        with pytest.raises(Refused, match="16 x 12, as device T2 gives them"):
            move_take(session, session.get_one(TakeRow, small.take), other)
    assert client.put(address, json={"device_id": 999}).status_code == 422
