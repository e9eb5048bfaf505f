"""The page of a plan with sixty devices among two hundred walls: frames while a camera is dragged, and what a dragged wall takes."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path
from typing import Any

from bench.coverage import SIDE_M, a_site
from bench.figures import Figure, percentile, sized
from bench.program import logged_in, program
from bench.store import beside
from lantern.db.base import transaction
from lantern.formats.documents import site_of
from lantern.sites.actions import import_site

DEVICES, STEPS = sized(60, 6), sized(90, 5)
FRAMES = """() => { window.frames_ms = []; let last = performance.now();
  const next = (now) => { window.frames_ms.push(now - last); last = now; window.going = requestAnimationFrame(next); };
  window.going = requestAnimationFrame(next); }"""
ANSWERS = """() => performance.getEntriesByType('resource').filter((each) => each.name.includes('/try')).map((each) => each.duration)"""


def run() -> Iterator[Figure]:
    try:
        from playwright.sync_api import sync_playwright
    except ImportError:
        return
    with program() as (address, state), sync_playwright() as play:
        site_id = _large_plan(state)
        page = logged_in(play, address)
        page.goto(f"{address}/sites/{site_id}/plan#D1")
        page.locator(".chart[data-ready]").wait_for()
        page.wait_for_timeout(3000)
        idle = _dragged(page, None)
        yield Figure("a frame while nothing moves, p95", percentile(idle, 0.95), "ms")
        frames = _dragged(page, page.locator("[data-device] .catch").nth(sized(20, 2)))
        yield Figure(f"a frame while a camera of {DEVICES} is dragged, p95", percentile(frames, 0.95), "ms", 50)
        answers = page.evaluate(ANSWERS)
        yield Figure("until what a dragged camera gives is there, p50", percentile(answers, 0.5), "ms", 200)
        page.goto("about:blank")
        page.goto(f"{address}/sites/{site_id}/plan#draw")
        page.locator(".chart[data-ready]").wait_for()
        page.wait_for_timeout(3000)
        page.evaluate("performance.clearResourceTimings()")
        frames = _dragged(page, page.locator(".grip.closed").nth(sized(100, 5)))
        yield Figure("a frame while a wall is dragged, p95", percentile(frames, 0.95), "ms", 50)
        answers = page.evaluate(ANSWERS)
        yield Figure("until what a dragged wall hides is there, p50", percentile(answers, 0.5), "ms", 200)
        page.context.browser.close()


def _dragged(page: Any, thing: Any) -> list[float]:
    """The times of frames, in ms, while something is dragged about for a while."""
    box = thing.bounding_box() if thing is not None else None
    if box is not None:
        page.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        page.mouse.down()
    page.evaluate(FRAMES)
    for n in range(STEPS):
        if box is not None:
            page.mouse.move(box["x"] + 4 + n, box["y"] + 4 + n % 20)
        page.wait_for_timeout(16)
    told: list[float] = page.evaluate("() => { cancelAnimationFrame(window.going); return window.frames_ms.slice(1); }")
    if box is not None:
        page.mouse.up()
    return told


def _large_plan(state: Path) -> int:
    """Put a site of its own into the running program; gives its id."""
    beside(state)
    cameras, walls = a_site()
    mounts = [
        camera.model_dump(mode="json", exclude_none=True) for camera in [*cameras, *cameras[: DEVICES - len(cameras)]]
    ]
    for n, mount in enumerate(mounts[len(cameras) :]):
        mount |= {"x_m": (mount["x_m"] + 37) % SIDE_M, "azimuth_deg": 6.0 * n}
    devices = [
        {"code": f"D{n + 1}", "name": f"Camera {n + 1}", "kind": "camera", "mount": mount}
        for n, mount in enumerate(mounts)
    ]
    occluders = [
        {"name": f"hut {n}", "points": wall.points, "height_m": wall.height_m, "closed": True}
        for n, wall in enumerate(walls)
    ]
    plan = {"width_m": SIDE_M, "height_m": SIDE_M, "occluders": occluders}
    document = {"name": "Large plan", "places": [{"name": "Yard", "devices": devices}], "plan": plan}
    with transaction() as session:
        return import_site(session, site_of(document, where="bench"), user_id=None).id
