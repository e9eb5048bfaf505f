"""A logged-in page; any page error or console error fails the test."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
from playwright.sync_api import BrowserContext, ConsoleMessage, Page, expect

AXE = Path(__file__).parent / "vendor" / "axe.min.js"
AT_REST = """async () => {
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
    with httpx.Client(base_url=program) as client:
        token = re.search(r'name="csrf" value="([^"]+)"', client.get("/login").text)
        assert token
        client.post("/login", data={"login": "mira", "password": "harbour-light", "csrf": token.group(1)})
        return dict(client.cookies)


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


def violations(page: Page) -> list[str]:
    """What the automatic checker finds against WCAG 2.2 A and AA. Run apart from the page's own policy, which forbids eval."""
    page.evaluate(AT_REST)
    page.evaluate(AXE.read_text())
    found = page.evaluate(
        "axe.run(document, { runOnly: ['wcag2a', 'wcag2aa', 'wcag21a', 'wcag21aa', 'wcag22aa'] })"
        ".then(r => r.violations.map(v => v.id + ': ' + v.nodes.slice(0, 3).map(n => n.html.slice(0, 110) + ' | ' + n.any.map(a => a.message).join('; ').slice(0,140)).join('\\n   ')))"
    )
    return list(found)
