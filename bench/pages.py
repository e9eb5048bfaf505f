"""Server time of the pages, and a dial's drag to the redrawn score card in the browser on the demo take."""

from __future__ import annotations

import json
import re
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import httpx

from bench.figures import Figure, percentile, sized
from bench.program import logged_in, program
from bench.store import beside
from lantern.db.base import transaction
from lantern.formats.documents import site_of
from lantern.sites.actions import import_site
from lantern.takes.actions import import_path

PAGES = (
    "/sites/1/survey",
    "/sites/1/takes",
    "/sites/1/bench/1",
    "/sites/1/bench/1/revisions",
    "/sites/1/links/1",
    "/sites/1/rehearse/1",
    "/sites/1/walk/1",
)
LOOKS = sized(25, 2)
LARGE = sized(300, 30)
DRAGS = sized(40, 3)


def run() -> Iterator[Figure]:
    with program() as (address, state):
        with httpx.Client(base_url=address, follow_redirects=True, headers={"accept": "text/html"}) as client:
            token = re.search(r'name="csrf" value="([^"]+)"', client.get("/login").text)
            assert token
            client.post("/login", data={"login": "mira", "password": "harbour-light", "csrf": token.group(1)})
            for path in PAGES:
                yield Figure(f"{path}, p95 of {LOOKS}", _p95_ms(client, path), "ms", 80.0)
            site_id = _large_site(state)
            for page in ("survey", "takes"):
                taken_ms = _p95_ms(client, f"/sites/{site_id}/{page}")
                yield Figure(f"/{page} of {LARGE} devices, takes and detectors, p95 of {LOOKS}", taken_ms, "ms", 150.0)
        yield from _drag(address)


def _p95_ms(client: httpx.Client, path: str) -> float:
    client.get(path)  # the first look fills caches, as a first user does
    taken = []
    for _ in range(LOOKS):
        began = time.perf_counter()
        client.get(path).raise_for_status()
        taken.append((time.perf_counter() - began) * 1000)
    return percentile(taken, 0.95)


def _large_site(state: Path) -> int:
    """A site of 300 probes, each with a take and a detector, put into the running program; its number."""
    beside(state)
    devices = [{"code": f"P{n}", "name": f"Probe {n}", "kind": "thermal"} for n in range(LARGE)]
    region = {"name": "probe", "shape": "spot", "points": [[0, 0]]}
    document = {
        "format": "lantern-site/1",
        "name": "Large site",
        "places": [{"name": f"Hall {n}", "devices": devices[30 * n : 30 * n + 30]} for n in range(LARGE // 30)],
        "detectors": [
            {"name": f"Hot {d['code']}", "kind": "heat", "device": d["code"], "regions": [region]} for d in devices
        ],
    }
    with transaction() as session:
        site_id = import_site(session, site_of(document, where="bench"), user_id=None).id
    with tempfile.TemporaryDirectory() as name:
        path = Path(name) / "probe.csv"
        path.write_text("t_s,probe\n" + "".join(f"{t},{20 + t % 7}\n" for t in range(600)))
        for device in devices:
            info = {"format": "lantern-take/1", "name": "An hour", "kind": "series", "device": device["code"]}
            info |= {"start": "2026-03-04T05:12:00+01:00"}
            path.with_name("probe.csv.json").write_text(json.dumps(info))
            import_path(path, site_id=site_id)
    return site_id


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
