"""Playing and scrubbing an hour at 4 Hz, 320 x 240, in the browser: pictures a second, and what the tab holds."""

from __future__ import annotations

import time
from collections.abc import Iterator
from datetime import UTC, datetime
from pathlib import Path
from typing import Any

import numpy as np

from bench.figures import Figure, sized
from bench.program import logged_in, program
from bench.store import beside

WIDTH, HEIGHT, FRAMES = 320, 240, sized(14_400, 200)
MADE = 64
LOOK_S = sized(10.0, 1.0)


def run() -> Iterator[Figure]:
    try:
        from playwright.sync_api import sync_playwright
    except ImportError:
        return
    with program() as (address, state), sync_playwright() as play:
        take_id = _an_hour(state)
        page = logged_in(play, address)
        page.goto(f"{address}/sites/1/bench/1?take={take_id}")
        page.locator("canvas[data-pictures]:not([data-pictures='0'])").wait_for(timeout=120_000)
        page.locator('svg[data-strip="sustain_s"] .pin').wait_for(timeout=300_000)  # the hour is reduced once
        page.wait_for_timeout(2000)
        yield Figure("private memory of the tab before", _tab_mib(), "MiB")
        page.get_by_label("Speed").select_option("16")
        page.get_by_role("button", name="Play or stop").click()
        yield Figure("pictures a second at 16x (wish: at least 20)", _rate(page), "1/s")
        page.get_by_role("button", name="Play or stop").click()
        lane = page.locator('.axis [data-lane="reading"]').bounding_box()
        assert lane
        page.mouse.move(lane["x"] + 5, lane["y"] + lane["height"] * 0.6)
        page.mouse.down()
        before, began, i = _pictures(page), time.monotonic(), 0
        while time.monotonic() - began < LOOK_S:  # back and forth over the whole hour, some pixels a step
            i += 1
            share = abs((i * 7 % 1800) / 900 - 1)
            page.mouse.move(lane["x"] + 5 + share * (lane["width"] - 10), lane["y"] + lane["height"] * 0.6)
            page.wait_for_timeout(10)
        yield Figure(
            "pictures a second while scrubbing (wish: at least 20)",
            (_pictures(page) - before) / (time.monotonic() - began),
            "1/s",
        )
        page.mouse.up()
        yield Figure(
            "private memory of the tab (up to 100 MiB of it the test driver's copies)", _tab_mib(), "MiB", 200.0
        )
        page.context.browser.close()


def _pictures(page: Any) -> int:
    return int(page.locator("canvas[data-pictures]").get_attribute("data-pictures"))


def _rate(page: Any) -> float:
    before, began = _pictures(page), time.monotonic()
    page.wait_for_timeout(LOOK_S * 1000)
    return (_pictures(page) - before) / (time.monotonic() - began)


def _tab_mib() -> float:
    """Of the largest renderer: memory that is its own, from the kernel."""
    most = 0.0
    for process in Path("/proc").glob("[0-9]*"):
        try:
            if b"--type=renderer" in (process / "cmdline").read_bytes():
                lines = (process / "smaps_rollup").read_text().splitlines()
                own = sum(int(line.split()[1]) for line in lines if line.startswith(("Private_Dirty", "Private_Clean")))
                most = max(most, own / 1024)
        except (OSError, IndexError):  # it ended meanwhile
            continue
    return most


def _an_hour(state: Path) -> int:
    """Put the take into the running program's store; gives its id."""
    from lantern.core.signals import Frames, RecordedAs
    from lantern.db.base import transaction
    from lantern.register.tables import device_by_code
    from lantern.signals.takes import Take, TakeInfo
    from lantern.sites.actions import only_site
    from lantern.takes.store import add_take

    beside(state)
    rng = np.random.default_rng(1)
    ground = rng.normal(0, 1, (HEIGHT, WIDTH)).cumsum(axis=1) * 4 + 7300
    held = (ground + rng.normal(0, 1.5, (MADE, HEIGHT, WIDTH))).astype(np.uint16)

    def blocks() -> Iterator[np.ndarray]:
        for at in range(0, FRAMES, MADE):
            yield held[: FRAMES - at] + np.uint16(at // 900)

    frames = Frames(np.arange(FRAMES) / 4, WIDTH, HEIGHT, 0.04, -273.15, blocks, RecordedAs())
    info = TakeInfo(
        format="lantern-take/1",
        name="An hour",
        kind="heat",
        device="T1",
        start=datetime(2026, 3, 4, tzinfo=UTC),
        data="x",
        fps=4,
    )
    with transaction() as session:
        device = device_by_code(session, only_site(session, "Skerrow Basin").id, "T1")
        assert device is not None
        return add_take(session, Take(info, frames), device_id=device.id).id
