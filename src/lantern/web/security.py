"""Who may do what from where: log-in, cross-site request forgery, and what pages may load."""

from __future__ import annotations

import secrets
from collections.abc import Awaitable, Callable
from urllib.parse import quote

from fastapi import Request
from fastapi.responses import JSONResponse, RedirectResponse, Response
from starlette.datastructures import Headers, MutableHeaders
from starlette.types import ASGIApp, Message, Receive, Scope, Send

CONTENT_POLICY = "; ".join(
    (
        "default-src 'none'",
        "script-src 'self'",
        "style-src 'self'",
        "img-src 'self' data: blob:",
        "font-src 'self'",
        "connect-src 'self'",
        "form-action 'self'",
        "frame-ancestors 'none'",
        "base-uri 'none'",
    )
)
SAFE = ("GET", "HEAD", "OPTIONS")
OPEN_PATHS = ("/static/", "/login", "/health")


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


async def guard(request: Request, call_next: Callable[[Request], Awaitable[Response]]) -> Response:
    """Log-in before everything but the log-in itself; the session's token with every change."""
    path = request.url.path
    if request.method not in SAFE and not await _token_fits(request):
        return JSONResponse(
            {"message": "This page is out of date: its form token does not fit your session. Reload it and try again."},
            403,
        )
    if "user_id" not in request.session and not path.startswith(OPEN_PATHS):
        if request.method in SAFE and "text/html" in request.headers.get("accept", ""):
            return RedirectResponse(f"/login?next={quote(path)}", 303)
        return JSONResponse({"message": "Log in first."}, 401)
    return await call_next(request)


def token(request: Request) -> str:
    """The session's token, made when first asked for."""
    if "csrf" not in request.session:
        request.session["csrf"] = secrets.token_urlsafe(24)
    return str(request.session["csrf"])


async def _token_fits(request: Request) -> bool:
    expected = request.session.get("csrf")
    sent = Headers(raw=request.headers.raw).get("x-csrf-token")
    if sent is None and request.headers.get("content-type", "").startswith("application/x-www-form-urlencoded"):
        await request.body()  # kept by the middleware, so that the route can read the form again
        sent = str((await request.form()).get("csrf", ""))
    return bool(expected) and sent is not None and secrets.compare_digest(str(expected), sent)


def safe_next(target: str) -> str:
    """Only a path of this site: nobody is sent elsewhere after logging in."""
    return target if target.startswith("/") and not target.startswith(("//", "/\\")) else "/"
