"""Three families that exist for tests alone, each by its folders: from a file to the walk, on the pages that every family has.

Echoes have a signal of their own, heard in a sector. Likenesses raise nothing and lie along no axis: their result is a curve,
their truth an identity. Badges are on the plan, and have no picture.
"""

from __future__ import annotations

import re
import shutil
import subprocess
import sys
import time
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import httpx
import pytest
from playwright.sync_api import Browser, BrowserContext, Locator, Page, expect

from browser.conftest import WAIT_MS, violations
from browser.test_flow import box_of, drag
from browser.test_own_site import first_run
from conftest import open_folder, running
from lantern.cluster import free_port

MADE_UP = Path(__file__).parents[1] / "made_up"


@pytest.fixture(scope="module")
def made_up() -> Iterator[str]:
    """The program with the made-up families beside its own; gives its address."""
    command = [sys.executable, str(MADE_UP / "program.py")]
    with open_folder() as folder:
        yield from running(folder / "state", command=command, LANTERN_INGEST_PORT=str(free_port()))


@pytest.fixture(scope="module")
def takes(tmp_path_factory: pytest.TempPathFactory) -> dict[str, Path]:
    """A take of each signal as a zip, written by the signals themselves (which only their own program knows)."""
    folder = tmp_path_factory.mktemp("takes")
    command = [sys.executable, str(MADE_UP / "write_takes.py"), str(folder)]
    subprocess.run(command, check=True, capture_output=True)
    made = {path.name: path for path in folder.iterdir() if path.is_dir()}
    return {name: Path(shutil.make_archive(str(path), "zip", path)) for name, path in made.items()}


@pytest.fixture(scope="module")
def context_of_made_up(browser: Browser, made_up: str) -> Iterator[BrowserContext]:
    context = browser.new_context(base_url=made_up, viewport={"width": 1280, "height": 800})
    context.set_default_timeout(WAIT_MS)
    page = context.new_page()
    first_run(page)
    page.get_by_label("Name", exact=True).fill("Skerrow Basin")
    page.get_by_role("button", name="Make the site").click()
    page.wait_for_url("**/survey")
    page.locator("main").get_by_label("Name of the place").fill("Basin edge")
    page.get_by_role("button", name="Make the place").click()
    expect(page.get_by_role("heading", name="Now a device")).to_be_visible()
    page.close()
    yield context
    context.close()


@pytest.fixture
def page(context_of_made_up: BrowserContext) -> Iterator[Page]:
    """Logged in; an error of a page fails the test."""
    made = context_of_made_up.new_page()
    troubles: list[str] = []
    made.on("pageerror", lambda error: troubles.append(str(error)))
    made.on("console", lambda said: troubles.append(said.text) if "Expression Error" in said.text else None)
    yield made
    made.close()
    assert troubles == []


class Sender:
    """What sends for a device, as its family's messages are."""

    def __init__(self, to: str, token: str) -> None:
        self.to, self.headers = to, {"Authorization": f"Bearer {token}"}
        self.seq = 0
        self.began = time.time()

    def send(self, **body: Any) -> None:
        self.seq += 1
        message = {"seq": self.seq, "t": self.began + self.seq * 0.5, **body}
        answer = httpx.post(self.to, json=message, headers=self.headers, timeout=30)
        assert answer.status_code == 200, answer.text


def new_device(page: Page, code: str, kind: str) -> Sender:
    page.goto("/sites/1/devices/new")
    page.get_by_label("Code").fill(code)
    page.get_by_label("Name", exact=True).fill(f"The {kind}")
    page.get_by_label("Kind").select_option(kind)
    page.locator("#device-form button.btn-main").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_be_visible()
    to, token = dialog.locator("code").all_inner_texts()[-2:]
    dialog.get_by_role("link", name="I have it").click()
    return Sender(to, token)


def imported(page: Page, code: str, take: Path) -> None:
    page.goto("/sites/1/takes")
    page.get_by_test_id("files").set_input_files(take)
    expect(page.locator("tr", has_text=code)).to_contain_text("A run")


def made(page: Page, code: str, name: str) -> None:
    page.get_by_label("Name", exact=True).fill(name)
    page.get_by_test_id("make").click()
    page.wait_for_url("**/bench/*")
    expect(page.get_by_role("heading", name=f"{code} {name}")).to_be_visible()


def drawn(page: Page, *corners: tuple[float, float]) -> None:
    """A polygon, its corners as shares of what is drawn on."""
    page.get_by_role("button", name="Draw a polygon").click()
    x, y, width, height = box_of(page.locator("svg.overlay"))
    for across, down in corners:
        page.mouse.click(x + width * across, y + height * down)
    page.keyboard.press("Enter")


def dial(page: Page, name: str) -> Locator:
    return page.locator(f'[data-dial="{name}"]').get_by_role("textbox")


def saved(page: Page, reason: str) -> None:
    page.get_by_role("button", name="Save revision").click()
    page.get_by_test_id("reason").fill(reason)
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_test_id("changes")).to_have_text("")


def stage(page: Page, name: str) -> None:
    page.get_by_role("navigation", name="Stages").get_by_role("link", name=name).click()


def test_echoes_have_a_signal_of_their_own(page: Page, takes: dict[str, Path]) -> None:
    sounder = new_device(page, "E1", "sounder")
    imported(page, "E1", takes["echoes"])
    page.locator("tr", has_text="E1").get_by_role("link", name="New detector").click()
    expect(page.locator("svg.overlay .ring")).to_have_count(11)  # four rings, seven bearings
    expect(page.get_by_text("49 points")).to_be_visible()  # of 40 sweeps the wall, in nine of them something else
    # 36 m wide and 18 m high, the sounder at the middle of the lower edge: from 4 m to 10 m ahead, 3 m to each side
    drawn(page, (15 / 36, 14 / 18), (21 / 36, 14 / 18), (21 / 36, 8 / 18), (15 / 36, 8 / 18))
    made(page, "E1", "Boat ahead")
    expect(page.get_by_test_id("false")).to_have_text("1 not judged")  # nothing is marked yet
    expect(page.locator(".axis .lanes")).to_contain_text("loudest")
    lx, ly, lw, lh = box_of(page.locator('.axis [data-lane="marks"]'))
    drag(page, (lx + lw * 4.8 / 19.5, ly + lh / 2), (lx + lw * 9 / 19.5, ly + lh / 2))
    expect(page.get_by_test_id("hits")).to_have_text("1 of 1")
    field = dial(page, "strength_db")
    field.fill("40")
    field.press("Enter")
    expect(page.get_by_test_id("misses")).to_have_text("1")
    field.fill("25")
    field.press("Enter")
    expect(page.get_by_test_id("hits")).to_have_text("1 of 1")
    assert violations(page) == []
    saved(page, "It gives 32 dB, the wall does not lie there.")
    stage(page, "Rehearse")
    expect(page.locator("main")).to_contain_text("Hit")
    stage(page, "Walk")
    for heard in ([], [[7, 10, 32]], [[7, 10, 32]], [[7, 10, 32]], [[7, 10, 32]]):
        sounder.send(range_m=18, echoes=[[18, -60, 45], *heard])
    expect(page.get_by_test_id("reading")).to_have_text("32.0 dB")
    expect(page.get_by_test_id("state")).to_have_text("raised")
    expect(page.locator("svg.overlay .found")).to_have_count(2)
    expect(page.locator("main")).to_contain_text("still raised")
    assert violations(page) == []
    page.get_by_role("button", name="Record now").click()
    for _ in range(6):
        sounder.send(range_m=18, echoes=[[18, -60, 45], [7, 10, 32]])
    expect(page.get_by_test_id("recording-state")).to_contain_text("by hand, since")
    page.get_by_role("button", name="Stop", exact=True).click()
    expect(page.get_by_test_id("recordings")).to_contain_text("stopped by hand")
    page.get_by_test_id("recordings").get_by_role("link", name="take", exact=True).click()  # there once it is stored
    expect(page.locator("tr", has_text="recorded live: echoes")).to_contain_text(re.compile(r"\b\d+ echoes"))


def test_likenesses_raise_nothing_and_lie_along_no_axis(page: Page, takes: dict[str, Path]) -> None:
    gate = new_device(page, "V1", "voice-gate")
    imported(page, "V1", takes["likenesses"])
    page.locator("tr", has_text="V1").get_by_role("link", name="New detector").click()
    expect(page.get_by_text("It has no regions")).to_be_visible()
    made(page, "V1", "Who it is")
    expect(page.get_by_test_id("people").locator("tbody tr")).to_have_count(4)
    for absent in (".axis", "#tab-map", "#tab-regions", '[aria-label="Hours of the detector"]'):
        expect(page.locator(absent)).to_have_count(0)
    expect(page.get_by_test_id("caution")).to_have_text("Of 4 of 4 nobody has said who they were")
    for probe, who in (("p1", "Ada"), ("p2", "Ada"), ("p3", "stranger"), ("p4", "Bo")):
        field = page.get_by_label(f"Who {probe} truly was")
        field.fill(who)
        with page.expect_response("**/truths"):
            field.press("Tab")
    expect(page.get_by_test_id("caution")).to_be_hidden()
    expect(page.get_by_test_id("confused")).to_have_text("1")  # the stranger, 0.75 near to Bo
    expect(page.get_by_test_id("unknown")).to_have_text("1")  # Ada, once 0.6 near to herself
    field = dial(page, "least_score")
    field.fill("0.77")
    field.press("Enter")
    expect(page.get_by_test_id("confused")).to_have_text("0")
    curve = page.request.get(page.get_by_role("link", name="curve CSV").get_attribute("href") or "").text()
    assert "0.8,0,1\n" in curve
    assert violations(page) == []
    saved(page, "Above the stranger, below Bo.")
    page.reload()
    expect(page.get_by_test_id("unknown").first).to_have_text("1")
    stage(page, "Rehearse")
    expect(page.get_by_text("It raises nothing")).to_be_visible()
    stage(page, "Link")
    expect(page.get_by_role("rowheader", name="Boat ahead")).to_be_visible()
    expect(page.get_by_role("rowheader", name="Who it is")).to_have_count(0)
    page.get_by_role("navigation", name="Places and devices").get_by_role("link", name="Who it is").click()
    expect(page.get_by_text("It raises nothing")).to_be_visible()
    page.goto("/sites/1/rehearse/2")
    stage(page, "Walk")
    expect(page.get_by_role("heading", name="Outputs")).to_have_count(0)
    gate.send(came=[["q1", "Ada", 0.9], ["q2", "Bo", 0.3]])
    expect(page.get_by_test_id("reading").nth(0)).to_have_text("1.0")
    expect(page.locator("main")).to_contain_text("strangers")
    assert violations(page) == []


def test_badges_are_on_the_plan(page: Page, takes: dict[str, Path]) -> None:
    locator = new_device(page, "B1", "locator")
    plan = {"width_m": 60, "height_m": 40}
    plan["outlines"] = [{"name": "Quay", "what": "line", "points": [[0, 5], [60, 5]]}]  # type: ignore[assignment]
    csrf = page.locator('meta[name="csrf"]').get_attribute("content") or ""
    body = {"plan": plan, "places": {}}
    kept = page.request.put("/sites/1/plan?base=0", data=body, headers={"X-CSRF-Token": csrf})
    assert kept.ok, kept.text()
    imported(page, "B1", takes["badges"])
    page.locator("tr", has_text="B1").get_by_role("link", name="New detector").click()
    expect(page.locator("svg.overlay .plan-line")).to_have_count(1)
    expect(page.get_by_text("6 points")).to_be_visible()
    # the plan is 60 m by 40 m, north above: the corner from (10, 10) to (20, 20)
    drawn(page, (10 / 60, 30 / 40), (20 / 60, 30 / 40), (20 / 60, 20 / 40), (10 / 60, 20 / 40))
    made(page, "B1", "Crowd in the corner")
    expect(page.get_by_test_id("false")).to_have_text("1 not judged")
    page.get_by_role("tab", name="Regions").click()
    points = page.get_by_label("Points of the region").input_value()
    corners = [tuple(round(float(each)) for each in pair.split(",")) for pair in points.split()]
    assert corners == [(10, 10), (20, 10), (20, 20), (10, 20)]
    expect(page.locator("#panel-regions")).to_contain_text("points x,y in m")
    page.get_by_role("tab", name="Dials").click()
    field = dial(page, "badges")
    field.fill("3")
    field.press("Enter")
    expect(page.get_by_test_id("false")).to_have_text("0 not judged")
    field.fill("2")
    field.press("Enter")
    expect(page.get_by_test_id("false")).to_have_text("1 not judged")
    assert violations(page) == []
    saved(page, "Two may stand there.")
    stage(page, "Rehearse")
    expect(page.locator("main")).to_contain_text("False alarm")
    stage(page, "Walk")
    together = [["a", 12, 12], ["b", 14, 15], ["c", 18, 17]]
    for _ in range(7):
        locator.send(fixes=together)
    expect(page.get_by_test_id("reading")).to_have_text("3.0 badges")
    expect(page.get_by_test_id("state")).to_have_text("raised")
    expect(page.locator("svg.overlay .found")).to_have_count(3)
    assert violations(page) == []
