"""ONVIF as a small device speaks it: requests read with no trust in them, log-ins checked both ways, answers written out."""

from __future__ import annotations

import base64
import hashlib
import hmac
import re
import secrets
from collections.abc import Mapping
from dataclasses import dataclass, field
from datetime import UTC, datetime
from xml.etree.ElementTree import Element, ParseError
from xml.sax.saxutils import escape

from defusedxml.common import DefusedXmlException
from defusedxml.ElementTree import fromstring

ENVELOPE = "http://www.w3.org/2003/05/soap-envelope"
SECURITY = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-secext-1.0.xsd"
UTILITY = "http://docs.oasis-open.org/wss/2004/01/oasis-200401-wss-wssecurity-utility-1.0.xsd"
NAMESPACES = {
    "tt": "http://www.onvif.org/ver10/schema",
    "tds": "http://www.onvif.org/ver10/device/wsdl",
    "trt": "http://www.onvif.org/ver10/media/wsdl",
    "tr2": "http://www.onvif.org/ver20/media/wsdl",
    "tptz": "http://www.onvif.org/ver20/ptz/wsdl",
    "timg": "http://www.onvif.org/ver20/imaging/wsdl",
    "ter": "http://www.onvif.org/ver10/error",
}
FRESH_S = 300.0  # as old a message may be, by the device's own clock
REALM = "a stand-in"


class SoapFault(Exception):
    """`code` of the standard, without its prefix; `text` for the reader; `status` of the answer."""

    def __init__(self, code: str, text: str, *, status: int = 400) -> None:
        super().__init__(text)
        self.code, self.text, self.status = code, text, status


@dataclass(frozen=True)
class Asked:
    """`operation` without its namespace; `body` its element."""

    operation: str
    body: Element
    token: Element | None

    def text(self, name: str, default: str = "") -> str:
        found = next((each for each in self.body.iter() if local(each.tag) == name), None)
        return default if found is None or found.text is None else found.text.strip()

    def all(self, name: str) -> list[Element]:
        """Return the elements of a name, in order."""
        return [each for each in self.body.iter() if local(each.tag) == name]

    def vector(self, parent: str, name: str) -> Mapping[str, str] | None:
        """Return the attributes of an element `name` beneath one that is called `parent`; None: it is not there."""
        outer = next((each for each in self.body.iter() if local(each.tag) == parent), None)
        found = None if outer is None else next((each for each in outer.iter() if local(each.tag) == name), None)
        return None if found is None else found.attrib


def local(tag: str) -> str:
    return tag.rsplit("}", 1)[-1]


def read(data: bytes) -> Asked:
    """Return what is asked. Raises `SoapFault`."""
    try:
        root = fromstring(data, forbid_dtd=True, forbid_entities=True, forbid_external=True)
    except (ParseError, DefusedXmlException, ValueError) as error:
        raise SoapFault("WellFormed", "This is no XML of a request") from error
    body = root.find(f"{{{ENVELOPE}}}Body")
    if root.tag != f"{{{ENVELOPE}}}Envelope" or body is None or len(body) != 1:
        raise SoapFault("WellFormed", "An envelope with one request in its body is expected")
    return Asked(local(body[0].tag), body[0], root.find(f".//{{{SECURITY}}}UsernameToken"))


@dataclass
class Guard:
    """Who may ask: by a digest in the message, or by HTTP's own. `ahead_s`: of the device's clock."""

    login: str
    password: str
    ahead_s: float = 0.0
    _nonces: set[str] = field(default_factory=set)

    def admits(self, asked: Asked | None, method: str, header: str | None) -> bool:
        if asked is not None and asked.token is not None:
            return self._by_token(asked.token)
        return header is not None and self._by_http(method, header)

    def challenge(self) -> str:
        nonce = secrets.token_hex(16)
        self._nonces.add(nonce)
        return f'Digest realm="{REALM}", nonce="{nonce}", qop="auth", algorithm=MD5'

    def _by_token(self, token: Element) -> bool:
        texts = {local(each.tag): (each.text or "") for each in token}
        try:
            nonce, created = base64.b64decode(texts["Nonce"]), texts["Created"]
            moment = datetime.fromisoformat(created.replace("Z", "+00:00"))
        except (KeyError, ValueError):
            return False
        moment = moment if moment.tzinfo is not None else moment.replace(tzinfo=UTC)
        age_s = datetime.now(UTC).timestamp() + self.ahead_s - moment.timestamp()
        digest = hashlib.sha1(nonce + created.encode() + self.password.encode()).digest()  # noqa: S324 - the standard's own
        right = hmac.compare_digest(base64.b64encode(digest).decode(), texts.get("Password", ""))
        return right and texts.get("Username") == self.login and abs(age_s) <= FRESH_S

    def _by_http(self, method: str, header: str) -> bool:
        given = dict(re.findall(r'(\w+)="?([^",]*)"?', header))
        if given.get("nonce") not in self._nonces or given.get("username") != self.login:
            return False

        def md5(text: str) -> str:
            return hashlib.md5(text.encode()).hexdigest()  # noqa: S324 - the standard's own

        first, second = md5(f"{self.login}:{REALM}:{self.password}"), md5(f"{method}:{given.get('uri', '')}")
        parts = (first, given["nonce"], given.get("nc", ""), given.get("cnonce", ""), given.get("qop", ""), second)
        return hmac.compare_digest(md5(":".join(parts)), given.get("response", ""))


def written(content: str) -> bytes:
    names = " ".join(f'xmlns:{prefix}="{uri}"' for prefix, uri in NAMESPACES.items())
    return (
        f'<?xml version="1.0" encoding="UTF-8"?><s:Envelope xmlns:s="{ENVELOPE}" {names}><s:Body>{content}</s:Body></s:Envelope>'
    ).encode()


def fault(error: SoapFault) -> bytes:
    return written(
        f"<s:Fault><s:Code><s:Value>s:Sender</s:Value><s:Subcode><s:Value>ter:{error.code}</s:Value></s:Subcode></s:Code>"
        f'<s:Reason><s:Text xml:lang="en">{escape(error.text)}</s:Text></s:Reason></s:Fault>'
    )
