"""Every button of every page is pressed, by an engineer. What it would write is held up and looked at: whether there is such a route,
whether the role may, and whether it is sent what it takes. The other roles press what they see of it, but for what only moves something
on the page."""

from __future__ import annotations

import json
import re
from dataclasses import dataclass, field
from typing import Any
from urllib.parse import urlsplit

import httpx
import jsonschema_rs
import pytest
from playwright.sync_api import BrowserContext, Page, Route
from playwright.sync_api import Error as BrowserError

from lantern.core.roles import suffices

PAGES = (
    "/survey", "/plan", "/preflight", "/compounds", "/link-sheet", "/devices", "/devices/1", "/devices/5", "/devices/9",
    "/devices/9/duty", "/devices/9/steer", "/devices/10", "/takes", "/bench/1", "/bench/3",
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
    "engineer": (*PAGES, "/devices/new?kind=camera", "/detectors/new?device=1", "/detectors/new?device=8"),
    "viewer": tuple(page for page in PAGES if page not in OF_ANOTHER),
    "operator": tuple(
        page for page in PAGES if page.startswith(("/bench", "/walk", "/devices/")) and page not in OF_ANOTHER
    ),
    "lead": ("/survey", "/people"),
}
MOST_PRESSED = 150
LEAST_ASKED = {
    "viewer": 0,
    "operator": 5,
    "engineer": 20,
    "lead": 6,
}  # routes that write and are pressed without a word typed
REFUSED = {"status": 409, "json": {"message": "held up by a test"}}
# The next button in sight that was not pressed yet is pressed, and is told, with whether it opened a dialog or closed one; dialogs stay
# open as long as they have one.
PRESS = """async (seen) => {
  const named = (one) => [
    one.closest('[id], [data-testid]')?.id ?? '', one.ariaLabel ?? one.textContent.trim().replace(/\\s+/g, ' '),
  ].join(' ').replace(/\\d+([.,:]\\d+)*/g, '#');
  const open = document.querySelector('dialog[open]');
  const all = [...(open ?? document).querySelectorAll('main button, aside button, .axis button, dialog[open] button, summary')];
  const next = all.find((one) => one.checkVisibility({ visibilityProperty: true }) && !one.matches(':disabled')
    && !seen.includes(named(one)));
  if (!next) { open?.close(); return open ? ['(closed)', false] : null; }
  const name = named(next);
  next.click();
  await new Promise((done) => setTimeout(done, 30));
  return [name, document.querySelector('dialog[open]') !== open];
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


@dataclass
class Presser:
    """Somebody of a role who presses all that is in sight, and what was wrong with it. `loud`: by page, what somebody else's press of it
    asked, opened or left; what did not is not pressed again.
    """

    role: str
    page: Page
    routes: Routes
    loud: dict[str, set[str]] = field(default_factory=dict)
    quiet: dict[str, set[str]] = field(default_factory=dict)
    wrong: set[str] = field(default_factory=set)
    asked: set[str] = field(default_factory=set)
    _pressed: str = ""
    _requests: int = 0

    def __post_init__(self) -> None:
        self.page.route("**/sites/1/**", self._look)
        self.page.on("pageerror", lambda error: self.wrong.add(f"{self._pressed}: {error}"))
        self.page.on("dialog", lambda dialog: dialog.accept())

    def _look(self, route: Route) -> None:
        request = route.request
        if request.method == "GET":
            route.continue_()
            return
        self._requests += 1
        body = None if request.post_data_buffer is None else request.post_data_buffer.decode(errors="replace")
        if fault := self.routes.fault(request.method, request.url, body, self.role):
            self.wrong.add(f"{self._pressed}: {request.method} {urlsplit(request.url).path}: {fault}")
        told = self.routes.of(request.method, request.url)
        if told is None or told.get("x-role") in ("viewer", "known"):
            route.continue_()
        else:
            self.asked.add(f"{request.method} {told['operationId']}")
            route.fulfill(**REFUSED)

    def press_all(self, path: str) -> None:
        page, address = self.page, f"/sites/1{path}"
        place = urlsplit(address).path
        answer = page.goto(address)
        assert answer and answer.ok, path
        page.wait_for_timeout(300)
        hrefs = page.evaluate(
            "[...document.querySelectorAll('a[href]')].filter(a => a.checkVisibility()).map(a => a.href)"
        )
        for href in hrefs:
            if "/sites/1/" in href and (fault := self.routes.fault("GET", href, None, self.role)):
                self.wrong.add(f"{path}: {urlsplit(href).path}: {fault}")
        seen = sorted(self.quiet.get(path, ()))
        loud = self.loud.setdefault(path, set())
        for _ in range(MOST_PRESSED):
            last, before = seen[-1:], self._requests
            try:
                if urlsplit(page.url).path != place:
                    page.goto(address)
                self.wrong |= {f"{path}: grey without a word: {one}" for one in page.evaluate(GREY)}
                self._pressed = f"{path}: after {last}"
                pressed = page.evaluate(PRESS, seen)
            except BrowserError as error:  # the page was left in the middle of it
                if "navigation" not in str(error) and "destroyed" not in str(error):
                    raise
                page.wait_for_load_state("load")
                seen.append("(left)")
                continue
            if pressed is None:
                break
            name, opened = pressed
            seen.append(name)
            if opened:
                loud.add(name)
            if self._requests > before or urlsplit(page.url).path != place:
                loud |= {name, *last}  # it may have been the one before that asked only now
        self.quiet[path] = set(seen) - loud - {"(left)", "(closed)"}


def somebody(context: BrowserContext, program: str, entered: dict[str, str], role: str) -> Page:
    """A page of somebody who has a role on the demo site."""
    password = "seen and pressed 1"
    with httpx.Client(base_url=program, cookies=entered, timeout=120) as lead:
        token = re.search(r'name="csrf" content="([^"]+)"', lead.get("/sites").text)
        assert token
        made = {"login": f"a-{role}", "name": f"A {role}", "password": password, "role": role}
        lead.post("/sites/1/people", json=made, headers={"x-csrf-token": token.group(1)}).raise_for_status()
    context.clear_cookies()
    page = context.new_page()
    page.goto("/login")
    page.fill("#login", f"a-{role}")
    page.fill("#password", password)
    page.get_by_role("button", name="Log in").click()
    page.wait_for_url(lambda url: "/login" not in url)
    return page


def test_each_button_may_be_pressed_by_whom_it_is_drawn_for(
    context: BrowserContext, program: str, entered: dict[str, str], routes: Routes
) -> None:
    quiet: dict[str, set[str]] = {}
    for role, pages in PAGES_OF.items():
        presser = Presser(role, somebody(context, program, entered, role), routes, quiet=dict(quiet))
        for path in pages:
            presser.press_all(path)
        assert presser.wrong == set(), role
        assert len(presser.asked) >= LEAST_ASKED[role], (role, sorted(presser.asked))
        if role == "engineer":
            quiet = presser.quiet
        presser.page.close()
