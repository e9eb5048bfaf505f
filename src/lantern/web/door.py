"""The door: who may do what from where, how much they may send and how slowly, and what pages may load."""

from __future__ import annotations

import asyncio
import secrets
from collections.abc import Awaitable, Callable
from typing import Protocol
from urllib.parse import parse_qsl, quote

from fastapi import HTTPException, Request
from fastapi.responses import JSONResponse, RedirectResponse, Response
from starlette.concurrency import run_in_threadpool
from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

from lantern.core.faults import LanternError
from lantern.settings import Settings, settings

CONTENT_POLICY = "; ".join(
    (
        "default-src 'none'",
        "script-src 'self'",
        "style-src 'self'",
        "img-src 'self' data: blob:",
        "font-src 'self'",
        "media-src 'self'",
        "connect-src 'self'",
        "form-action 'self'",
        "frame-ancestors 'none'",
        "base-uri 'none'",
    )
)
SAFE = ("GET", "HEAD", "OPTIONS")
OPEN_PATHS = ("/static/", "/login", "/setup", "/health")
WHOLE_FILES = (
    "/parts",
    ".csv",
    "/sites/file",
    "/plan/pictures",
    "/diff",
    "/messages/sound",
)  # ends of the paths that take files
SESSION_COOKIE, FORM_COOKIE = "lantern", "lantern_form"
SLOWEST_BYTES_S = 32 * 1024
FORM_TYPE = "application/x-www-form-urlencoded"
OUT_OF_DATE = "This page is out of date: its form token does not fit your session. Reload it and try again."


class Known(Protocol):
    """The user who is logged in."""

    @property
    def digest(self) -> bytes: ...
    @property
    def user_id(self) -> int: ...
    @property
    def csrf(self) -> str: ...


class SentTooMuchError(HTTPException):
    """The request's body is larger than this address takes."""

    def __init__(self, most: int) -> None:
        super().__init__(413, f"The request is too large: at most {most} bytes here. Nothing was stored.")


class SentTooSlowlyError(HTTPException):
    """The request's body did not arrive in time."""

    def __init__(self) -> None:
        super().__init__(408, "The request came too slowly and was given up. Nothing was stored.")


class SecurityHeaders:
    """Adds the policy to every answer."""

    def __init__(self, app: ASGIApp) -> None:
        self.app = app

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        async def with_headers(message: Message) -> None:
            if message["type"] == "http.response.start":
                headers = MutableHeaders(scope=message)
                headers["Content-Security-Policy"] = CONTENT_POLICY
                headers["X-Content-Type-Options"] = "nosniff"
                headers["Referrer-Policy"] = "same-origin"
                headers["Cross-Origin-Opener-Policy"] = "same-origin"
            await send(message)

        await self.app(scope, receive, with_headers if scope["type"] == "http" else send)


class Door:
    """Log-in before everything but the log-in itself, the session's token with every change; both before a body is read."""

    def __init__(
        self,
        app: ASGIApp,
        find: Callable[[str], Known | None],
        failed: Callable[[Request, Exception], Awaitable[Response]],
    ) -> None:
        """`find` looks a cookie's session up, `failed` answers where that raises the program's own error."""
        self.app, self.find, self.failed = app, find, failed

    async def __call__(self, scope: Scope, receive: Receive, send: Send) -> None:
        if scope["type"] != "http":
            await self.app(scope, receive, send)
            return
        request = Request(scope)
        key = request.cookies.get(SESSION_COOKIE)
        try:
            known = await run_in_threadpool(self.find, key) if key else None
        except LanternError as error:
            await (await self.failed(request, error))(scope, receive, send)
            return
        scope["state"] = {**scope.get("state", {}), "known": known}
        if known is None and not scope["path"].startswith(OPEN_PATHS):
            await _log_in_first(request)(scope, receive, send)
            return
        try:
            body = Body(receive, most_bytes(scope["path"], known, settings()), _length(request))
            if request.method not in SAFE and not await _token_fits(request, known, body):
                await JSONResponse({"message": OUT_OF_DATE}, 403)(scope, receive, send)
                return
        except (SentTooMuchError, SentTooSlowlyError) as error:
            await JSONResponse({"message": error.detail}, error.status_code)(scope, receive, send)
            return
        await self.app(scope, body.receive, send)


class Body:
    """A request's body as it comes: no more of it than is allowed, and no slower."""

    def __init__(self, receive: Receive, most: int, announced: int | None) -> None:
        if announced is not None and announced > most:
            raise SentTooMuchError(most)
        self._receive, self._most, self._got = receive, most, 0
        self._deadline = asyncio.get_running_loop().time() + settings().body_s + (announced or 0) / SLOWEST_BYTES_S
        self._again: list[Message] = []
        self._whole = False

    async def receive(self) -> Message:
        if self._again:
            return self._again.pop(0)
        if self._whole:
            return await self._receive()  # waits for the client to go
        try:
            async with asyncio.timeout_at(self._deadline):
                message = await self._receive()
        except TimeoutError as error:
            raise SentTooSlowlyError from error
        if message["type"] == "http.request":
            self._got += len(message.get("body", b""))
            self._whole = not message.get("more_body", False)
            if self._got > self._most:
                raise SentTooMuchError(self._most)
        return message

    async def read(self) -> bytes:
        """Return all of it; it can be received again afterwards."""
        messages = [await self.receive()]
        while messages[-1]["type"] == "http.request" and messages[-1].get("more_body", False):
            messages.append(await self.receive())
        self._again = messages
        return b"".join(message.get("body", b"") for message in messages)


def most_bytes(path: str, known: Known | None, allowed: Settings) -> int:
    """Return how large a request's body may be."""
    if known is None:
        return allowed.anonymous_body_bytes
    return allowed.part_bytes if path.endswith(WHOLE_FILES) else allowed.body_bytes


def _length(request: Request) -> int | None:
    text = request.headers.get("content-length", "")
    return int(text) if text.isascii() and text.isdigit() and len(text) < 19 else None


def _log_in_first(request: Request) -> Response:
    if request.method in SAFE and "text/html" in request.headers.get("accept", ""):
        return RedirectResponse(f"/login?next={quote(request.url.path)}", 303)
    return JSONResponse({"message": "Log in first."}, 401)


async def _token_fits(request: Request, known: Known | None, body: Body) -> bool:
    expected = known.csrf if known is not None else request.cookies.get(FORM_COOKIE, "")
    sent = Headers(scope=request.scope).get("x-csrf-token")
    if sent is None and request.headers.get("content-type", "").startswith(FORM_TYPE):
        sent = dict(parse_qsl((await body.read()).decode("latin-1"))).get("csrf")
    return bool(expected) and sent is not None and secrets.compare_digest(expected.encode(), sent.encode())


# ---- for pages and routes --------------------------------------------------------------------------------------------


def user_id(request: Request) -> int:
    """Return who is logged in; only behind the door."""
    known: Known = request.state.known
    return known.user_id


def token(request: Request) -> str:
    """Return what every form and every change carries: the session's, or before a log-in that of the browser's own
    cookie.
    """
    known: Known | None = request.state.known
    return known.csrf if known is not None else request.cookies.get(FORM_COOKIE) or secrets.token_urlsafe(24)


def set_cookie(request: Request, answer: Response, name: str, value: str, *, days: float | None = None) -> None:
    """A cookie that scripts cannot read and other sites do not send; where the page came encrypted, it goes no other way."""
    age_s = None if days is None else int(days * 86_400)
    secure = request.url.scheme == "https"
    answer.set_cookie(name, value, max_age=age_s, httponly=True, samesite="lax", secure=secure)


def safe_next(target: str) -> str:
    """Only a path of this site: nobody is sent elsewhere after logging in."""
    plain = target.isascii() and target.isprintable()
    return target if plain and target.startswith("/") and not target.startswith(("//", "/\\")) else "/"
