"""SOAP to a device by ONVIF: the open WSDL as its package ships it, read offline; both ways to log in; nothing followed off the host.

One object is used by one thread at a time. Every answer comes within `TIMEOUT_S` or is an error that says what to do.
"""

from __future__ import annotations

import importlib.util
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from functools import cached_property, lru_cache
from pathlib import Path
from typing import Any, cast
from urllib.parse import urlsplit, urlunsplit
from xml.etree.ElementTree import Element, ParseError

import requests
from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring
from lxml import etree
from requests.auth import HTTPDigestAuth
from zeep import Client, Settings, Transport
from zeep.exceptions import Error, Fault, TransportError
from zeep.wsse.username import UsernameToken

from lantern.core.faults import LanternError

TIMEOUT_S = 4.0
ENVELOPE = "http://www.w3.org/2003/05/soap-envelope"
MOST_BYTES = 8 * 2**20  # of an answer, a picture among them
PACKAGE = "onvif"  # which ships the WSDL; none of its code is run
BINDINGS = {
    "device": ("devicemgmt.wsdl", "{http://www.onvif.org/ver10/device/wsdl}DeviceBinding"),
    "media": ("media.wsdl", "{http://www.onvif.org/ver10/media/wsdl}MediaBinding"),
    "ptz": ("ptz.wsdl", "{http://www.onvif.org/ver20/ptz/wsdl}PTZBinding"),
    "imaging": ("imaging.wsdl", "{http://www.onvif.org/ver20/imaging/wsdl}ImagingBinding"),
}
NAMESPACES = {
    "http://www.onvif.org/ver10/media/wsdl": "media",
    "http://www.onvif.org/ver20/media/wsdl": "media2",
    "http://www.onvif.org/ver20/ptz/wsdl": "ptz",
    "http://www.onvif.org/ver20/imaging/wsdl": "imaging",
}


class DeviceError(LanternError):
    """The device did not do it: what it said, in words, and what to do."""


class AwayError(DeviceError):
    """It does not answer."""


class _Offline(Transport):
    """Loads what the package ships, and nothing over the network; answers of a device are of a bounded size."""

    def load(self, url: str) -> Any:
        if urlsplit(str(url)).scheme in ("http", "https", "ftp"):
            raise DeviceError(f"A description leads to {url}: nothing is fetched")
        return super().load(url)  # type: ignore[no-untyped-call]

    def post(self, address: str, message: Any, headers: Any) -> Any:
        answer = self.session.post(
            address, data=message, headers=headers, timeout=self.operation_timeout, allow_redirects=False, stream=True
        )
        _bounded(answer)
        return answer


def _bounded(answer: requests.Response) -> None:
    """Read an answer as far as it may go."""
    held, size = [], 0
    for piece in answer.iter_content(64 * 1024):
        size += len(piece)
        if size > MOST_BYTES:
            answer.close()
            raise DeviceError(
                f"It answers with more than {MOST_BYTES // 2**20} MiB: is this address that of the device?"
            )
        held.append(piece)
    answer._content = b"".join(held)


@lru_cache
def _folder() -> Path:
    found = importlib.util.find_spec(PACKAGE)
    assert found is not None and found.submodule_search_locations
    return Path(next(iter(found.submodule_search_locations))) / "wsdl"


@dataclass
class Connection:
    """`address`: of its device service, or of the host alone. `ahead_s`: by how much its clock is ahead of ours, once asked."""

    address: str
    login: str
    password: str = field(repr=False)
    timeout_s: float = TIMEOUT_S
    ahead_s: float = 0.0
    _services: dict[str, Any] = field(default_factory=dict, repr=False)
    _addresses: dict[str, str] = field(default_factory=dict)

    @property
    def device_address(self) -> str:
        parts = urlsplit(self.address if "://" in self.address else f"http://{self.address}")
        return urlunsplit(
            (parts.scheme, parts.netloc, parts.path if parts.path.strip("/") else "/onvif/device_service", "", "")
        )

    @property
    def host(self) -> str:
        return urlsplit(self.device_address).netloc

    @cached_property
    def session(self) -> requests.Session:
        made = requests.Session()
        made.auth = HTTPDigestAuth(self.login, self.password)
        made.trust_env = False  # no proxy of this machine is asked
        return made

    def own(self, address: str, what: str) -> str:
        """Return an address that the device names. Raises `DeviceError` for one on another host: it would be sent the password."""
        parts = urlsplit(address)
        if parts.scheme not in ("http", "https") or parts.hostname != urlsplit(self.device_address).hostname:
            raise DeviceError(f"Its {what} is at {address}, which is not on its own host {self.host}: it is not asked")
        return address

    def call(self, service: str, operation: str, **given: Any) -> Any:
        """Return what the device answers. Raises `AwayError`, `DeviceError`."""
        return self._asked(lambda: getattr(self._service(service), operation)(**given), f"{operation} of {service}")

    def ask(self, service: str, request: etree._Element) -> Element:
        """Return what the device answers to a message of a service that has no description here. Raises `AwayError`, `DeviceError`."""
        what = f"{etree.QName(request).localname} of {service}"
        return cast(Element, self._asked(lambda: self._sent(self._address_of(service), request), what))

    def _sent(self, address: str, request: etree._Element) -> Element:
        envelope = etree.Element(f"{{{ENVELOPE}}}Envelope")
        etree.SubElement(envelope, f"{{{ENVELOPE}}}Header")
        etree.SubElement(envelope, f"{{{ENVELOPE}}}Body").append(request)
        token = UsernameToken(self.login, self.password, use_digest=True, created=None)
        _OnTime(token, self).apply(envelope, {})
        answer = self.session.post(
            address,
            data=etree.tostring(envelope, xml_declaration=True, encoding="utf-8"),
            headers={"Content-Type": "application/soap+xml; charset=utf-8"},
            timeout=self.timeout_s,
            allow_redirects=False,
            stream=True,
        )
        _bounded(answer)
        try:
            root = fromstring(answer.content, forbid_dtd=True, forbid_entities=True, forbid_external=True)
        except (ParseError, DefusedXmlException) as error:
            raise ValueError(f"HTTP {answer.status_code}, and no XML: {error}") from error
        body = root.find(f"{{{ENVELOPE}}}Body")
        if body is None or not len(body):
            raise ValueError(f"HTTP {answer.status_code}, and no answer in it")
        if body[0].tag == f"{{{ENVELOPE}}}Fault":
            code = (body[0].findtext(f".//{{{ENVELOPE}}}Subcode/{{{ENVELOPE}}}Value") or "").rsplit(":", 1)[-1]
            raise Fault(body[0].findtext(f".//{{{ENVELOPE}}}Text") or code or "a fault", code=code, subcodes=[])
        return cast(Element, body[0])

    def _service(self, name: str) -> Any:
        if name not in self._services:
            file, binding = BINDINGS[name]
            token = UsernameToken(self.login, self.password, use_digest=True, created=None)
            client = Client(
                str(_folder() / file),
                wsse=_OnTime(token, self),
                transport=_Offline(session=self.session, timeout=self.timeout_s, operation_timeout=self.timeout_s),  # type: ignore[no-untyped-call]
                settings=Settings(
                    strict=False, forbid_dtd=True, forbid_entities=True, forbid_external=True, force_https=False
                ),
            )
            self._services[name] = client.create_service(binding, self._address_of(name))
        return self._services[name]

    def _address_of(self, name: str) -> str:
        if name == "device":
            return self.device_address
        if not self._addresses:
            for each in self.call("device", "GetServices", IncludeCapability=False):
                known = NAMESPACES.get(each.Namespace)
                if known:
                    self._addresses[known] = self.own(each.XAddr, f"{known} service")
        if name not in self._addresses:
            raise DeviceError(
                f"It offers no {name} service: is it a device of that sort, and is the service switched on?"
            )
        return self._addresses[name]

    def picture(self, address: str) -> bytes:
        """Return a picture from an address that the device has named."""
        where = self.own(address, "snapshot")

        def ask() -> bytes:
            answer = self.session.get(where, timeout=self.timeout_s, allow_redirects=False, stream=True)
            _bounded(answer)
            if answer.status_code == requests.codes.unauthorized:
                raise DeviceError(
                    "It does not take this log-in for its pictures: user name and password as on the device"
                )
            if answer.status_code != requests.codes.ok:
                raise DeviceError(f"It answers a picture with HTTP {answer.status_code}")
            return answer.content

        found: bytes = self._asked(ask, "a picture")
        return found

    def _asked(self, ask: Callable[[], Any], what: str) -> Any:
        try:
            return ask()
        except requests.Timeout as error:
            raise AwayError(
                f"{self.host} did not answer {what} within {self.timeout_s:g} s: is it on, and reached?"
            ) from error
        except requests.ConnectionError as error:
            raise AwayError(f"Nobody answers at {self.host}: is it on, and is the address right?") from error
        except Fault as error:
            raise DeviceError(_said(error, what, self)) from error
        except TransportError as error:
            raise DeviceError(f"{self.host} answers {what} with HTTP {error.status_code}") from error
        except (Error, etree.LxmlError, requests.RequestException, ValueError) as error:
            raise DeviceError(f"{self.host} answers {what} with something that is no answer: {error}"[:300]) from error


class _OnTime:
    """A user-name token stamped by the device's own clock, as far as it is known: a clock that is wrong would refuse every other."""

    def __init__(self, token: UsernameToken, held: Connection) -> None:
        self.token, self.held = token, held

    def apply(self, envelope: Any, headers: Any) -> tuple[Any, Any]:
        self.token.created = datetime.now(UTC).replace(tzinfo=None) + timedelta(seconds=self.held.ahead_s)
        applied: tuple[Any, Any] = self.token.apply(envelope, headers)
        return applied

    def verify(self, envelope: Any) -> Any:
        return envelope


def _said(fault: Fault, what: str, held: Connection) -> str:
    """A SOAP fault in words."""
    codes = [str(each).rsplit(":", 1)[-1] for each in (fault.code, *(fault.subcodes or ()))]
    with suppress(AttributeError, IndexError):
        codes.append(str(fault.subcodes[0].localname))
    if any(each.endswith("NotAuthorized") for each in codes):
        late = (
            f"; its clock is {abs(held.ahead_s):.0f} s {'ahead' if held.ahead_s > 0 else 'behind'}"
            if abs(held.ahead_s) > 5
            else ""
        )
        return f"{held.host} does not take this log-in for {what}: user name, password, and what the user may do{late}"
    return f"{held.host} refuses {what}: {fault.message}"
