"""Every button of every page is pressed, by each role. What it would write is held up and looked at: whether there is such a route,
whether the role may, and whether it is sent what it takes."""

from __future__ import annotations

import json
import re
from typing import Any
from urllib.parse import urlsplit

import httpx
import jsonschema_rs
import pytest
from playwright.sync_api import BrowserContext, Page, Route
from playwright.sync_api import Error as BrowserError

from lantern.core.roles import suffices

PAGES = (
    "/survey", "/plan", "/preflight", "/compounds", "/link-sheet", "/devices", "/devices/1", "/devices/5", "/devices/9", "/devices/10", "/takes", "/bench/1", "/bench/3",
    "/bench/4", "/bench/6", "/bench/8", "/bench/11", "/bench/1/revisions", "/links/1", "/rehearse/1", "/rehearsal", "/walk/1",
    "/walk/4", "/walk/5", "/walk/11", "/events", "/revisions", "/types", "/lists", "/people-lists", "/persons", "/compare", "/diff",
)  # fmt: skip
OF_ANOTHER = (
    "/devices/5",
    "/devices/10",
    "/bench/3",
    "/bench/4",
    "/bench/6",
    "/bench/8",
    "/walk/4",
    "/walk/11",
    "/diff",
    "/rehearsal",
)  # drawn by templates that others are drawn by, too
PAGES_OF = {
    "viewer": tuple(page for page in PAGES if page not in OF_ANOTHER),
    "operator": tuple(
        page for page in PAGES if page.startswith(("/bench", "/walk", "/devices/")) and page not in OF_ANOTHER
    ),
    "engineer": (*PAGES, "/devices/new?kind=camera", "/detectors/new?device=1", "/detectors/new?device=8"),
    "lead": ("/survey", "/people"),
}
LEAST_ASKED = {
    "viewer": 0,
    "operator": 5,
    "engineer": 20,
    "lead": 6,
}  # routes that write and are pressed without a word typed
REFUSED = {"status": 409, "json": {"message": "held up by a test"}}
# The next button in sight that was not pressed yet is pressed, and is told; dialogs stay open as long as they have one.
PRESS = """async (seen) => {
  const named = (one) => [
    one.closest('[id], [data-testid]')?.id ?? '', one.ariaLabel ?? one.textContent.trim().replace(/\\s+/g, ' '),
  ].join(' ').replace(/\\d+([.,:]\\d+)*/g, '#');
  const open = document.querySelector('dialog[open]');
  const all = [...(open ?? document).querySelectorAll('main button, aside button, .axis button, dialog[open] button, summary')];
  const next = all.find((one) => one.checkVisibility({ visibilityProperty: true }) && !one.matches(':disabled')
    && !seen.includes(named(one)));
  if (!next) { open?.close(); return open ? '(closed)' : null; }
  next.click();
  await new Promise((done) => setTimeout(done, 30));
  return named(next);
}"""
GREY = """() => [...document.querySelectorAll('button:disabled')]
  .filter((one) => one.checkVisibility({ visibilityProperty: true }) && !one.title.trim())
  .map((one) => one.outerHTML.slice(0, 120))"""


class Routes:
    """What the program says of its own addresses."""

    def __init__(self, document: dict[str, Any]) -> None:
        self.components = {"components": document["components"]}
        self.all = [
            (re.compile(re.sub(r"\{\w+\}", "[^/]+", path) + "$"), method.upper(), operation)
            for path, methods in document["paths"].items()
            for method, operation in methods.items()
        ]

    def of(self, method: str, url: str) -> dict[str, Any] | None:
        path = urlsplit(url).path
        return next((told for pattern, verb, told in self.all if verb == method and pattern.match(path)), None)

    def fault(self, method: str, url: str, body: str | None, role: str) -> str:
        """Return what is wrong with a request, "" if nothing."""
        told = self.of(method, url)
        if told is None:
            return "no such route"
        wanted = told.get("x-role", "known")
        if wanted in ("known", "anybody"):
            return ""
        if wanted == "administrator" or not suffices(role, wanted):
            return f"asks for {wanted}"
        schema = told.get("requestBody", {}).get("content", {}).get("application/json", {}).get("schema")
        if schema is None:
            return ""
        found = jsonschema_rs.validator_for(schema | self.components).iter_errors(json.loads(body or "null"))
        return "; ".join(f"{'.'.join(map(str, each.instance_path))}: {each.message}" for each in found)


@pytest.fixture(scope="module")
def routes(program: str, entered: dict[str, str]) -> Routes:
    return Routes(httpx.get(f"{program}/openapi.json", cookies=entered, timeout=120).json())


@pytest.fixture(params=PAGES_OF)
def somebody(
    request: pytest.FixtureRequest, context: BrowserContext, program: str, entered: dict[str, str]
) -> tuple[str, Page]:
    """The role and a page of whoever has it on the demo site."""
    role, password = request.param, "seen and pressed 1"
    with httpx.Client(base_url=program, cookies=entered, timeout=120) as lead:
        token = re.search(r'name="csrf" content="([^"]+)"', lead.get("/sites").text)
        assert token
        made = {"login": f"a-{role}", "name": f"A {role}", "password": password, "role": role}
        lead.post("/sites/1/people", json=made, headers={"x-csrf-token": token.group(1)}).raise_for_status()
    page = context.new_page()
    page.goto("/login")
    page.fill("#login", f"a-{role}")
    page.fill("#password", password)
    page.get_by_role("button", name="Log in").click()
    page.wait_for_url(lambda url: "/login" not in url)
    page.on("dialog", lambda dialog: dialog.accept())
    return role, page


def test_each_button_may_be_pressed_by_whom_it_is_drawn_for(somebody: tuple[str, Page], routes: Routes) -> None:
    role, page = somebody
    wrong: set[str] = set()
    asked: set[str] = set()
    pressed = ""

    def look(route: Route) -> None:
        request = route.request
        if request.method == "GET":
            route.continue_()
            return
        body = None if request.post_data_buffer is None else request.post_data_buffer.decode(errors="replace")
        if fault := routes.fault(request.method, request.url, body, role):
            wrong.add(f"{pressed}: {request.method} {urlsplit(request.url).path}: {fault}")
        told = routes.of(request.method, request.url)
        if told is None or told.get("x-role") in ("viewer", "known"):
            route.continue_()
        else:
            asked.add(f"{request.method} {told['operationId']}")
            route.fulfill(**REFUSED)

    page.route("**/sites/1/**", look)
    page.on("pageerror", lambda error: wrong.add(f"{pressed}: {error}"))
    for path in PAGES_OF[role]:
        address = f"/sites/1{path}"
        seen: list[str] = []
        answer = page.goto(address)
        assert answer and answer.ok, path
        page.wait_for_timeout(300)
        hrefs = page.evaluate(
            "[...document.querySelectorAll('a[href]')].filter(a => a.checkVisibility()).map(a => a.href)"
        )
        for href in hrefs:
            if "/sites/1/" in href and (fault := routes.fault("GET", href, None, role)):
                wrong.add(f"{path}: {urlsplit(href).path}: {fault}")
        while len(seen) < 150:
            try:
                if urlsplit(page.url).path != urlsplit(address).path:
                    page.goto(address)
                wrong |= {f"{path}: grey without a word: {one}" for one in page.evaluate(GREY)}
                pressed = f"{path}: after {seen[-1:]}"
                name = page.evaluate(PRESS, seen)
            except BrowserError as error:  # the page was left in the middle of it
                if "navigation" not in str(error) and "destroyed" not in str(error):
                    raise
                page.wait_for_load_state("load")
                seen.append("(left)")
                continue
            if name is None:
                break
            seen.append(name)
    assert wrong == set()
    assert len(asked) >= LEAST_ASKED[role], sorted(asked)
