"""Every page by the automatic checker (WCAG 2.2 A and AA), light, dark and narrow; by keyboard; within its frame."""

from __future__ import annotations

import pytest
from playwright.sync_api import Browser, Page, expect

from browser.conftest import violations

PAGES = [
    "/sites/1/survey",
    "/sites/1/preflight",
    "/sites/1/compounds",
    "/sites/1/link-sheet",
    "/sites/1/takes",
    "/sites/1/bench/1?take=1",
    "/sites/1/bench/4?tab=counts",
    "/sites/1/bench/1/revisions",
    "/sites/1/links/1",
    "/sites/1/rehearse/1?take=1",
    "/sites/1/walk/1",
    "/sites/1/walk/5",
    "/sites/1/detectors/new?device=1",
    "/sites/1/detectors/new?device=8",
    "/sites/1/bench/11",
    "/sites/1/walk/11",
    "/sites/1/people-lists",
    "/sites/1/persons",
    "/sites/1/devices/9",
    "/sites/1/devices/10",
    "/sites/1/devices",
    "/sites/1/types",
    "/sites/1/events",
    "/sites/1/compare",
    "/sites/1/people",
    "/people",
    "/account",
]


@pytest.mark.parametrize("path", PAGES)
def test_light_dark_and_narrow(bench: Page, path: str) -> None:
    bench.goto(path)
    bench.wait_for_load_state("load")
    expect(bench.locator("main h1").first).to_be_visible()
    assert violations(bench) == []
    bench.emulate_media(color_scheme="dark")
    assert violations(bench, only_contrast=True) == []
    bench.set_viewport_size({"width": 390, "height": 800})
    expect(bench.locator("main h1").first).to_be_visible()
    for _ in range(50):  # what is drawn follows the new width a moment later
        if bench.evaluate("document.documentElement.scrollWidth") <= 390:
            break
        bench.wait_for_timeout(100)
    assert bench.evaluate("document.documentElement.scrollWidth") <= 390


def test_log_in_page(browser: Browser, program: str) -> None:
    page = browser.new_page()
    page.goto(f"{program}/login")
    assert violations(page) == []
    page.close()


def test_the_bench_fits_its_design_size(bench: Page) -> None:
    bench.goto("/sites/1/bench/1?take=1")
    expect(bench.locator('svg[data-strip="sustain_s"] .pin')).to_be_visible()
    assert bench.evaluate("document.documentElement.scrollHeight") <= 800
    assert bench.evaluate("document.documentElement.scrollWidth") <= 1280


def test_pages_load_nothing_from_elsewhere(bench: Page, program: str) -> None:
    asked: list[str] = []
    bench.on("request", lambda request: asked.append(request.url))
    for path in PAGES[:6]:
        bench.goto(path)
        bench.wait_for_load_state("load")
    assert asked
    assert [url for url in asked if not url.startswith((program, "data:", "blob:"))] == []


def test_keys_are_listed_and_digits_go_to_stages(bench: Page) -> None:
    bench.goto("/sites/1/survey")
    bench.keyboard.press("?")
    expect(bench.get_by_role("dialog")).to_contain_text("nudge the chosen dial")
    bench.keyboard.press("Escape")
    expect(bench.locator("#keys")).to_be_hidden()
    bench.keyboard.press("2")
    bench.wait_for_url("**/takes")


def test_one_gets_in_by_the_form(page: Page) -> None:
    page.goto("/sites/1/plan")
    page.get_by_label("Login").fill("mira")
    page.get_by_label("Password").fill("harbour-light")
    page.get_by_role("button", name="Log in").click()
    page.wait_for_url("**/sites/1/plan")
