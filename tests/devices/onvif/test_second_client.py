"""The stand-in asked by another client than the program's own: suds, with the open WSDL as its package ships it."""

from __future__ import annotations

import base64
import hashlib
import importlib.util
import logging
import secrets
import time
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import pytest

from devices.onvif.test_ptz import LOGIN, PASSWORD, served
from lantern.standins.ptz.device import PtzDevice, make_app
from lantern.standins.ptz.yard import painter

SOAP_12 = "http://www.w3.org/2003/05/soap-envelope"


@pytest.fixture(autouse=True)
def _of_soap_12(monkeypatch: pytest.MonkeyPatch) -> None:
    """Its messages are of SOAP 1.1 else, which ONVIF does not speak."""
    from suds.bindings import binding

    monkeypatch.setattr(binding, "envns", (binding.envns[0], SOAP_12))


@pytest.fixture(scope="module")
def address() -> Iterator[str]:
    with served(make_app(PtzDevice(LOGIN, PASSWORD, painter(lambda: 0.0)))) as found:
        yield found


def client(address: str, wsdl: str, service: str, password: str = PASSWORD) -> Any:
    from suds.cache import NoCache
    from suds.client import Client
    from suds.wsse import Security, UsernameToken

    logging.getLogger("suds").setLevel(logging.CRITICAL)
    found = importlib.util.find_spec("onvif")
    assert found is not None
    assert found.submodule_search_locations
    file = Path(next(iter(found.submodule_search_locations))) / "wsdl" / wsdl
    made = Client(file.as_uri(), location=f"{address}/onvif/{service}", cache=NoCache())
    token = UsernameToken(LOGIN, password)
    token.setnonceencoding(True)
    created, nonce = datetime.now(UTC), secrets.token_bytes(16)
    token.setcreated(created)
    token.setnonce(base64.b64encode(nonce).decode())
    # it leaves the digest to whoever uses it: Base64(SHA-1(nonce + created + password)), WS-Security's username token profile
    digest = hashlib.sha1(nonce + created.isoformat().encode() + password.encode()).digest()
    token.setpassworddigest(base64.b64encode(digest).decode())
    security = Security()
    security.tokens.append(token)
    made.set_options(wsse=security, headers={"Content-Type": "application/soap+xml"})
    return made


def test_another_client_reads_what_it_has_and_moves_it(address: str) -> None:
    media = client(address, "media.wsdl", "media")
    profiles = media.service.GetProfiles()
    assert len(profiles) >= 2  # its own picture, and the overview's
    ptz = client(address, "ptz.wsdl", "ptz")
    token = profiles[0]._token
    before = ptz.service.GetStatus(token).Position
    ptz.service.AbsoluteMove(token, {"PanTilt": {"_x": 0.25, "_y": 0.1}, "Zoom": {"_x": 0.0}})
    end = time.monotonic() + 8
    while True:
        status = ptz.service.GetStatus(token)
        if status.MoveStatus.PanTilt == "IDLE":
            break
        assert time.monotonic() < end
        time.sleep(0.1)
    assert float(status.Position.PanTilt._x) == pytest.approx(0.25, abs=0.003)
    assert float(status.Position.PanTilt._y) == pytest.approx(0.1, abs=0.003)
    assert float(before.PanTilt._x) != pytest.approx(0.25, abs=0.003)


def test_a_wrong_password_is_refused_to_another_client_too(address: str) -> None:
    ptz = client(address, "ptz.wsdl", "ptz", password="wrong")
    with pytest.raises(Exception, match=r"(?i)not ?authori[sz]ed|40[01]"):
        ptz.service.GetNodes()
