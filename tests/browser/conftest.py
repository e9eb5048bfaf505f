"""A logged-in page; any page error or console error fails the test."""

from __future__ import annotations

import re
from collections.abc import Iterator
from pathlib import Path

import httpx
import pytest
from playwright.sync_api import BrowserContext, ConsoleMessage, Page, expect

AXE = Path(__file__).parent / "vendor" / "axe.min.js"
SETTLED = """async () => {
  const picture = () => new Promise(requestAnimationFrame);
  const under_way = () => document.getAnimations().filter(one => one instanceof CSSTransition);
  for (await picture(), await picture(); under_way().length; await picture())
    await Promise.allSettled(under_way().map(one => one.finished));
}"""  # a colour on its way from light to dark is nobody's contrast
WAIT_MS = 60_000  # generous: the machine may be starved; nothing here is a measurement

expect.set_options(timeout=WAIT_MS)

# Tests of pages that nothing live matters to: meanwhile what plays takes rests, for two programs with twelve devices each
# are half of all that the machine has to do.
AT_REST = (
    "test_accessible", "test_compounds", "test_controls", "test_duty", "test_evidence", "test_pen", "test_plan", "test_preflight", "test_pressed",
    "test_rehearsal", "test_sheet"
)  # fmt: skip


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


@pytest.fixture(scope="module", autouse=True)
def resting(request: pytest.FixtureRequest) -> Iterator[None]:
    """The stand-ins rest, where a module's tests look at nothing that is live."""
    if request.module.__name__.rpartition(".")[2] not in AT_REST:
        yield
        return
    program, entered = request.getfixturevalue("program"), request.getfixturevalue("entered")
    with httpx.Client(base_url=program, cookies=entered, timeout=120) as client:
        token = re.search(r'name="csrf" content="([^"]+)"', client.get("/sites").text)
        assert token
        headers = {"x-csrf-token": token.group(1)}
        codes = [each["code"] for each in client.get("/sites/1/walk/standins/state").json()["cameras"]]
        for code in codes:
            client.post(f"/sites/1/walk/standins/camera/{code}/pause", headers=headers, json={}).raise_for_status()
        yield
        for code in codes:
            client.post(f"/sites/1/walk/standins/camera/{code}/play", headers=headers, json={}).raise_for_status()


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
