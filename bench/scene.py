"""A scene in the browser: tracks coloured anew after a drag, on the demo's gangway and on an hour of thirty objects in view."""

from __future__ import annotations

import json
import subprocess
import sys
import tempfile
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import numpy as np

from bench.figures import Figure, percentile, sized
from bench.program import logged_in, program
from bench.tracks import FPS, HEIGHT, WIDTH, crowd

STEPS = sized(20, 2)
MOVES = sized(150, 10)  # at some 30 a second


def run() -> Iterator[Figure]:
    from playwright.sync_api import sync_playwright

    with (
        program() as (address, state),
        tempfile.TemporaryDirectory(prefix="lantern-bench-") as name,
        sync_playwright() as play,
    ):
        take = hour(Path(name))
        page = logged_in(play, address)
        page.set_default_timeout(120_000)
        yield from _drags(page, f"{address}/sites/1/bench/4", "the gangway, 314 objects")
        lantern = Path(sys.executable).with_name("lantern")
        environment = {"LANTERN_STATE_DIR": str(state)}
        subprocess.run([str(lantern), "import", str(take)], check=True, env=environment, stdout=subprocess.DEVNULL)
        page.goto(f"{address}/sites/1/takes")
        link = page.locator("tr", has_text="An hour").get_by_role("link", name="Tune on it").get_attribute("href")
        yield from _drags(page, f"{address}{link}", "an hour, 1.6 million boxes of 5,400 objects")
        page.context.browser.close()


def hour(folder: Path) -> Path:
    """The crowd of the other measurement as a take of the yard's camera."""
    tracks = crowd()
    table = np.column_stack(
        (np.round(tracks.t_s * FPS) + 1, tracks.object + 1, tracks.box, np.ones(len(tracks)), np.ones(len(tracks)))
    )
    np.savetxt(folder / "hour.csv", table[np.argsort(table[:, 0], kind="stable")], fmt="%d,%d,%.1f,%.1f,%d,%d,%.1f,%d")
    info = {
        "format": "lantern-take/1",
        "name": "An hour",
        "kind": "tracks",
        "device": "V2",
        "start": "2026-03-09T12:00:00+01:00",
    }
    (folder / "hour.csv.json").write_text(json.dumps(info | {"fps": FPS, "width": WIDTH, "height": HEIGHT}))
    return folder / "hour.csv"


LISTEN = """() => {
  const canvas = document.querySelector('.scene canvas');
  Object.assign(window, { taken: [], whole: [], at: 0 });
  new MutationObserver((records) => {
    if (records.some(r => r.attributeName === 'data-drawn-ms')) window.whole.push(Number(canvas.dataset.drawnMs));
    if (window.at) { window.taken.push(performance.now() - window.at); window.at = 0; }
  }).observe(canvas, { attributes: true, attributeFilter: ['data-drawn-ms', 'data-changed-ms'] });
  addEventListener('pointerdown', (e) => { if (e.target.closest('button')) window.at = performance.now(); }, true);
  addEventListener('pointermove', (e) => { if (e.buttons && !window.at) window.at = performance.now(); }, true);
}"""


def _drags(page: Any, address: str, what: str) -> Iterator[Figure]:
    """From a step of the band's dial, and from a move of the line, to the tracks in their new colours."""
    page.goto(address)
    page.locator('.bench-frame[data-ready="1"]').wait_for(state="attached")
    page.wait_for_timeout(3000)
    page.evaluate(LISTEN)
    up = page.get_by_role("button", name="Band up")
    for _ in range(STEPS):
        page.wait_for_timeout(700)  # a hand pauses; the evidence of the step before is still being worked out
        _answered(page, up.click)
    steps = page.evaluate("window.taken")
    page.wait_for_timeout(3000)
    box = page.locator(".scene .shape").first.bounding_box()
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    page.evaluate("window.taken = []")
    page.mouse.move(x, y)
    page.mouse.down()
    for i in range(MOVES):
        page.mouse.move(x, y + i / 2)
        page.wait_for_timeout(33)
    page.mouse.up()
    moves, whole = page.evaluate("window.taken"), page.evaluate("window.whole")
    yield Figure(f"{what}: a dial's step to tracks in new colours, median", percentile(steps, 0.5), "ms", 150.0)
    yield Figure(
        "  a line that is dragged: from a move to tracks in new colours, median", percentile(moves, 0.5), "ms", 150.0
    )
    yield Figure("  all tracks drawn anew when the hand rests", percentile(whole, 0.5), "ms")


def _answered(page: Any, act: Any) -> None:
    before = page.evaluate("window.taken.length")
    act()
    for _ in range(400):
        if page.evaluate("window.taken.length") > before:
            return
        page.wait_for_timeout(25)
    raise RuntimeError("the tracks were not drawn anew within 10 s")
