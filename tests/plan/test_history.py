"""What is done to devices, places and the drawing is kept, state by state, and taken back: nothing stored is without a way back."""

from __future__ import annotations

from typing import Any

import pytest
from fastapi.testclient import TestClient

from lantern.application.app import make_app
from lantern.db.base import transaction
from lantern.register.documents import document_of
from lantern.register.tables import device_by_code
from lantern.sites.tables import places_of
from seeded import Small
from web.test_access import log_in

MOUNT = {"x_m": 10, "y_m": 5, "height_m": 4, "azimuth_deg": 0, "tilt_deg": 20, "focal_mm": 6, "sensor_width_mm": 5.37}


@pytest.fixture
def client(small: Small) -> TestClient:
    return log_in(make_app(), "ida", "open sesame")


def held(code: str) -> dict[str, Any]:
    with transaction() as session:
        row = device_by_code(session, 1, code)
        assert row is not None
        return document_of(row)


def device_id(code: str) -> int:
    with transaction() as session:
        row = device_by_code(session, 1, code)
        assert row is not None
        return row.id


def undo(client: TestClient) -> Any:
    return client.post("/sites/1/plan/undo")


def test_devices_are_taken_back_step_by_step_and_no_further(client: TestClient) -> None:
    t1 = device_id("T1")
    first = held("T1")
    for x in (10, 20, 30):
        assert client.put(f"/sites/1/plan/devices/{t1}", json={"mount": MOUNT | {"x_m": x}}).status_code == 200
    for expected in (20, 10):
        assert undo(client).status_code == 200
        assert held("T1")["mount"]["x_m"] == expected
    assert undo(client).status_code == 200
    assert held("T1") == first  # it stood nowhere
    refused = undo(client)
    assert (refused.status_code, "nothing of yours" in refused.text) == (422, True)
    states = client.get(f"/sites/1/plan/devices/{t1}/states").json()["states"]
    assert [each["number"] for each in states] == [7, 6, 5, 4, 3, 2, 1]
    assert states[0]["reason"] == "Taken back: Placed on the plan."
    assert states[-1]["reason"] == "As it was before its states were kept."
    assert client.post(f"/sites/1/devices/{t1}/states/4").status_code == 200  # and any of them by hand
    assert held("T1")["mount"]["x_m"] == 30
    assert client.post(f"/sites/1/devices/{t1}/states/99").status_code == 404


def test_what_another_has_changed_since_is_not_taken_back(client: TestClient) -> None:
    t1 = device_id("T1")
    client.put(f"/sites/1/plan/devices/{t1}", json={"mount": MOUNT})
    with transaction() as session:
        from lantern.plan.actions import mount_device

        row = device_by_code(session, 1, "T1")
        assert row is not None
        mount_device(session, row, MOUNT | {"x_m": 33}, user_id=None)
    refused = undo(client)
    assert refused.status_code == 422
    assert "the program has changed T1" in refused.text
    assert held("T1")["mount"]["x_m"] == 33


def test_a_renamed_output_is_renamed_back_with_its_links(client: TestClient) -> None:
    """The state of before is known by its coils: links that switch an output follow its name there and back."""
    module = device_id("M1")
    was = held("M1")
    outputs = [each | {"was": each["name"], "name": f"new {each['name']}"} for each in was["outputs"]]
    with transaction() as session:
        row = device_by_code(session, 1, "M1")
        assert row is not None
        place = row.place_id
    asked = {"place_id": place, "code": "M1", "name": was["name"], "kind": was["kind"], "outputs": outputs}
    assert client.put(f"/sites/1/devices/{module}", json=asked).status_code == 200
    assert [each["name"] for each in held("M1")["outputs"]] == [each["name"] for each in outputs]
    assert client.post(f"/sites/1/devices/{module}/states/1").status_code == 200
    assert held("M1") == was
    page = client.get(f"/sites/1/devices/{module}", headers={"accept": "text/html"}).text
    assert "Earlier states" in page
    assert "Restored revision 1" in page


def test_a_retired_device_comes_back_with_the_state_in_which_it_was_there(client: TestClient) -> None:
    t1 = device_id("T1")
    assert client.put(f"/sites/1/devices/{t1}/retired", json={"retired": True}).status_code == 200
    assert client.post(f"/sites/1/devices/{t1}/states/1").status_code == 200
    with transaction() as session:
        row = device_by_code(session, 1, "T1")
        assert row is not None
        assert not row.retired


def test_a_drawing_that_was_saved_is_taken_back_with_the_places_drawn_on_it(client: TestClient) -> None:
    with transaction() as session:
        place = places_of(session, 1)[0].id
    square = [[0.0, 0.0], [5.0, 0.0], [5.0, 5.0]]
    first = {"plan": {"width_m": 60, "height_m": 40}, "places": {place: square}}
    assert client.put("/sites/1/plan?base=0", json=first).status_code == 200
    second = {"plan": {"width_m": 80, "height_m": 40}, "places": {place: None}}
    assert client.put("/sites/1/plan?base=1", json=second).status_code == 200
    assert undo(client).status_code == 200
    data = client.get("/sites/1/plan/states/3").json()
    assert (data["plan"]["width_m"], data["places"][str(place)]) == (60, square)
    with transaction() as session:
        assert places_of(session, 1)[0].extras["polygon"] == square
    [newest, *_] = client.get("/sites/1/plan/states").json()["states"]
    assert newest["at"][10] == " "  # a day and a time by the site's clocks
    assert undo(client).status_code == 422  # the first drawing is where the plan begins
