"""The gallery of a face device over HTTP, as docs/wire.md has it: who it holds, whom it is given, whom it lets go."""

from __future__ import annotations

import ssl
from dataclasses import dataclass
from functools import cache
from typing import Annotated, TypeVar
from urllib.parse import quote, urlsplit

import httpx
from pydantic import BaseModel, ConfigDict, Field, ValidationError

from lantern.core.faults import LanternError

TIMEOUT_S = 5.0
LARGEST_ANSWER = 4 * 1024 * 1024
MOST_HELD = 20_000
LOOPBACK = ("127.0.0.1", "localhost", "::1")
Said = TypeVar("Said", bound=BaseModel)
Name = Annotated[str, Field(min_length=1, max_length=120)]


class GalleryError(LanternError):
    """The device does not answer, or not as one that holds a gallery."""


class Enrolment(BaseModel):
    """What a device says of a picture that somebody is to be known by."""

    model_config = ConfigDict(frozen=True, extra="ignore", allow_inf_nan=False)

    accepted: bool
    reasons: tuple[Annotated[str, Field(max_length=300)], ...] = Field(default=(), max_length=20)
    faces: int | None = Field(default=None, ge=0, le=1000)
    eyes_px: float | None = Field(default=None, ge=0, le=10_000)
    yaw_deg: float | None = Field(default=None, ge=-180, le=180)
    pitch_deg: float | None = Field(default=None, ge=-180, le=180)
    covered: float | None = Field(default=None, ge=0, le=1, description="share of the face that cannot be seen")
    duplicate_of: Name | None = None
    features: str | None = Field(default=None, max_length=200_000, description="base64, of the device's own make")


class Holds(BaseModel):
    """Who is in a gallery, each with the SHA-256 of the picture that it was given, and what makes its features."""

    model_config = ConfigDict(frozen=True, extra="ignore")

    algorithm: str = Field(default="", max_length=120)
    members: dict[Name, Annotated[str, Field(max_length=128)]] = Field(default={}, max_length=MOST_HELD)


@cache  # reading the certificates takes longer than the rest of a connection
def _trusted() -> ssl.SSLContext:
    return httpx.create_ssl_context()


@dataclass(frozen=True)
class Gallery:
    """One device's, at `url`, spoken to with its token. All of it raises `GalleryError`."""

    url: str
    token: str

    def held(self) -> Holds:
        return self._read(Holds, "GET", "")

    def check(self, picture: bytes, kind: str) -> Enrolment:
        """Ask what the device thinks of a picture; it keeps nothing."""
        return self._read(Enrolment, "POST", "/check", picture, kind)

    def give(self, member: str, picture: bytes, kind: str) -> Enrolment:
        """Have a member held by this picture, in place of an earlier one."""
        return self._read(Enrolment, "PUT", f"/members/{quote(member, safe='')}", picture, kind)

    def let_go(self, member: str) -> None:
        """One that it does not hold is let go too."""
        self._asked("DELETE", f"/members/{quote(member, safe='')}", accept=(200, 204, 404))

    def _read(self, model: type[Said], method: str, path: str, picture: bytes = b"", kind: str = "") -> Said:
        data = self._asked(method, path, picture, kind)
        try:
            return model.model_validate_json(data)
        except ValidationError as error:
            first = error.errors()[0]
            raise GalleryError(f"the device's answer has a fault at {first['loc']}: {first['msg']}") from error

    def _asked(
        self, method: str, path: str, picture: bytes = b"", kind: str = "", accept: tuple[int, ...] = (200,)
    ) -> bytes:
        if urlsplit(self.url).scheme != "https" and urlsplit(self.url).hostname not in LOOPBACK:
            raise GalleryError(
                "pictures of people leave this machine encrypted only: an address that begins with https"
            )
        headers = {"Authorization": f"Bearer {self.token}"} | ({"Content-Type": kind} if kind else {})
        try:
            with (
                httpx.Client(timeout=TIMEOUT_S, verify=_trusted(), trust_env=False) as client,
                client.stream(method, self.url.rstrip("/") + path, content=picture or None, headers=headers) as answer,
            ):
                body = bytearray()
                for part in answer.iter_bytes():
                    body += part
                    if len(body) > LARGEST_ANSWER:
                        raise GalleryError(f"the device answers with more than {LARGEST_ANSWER} bytes")
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            raise GalleryError(f"does not answer: {type(error).__name__}") from error
        if answer.status_code not in accept:
            raise GalleryError(f"answers {answer.status_code}")
        return bytes(body)
