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

from bench.figures import Figure, percentile
from bench.program import logged_in, program
from bench.tracks import FPS, HEIGHT, WIDTH, crowd

STEPS = 20


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
        yield from _drags(page, f"{address}/bench/4", "the gangway, 314 objects")
        lantern = Path(sys.executable).with_name("lantern")
        environment = {"LANTERN_STATE_DIR": str(state)}
        subprocess.run([str(lantern), "import", str(take)], check=True, env=environment, stdout=subprocess.DEVNULL)
        page.goto(f"{address}/takes")
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


def _drags(page: Any, address: str, what: str) -> Iterator[Figure]:
    """From a step of the band's dial to the tracks in their new colours, and how much of that is drawing."""
    page.goto(address)
    page.locator('.bench-frame[data-ready="1"]').wait_for(state="attached")
    page.wait_for_timeout(3000)
    page.evaluate(
        """() => { const canvas = document.querySelector('.scene canvas'); window.taken = []; window.drawn = []; window.at = 0;
        addEventListener('pointerdown', () => { window.at = performance.now(); }, true);
        new MutationObserver(() => { window.drawn.push(Number(canvas.dataset.drawnMs)); if (window.at) { window.taken.push(performance.now() - window.at); window.at = 0; } })
          .observe(canvas, { attributes: true, attributeFilter: ['data-drawn-ms'] }); }"""
    )
    up = page.get_by_role("button", name="Band up")
    for _ in range(STEPS):
        page.wait_for_timeout(2500)  # what the step before still asks for is done: a hand pauses too
        before = page.evaluate("window.taken.length")
        up.click()
        for _ in range(400):
            if page.evaluate("window.taken.length") > before:
                break
            page.wait_for_timeout(25)
    taken, drawn = page.evaluate("window.taken"), page.evaluate("window.drawn")
    yield Figure(f"{what}: a dial's step to tracks in new colours, median", percentile(taken, 0.5), "ms", 150.0)
    yield Figure("  of which drawing all tracks", percentile(drawn, 0.5), "ms")
