"""Server time of the pages, and a dial's drag to the redrawn score card in the browser on the demo take."""

from __future__ import annotations

import re
import time
from collections.abc import Iterator

import httpx

from bench.figures import Figure, percentile
from bench.program import logged_in, program

PAGES = (
    "/sites/1/survey",
    "/sites/1/takes",
    "/sites/1/bench/1",
    "/sites/1/bench/1/revisions",
    "/sites/1/links/1",
    "/sites/1/rehearse/1",
    "/sites/1/walk/1",
)
LOOKS = 25
DRAGS = 40


def run() -> Iterator[Figure]:
    with program() as (address, _):
        with httpx.Client(base_url=address, follow_redirects=True, headers={"accept": "text/html"}) as client:
            token = re.search(r'name="csrf" value="([^"]+)"', client.get("/login").text)
            assert token
            client.post("/login", data={"login": "mira", "password": "harbour-light", "csrf": token.group(1)})
            for path in PAGES:
                client.get(path)  # the first look fills caches, as a first user does
                taken = []
                for _ in range(LOOKS):
                    began = time.perf_counter()
                    client.get(path).raise_for_status()
                    taken.append((time.perf_counter() - began) * 1000)
                yield Figure(f"{path}, p95 of {LOOKS}", percentile(taken, 0.95), "ms", 80.0)
        yield from _drag(address)


def _drag(address: str) -> Iterator[Figure]:
    try:
        from playwright.sync_api import sync_playwright
    except ImportError:
        return
    with sync_playwright() as play:
        page = logged_in(play, address)
        page.goto(f"{address}/sites/1/bench/1")
        strip = page.locator('svg[data-strip="threshold_c"]')
        strip.locator(".pin").wait_for()
        box = strip.bounding_box()
        assert box
        # from a pointer move to the score card's new number in the page, seen by an observer there
        page.evaluate(
            """() => { const cell = document.querySelector('[data-testid=false]'); window.taken = []; let at = 0;
            addEventListener('pointermove', () => { at = performance.now(); }, true);
            new MutationObserver(() => { if (at) { window.taken.push(performance.now() - at); at = 0; } }).observe(cell, { childList: true, characterData: true, subtree: true }); }"""
        )
        y = box["y"] + box["height"] / 2
        page.mouse.move(box["x"] + 30, y)
        page.mouse.down()
        for i in range(DRAGS):
            page.mouse.move(box["x"] + (40 if i % 2 else box["width"] * 0.95), y)
            page.wait_for_timeout(250)
        page.mouse.up()
        taken = page.evaluate("window.taken")
        page.context.browser.close()
    yield Figure(
        f"drag of the threshold to the redrawn score card, median of {len(taken)}", percentile(taken, 0.5), "ms", 150.0
    )
    yield Figure("the same, p95", percentile(taken, 0.95), "ms", 150.0)
