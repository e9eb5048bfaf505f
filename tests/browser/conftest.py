"""A logged-in page; any page error or console error fails the test."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
from playwright.sync_api import BrowserContext, ConsoleMessage, Page, expect

from conftest import OWN_PROGRAM

AXE = Path(__file__).parent / "vendor" / "axe.min.js"
SETTLED = """async () => {
  const picture = () => new Promise(requestAnimationFrame);
  const under_way = () => document.getAnimations().filter(one => one instanceof CSSTransition);
  for (await picture(), await picture(); under_way().length; await picture())
    await Promise.allSettled(under_way().map(one => one.finished));
}"""  # a colour on its way from light to dark is nobody's contrast
WAIT_MS = 60_000  # generous: the machine may be starved; nothing here is a measurement

expect.set_options(timeout=WAIT_MS)


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    for item in items:
        if "browser" in item.path.parts:
            item.add_marker(pytest.mark.browser)


@pytest.fixture(scope="session")
def entered(program: str) -> dict[str, str]:
    """The cookies of one log-in for all of these tests; that one gets in by the form is a test of its own."""
    with httpx.Client(base_url=program, timeout=120) as client:
        token = re.search(r'name="csrf" value="([^"]+)"', client.get("/login").text)
        assert token
        client.post("/login", data={"login": "mira", "password": "harbour-light", "csrf": token.group(1)})
        return dict(client.cookies)


@pytest.fixture(autouse=True)
def stand_ins(request: pytest.FixtureRequest) -> Iterator[None]:
    """They play for tests that are marked `plays`, and rest for all others: two programs with twelve devices each would be half of all
    that the machine has to do.
    """
    if request.path.name in OWN_PROGRAM:
        yield
        return
    program, entered = request.getfixturevalue("program"), request.getfixturevalue("entered")
    wanted = "pause" if request.node.get_closest_marker("plays") is None else "play"
    if _TOLD.get(program) != wanted:
        _tell_stand_ins(program, entered, wanted)
        _TOLD[program] = wanted
    yield
    if wanted == "play":
        _TOLD.pop(program)  # it may have stopped some of them itself


_TOLD: dict[str, str] = {}


def _tell_stand_ins(program: str, entered: dict[str, str], what: str) -> None:
    with httpx.Client(base_url=program, cookies=entered, timeout=120) as client:
        token = re.search(r'name="csrf" content="([^"]+)"', client.get("/sites").text)
        assert token
        headers = {"x-csrf-token": token.group(1)}
        for each in client.get("/sites/1/walk/standins/state").json()["cameras"]:
            path = f"/sites/1/walk/standins/camera/{each['code']}/{what}"
            client.post(path, headers=headers, json={}).raise_for_status()


@pytest.fixture
def bench(context: BrowserContext, program: str, entered: dict[str, str]) -> Iterator[Page]:
    """A page that is logged in."""
    context.set_default_timeout(WAIT_MS)
    context.set_default_navigation_timeout(WAIT_MS)
    page = context.new_page()
    troubles: list[str] = []

    def heard(message: ConsoleMessage) -> None:
        # a refused request (422 and the like) is part of some tests, and shown on the page
        broken = message.type == "error" or "Expression Error" in message.text  # of the page's own templates, a warning
        if broken and "Failed to load resource" not in message.text:
            troubles.append(message.text)

    page.on("console", heard)
    page.on("pageerror", lambda error: troubles.append(str(error)))
    context.add_cookies([{"name": name, "value": value, "url": program} for name, value in entered.items()])
    yield page
    assert troubles == []


def violations(page: Page, *, only_contrast: bool = False) -> list[str]:
    """What the automatic checker finds against WCAG 2.2 A and AA. Run apart from the page's own policy, which forbids eval.
    `only_contrast`: of a page that was looked at already, in other colours.
    """
    page.evaluate(SETTLED)
    page.evaluate(AXE.read_text())
    rules = {"type": "rule", "values": ["color-contrast"]}
    tags = {"type": "tag", "values": ["wcag2a", "wcag2aa", "wcag21a", "wcag21aa", "wcag22aa"]}
    found = page.evaluate(
        "runOnly => axe.run(document, { runOnly }).then(r => r.violations.map(v => v.id + ': ' + v.nodes.slice(0, 3)"
        ".map(n => n.html.slice(0, 110) + ' | ' + n.any.map(a => a.message).join('; ').slice(0,140)).join('\\n   ')))",
        rules if only_contrast else tags,
    )
    return list(found)
