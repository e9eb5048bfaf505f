"""A PTZ of one's own: its password is sealed, *Try it* asks and moves nothing, and says what is amiss."""

from __future__ import annotations

from collections.abc import Iterator

import pytest
from fastapi.testclient import TestClient
from sqlalchemy import text

from devices.onvif.test_ptz import LOGIN, PASSWORD, served
from lantern.application.app import make_app as make_program
from lantern.db.base import transaction
from lantern.persons.keys import key_store
from lantern.register.devices import add_device
from lantern.register.passwords import DevicePasswordRow, password_of
from lantern.register.tables import DeviceRow
from lantern.sites.tables import PlaceRow
from lantern.standins.ptz.device import PtzDevice, make_app
from seeded import Small
from web.test_access import log_in


@pytest.fixture
def device() -> Iterator[tuple[PtzDevice, str]]:
    held = PtzDevice(LOGIN, PASSWORD, lambda body, channel, masks: b"")
    with served(make_app(held)) as address:
        yield held, address


@pytest.fixture
def client(small: Small) -> TestClient:
    return log_in(make_program(), "ida", "open sesame")


def made(address: str) -> int:
    with transaction() as session:
        place = session.query(PlaceRow).first()
        assert place is not None
        where = {"url": address, "login": LOGIN}
        return add_device(session, place, {"code": "Z9", "name": "On the mast", "kind": "ptz", "address": where}).id


def test_it_is_asked_with_its_sealed_password_and_nothing_moves(
    client: TestClient, device: tuple[PtzDevice, str]
) -> None:
    held, address = device
    number = made(address)
    before = held.body.pan.at
    told = client.post(f"/sites/1/devices/{number}/try").json()
    assert not told["ok"]
    assert "does not take this log-in" in told["lines"][0]
    assert client.put(f"/sites/1/devices/{number}/password", json={"password": PASSWORD}).status_code == 200
    told = client.post(f"/sites/1/devices/{number}/try").json()
    assert told["ok"]
    assert "answers by ONVIF" in told["lines"][0] and "Nothing was moved" in told["lines"][0]
    assert "turned 1280 x 720, which turns, overview 1280 x 720" in told["lines"][2]
    assert held.told == []
    assert held.body.pan.at == before
    page = client.get(f"/sites/1/devices/{number}", headers={"accept": "text/html"})
    assert PASSWORD not in page.text
    assert "kept, sealed" in page.text
    with transaction() as session:
        row = session.get_one(DeviceRow, number)
        assert password_of(session, row) == PASSWORD
        whole = session.execute(text("SELECT encode(data, 'escape') FROM device_password")).scalar_one()
        assert PASSWORD not in whole
        [sealed] = session.query(DevicePasswordRow).all()
        old = sealed.key_id
    client.put(f"/sites/1/devices/{number}/password", json={"password": ""})
    assert key_store().of([old]) == {}
    assert not client.post(f"/sites/1/devices/{number}/try").json()["ok"]


def test_a_password_whose_key_is_not_here_is_asked_for_anew(client: TestClient) -> None:
    number = made("http://127.0.0.1:9")
    client.put(f"/sites/1/devices/{number}/password", json={"password": PASSWORD})
    with transaction() as session:
        [sealed] = session.query(DevicePasswordRow).all()
        key_store().destroy([sealed.key_id])
    answer = client.post(f"/sites/1/devices/{number}/try")
    assert answer.status_code == 422
    assert "given anew" in answer.text


def test_only_a_device_that_is_steered_has_one(client: TestClient) -> None:
    with transaction() as session:
        place = session.query(PlaceRow).first()
        assert place is not None
        number = add_device(session, place, {"code": "K9", "name": "Kiln", "kind": "probe"}).id
    answer = client.put(f"/sites/1/devices/{number}/password", json={"password": "x"})
    assert answer.status_code == 422
    assert "a device that is steered" in answer.text
    assert client.put(f"/sites/1/devices/{number}/password", json={"password": "x" * 500}).status_code == 422
