"""The panel of the relay stand-in: its contacts are closed and opened here, its loops given what stands in them."""

from __future__ import annotations

from html import escape

from starlette.requests import Request
from starlette.responses import HTMLResponse, JSONResponse, Response
from starlette.routing import Route

from lantern.standins.relay import COILS, FULL_SCALE, RelayStandIn

# what may stand in a loop of two resistors and a pull-up that are alike: R / (R + Rp)
LOOPS = {"shorted": 0.0, "idle": 1 / 2, "between": 0.6, "active": 2 / 3, "cut": 1.0}


def panel_routes(relay: RelayStandIn) -> list[Route]:
    """`POST /relay/contact/3/close`, `POST /relay/loop/2/active`; `GET /panel` is a page with a button for each."""

    async def contact(request: Request) -> Response:
        number, what = request.path_params["number"], request.path_params["what"]
        if number >= COILS or what not in ("close", "open"):
            return JSONResponse({"message": f"contacts are 0 to {COILS - 1}, to close or open"}, 422)
        relay.contacts[number] = what == "close"
        return JSONResponse(_state(relay))

    async def loop(request: Request) -> Response:
        number, what = request.path_params["number"], request.path_params["what"]
        if number >= COILS or what not in LOOPS:
            return JSONResponse({"message": f"loops are 0 to {COILS - 1}, with {', '.join(LOOPS)}"}, 422)
        relay.loops[number] = round(LOOPS[what] * FULL_SCALE)
        return JSONResponse(_state(relay))

    async def page(request: Request) -> Response:
        return HTMLResponse(_page(relay))

    async def press(request: Request) -> Response:
        """A button of the page: the same, and the page again."""
        target = contact if request.path_params["part"] == "contact" else loop
        answer = await target(request)
        return answer if answer.status_code != 200 else HTMLResponse(_page(relay))

    return [
        Route("/relay/contact/{number:int}/{what:str}", contact, methods=["POST"]),
        Route("/relay/loop/{number:int}/{what:str}", loop, methods=["POST"]),
        Route("/panel", page),
        Route("/panel/{part:str}/{number:int}/{what:str}", press, methods=["POST"]),
    ]


def _state(relay: RelayStandIn) -> dict[str, object]:
    return {"contacts": relay.contacts, "loops": relay.loops, "full_scale": FULL_SCALE}


def _page(relay: RelayStandIn) -> str:
    def button(part: str, number: int, what: str) -> str:
        return f'<button formaction="/panel/{part}/{number}/{what}">{escape(what)}</button>'

    contacts = "".join(
        f"<tr><td>contact {n}</td><td>{'closed' if closed else 'open'}</td>"
        f"<td>{button('contact', n, 'open' if closed else 'close')}</td></tr>"
        for n, closed in enumerate(relay.contacts)
    )
    loops = "".join(
        f"<tr><td>loop {n}</td><td>{value / FULL_SCALE:.3f}</td>"
        f"<td>{''.join(button('loop', n, what) for what in LOOPS)}</td></tr>"
        for n, value in enumerate(relay.loops)
    )
    return (
        "<!doctype html><html lang=en><meta charset=utf-8><title>Panel of the relay stand-in</title>"
        f"<h1>Panel</h1><form method=post><table>{contacts}{loops}</table></form></html>"
    )
