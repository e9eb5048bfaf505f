"""From an empty program to a lamp that comes on, with one's own file and no demo; and the whole site through its file, equal."""

from __future__ import annotations

import re
import subprocess
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path

import pytest
from playwright.sync_api import Browser, Dialog, Page, expect

from browser.conftest import WAIT_MS, violations
from browser.test_flow import box_of, drag, small_take
from lantern.cluster import free_port

LANTERN = Path(sys.executable).with_name("lantern")
PASSWORD = "seven wet herons"


@contextmanager
def standin(*arguments: str) -> Iterator[subprocess.Popen[str]]:
    running = subprocess.Popen([LANTERN, "standin", *arguments], stdout=subprocess.PIPE, text=True)
    assert running.stdout is not None
    with running.stdout:
        try:
            assert running.stdout.readline()  # it says when it is ready
            yield running
        finally:
            running.terminate()
            running.wait(90)


@pytest.fixture
def page(browser: Browser, empty_program: str) -> Iterator[Page]:
    """Nobody is logged in; an error of a page fails the test."""
    context = browser.new_context(base_url=empty_program, viewport={"width": 1280, "height": 800})
    context.set_default_timeout(WAIT_MS)
    made = context.new_page()
    troubles: list[str] = []
    made.on("pageerror", lambda error: troubles.append(str(error)))

    def asked(dialog: Dialog) -> None:
        """Nothing is lost on this way: whoever leaves a page is not asked whether they mean it."""
        if dialog.type == "beforeunload":
            troubles.append(f"asked on leaving {made.url}")
            dialog.accept()

    made.on("dialog", asked)
    made.on("console", lambda said: troubles.append(said.text) if "Expression Error" in said.text else None)
    yield made
    context.close()
    assert troubles == []


def first_run(page: Page) -> None:
    page.goto("/")
    expect(page.get_by_role("heading", name="The first account")).to_be_visible()
    assert violations(page) == []
    page.get_by_label("Your name").fill("Ada Test")
    page.get_by_label("Log-in").fill("ada")
    page.get_by_label("Password").fill("password12")
    page.get_by_label("The same again").fill("password12")
    page.get_by_role("button", name="Make the account").click()
    expect(page.get_by_role("alert")).to_contain_text("one that many people use")
    page.get_by_label("Password").fill(PASSWORD)
    page.get_by_label("The same again").fill(PASSWORD)
    page.get_by_role("button", name="Make the account").click()
    page.wait_for_url("**/sites")
    assert violations(page) == []


def new_site(page: Page) -> None:
    page.get_by_label("Name", exact=True).fill("Kiln works")
    page.get_by_label("Time zone").fill("Europe/Lisbon")
    page.get_by_role("button", name="Make the site").click()
    page.wait_for_url("**/survey")
    page.get_by_role("link", name="Tune", exact=True).click()
    expect(page.get_by_role("link", name="Make a place")).to_be_visible()  # every stage teaches the next step
    assert violations(page) == []
    page.get_by_role("link", name="Make a place").click()
    page.locator("main").get_by_label("Name of the place").fill("Kiln hall")
    page.get_by_role("button", name="Make the place").click()
    expect(page.get_by_role("heading", name="Now a device")).to_be_visible()


def new_camera(page: Page) -> tuple[str, str]:
    """A thermal camera; gives the address it sends to, and its token."""
    page.get_by_role("link", name="New device").first.click()
    page.get_by_label("Code").fill("T1")
    page.get_by_label("Name", exact=True).fill("Camera over the kiln")
    page.get_by_label("Kind").select_option("thermal")
    page.get_by_label("Width").fill("320")
    page.get_by_label("Height").fill("240")
    assert violations(page) == []
    page.locator("#device-form button.btn-main").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_be_visible()
    sends_to, token = dialog.locator("code").all_inner_texts()[-2:]
    dialog.get_by_role("link", name="I have it").click()
    return sends_to, token


def new_module(page: Page, port: int) -> None:
    page.goto("/sites/1/devices/new")
    page.get_by_label("Code").fill("M1")
    page.get_by_label("Name", exact=True).fill("Relays")
    page.get_by_label("Kind").select_option("io_module")
    page.get_by_label("Host").fill("127.0.0.1")
    page.get_by_label("Port", exact=True).fill(str(port))
    page.get_by_role("button", name="Add an output").click()
    page.get_by_label("Name of the output").fill("Kiln lamp")
    page.get_by_label("Coil").fill("0")
    page.locator("#device-form button.btn-main").click()
    page.wait_for_url("**/devices/2")
    page.get_by_role("button", name="Try it").click()
    expect(page.locator("[data-heard]")).to_contain_text("Nothing was switched.")
    expect(page.locator("[data-heard]")).to_contain_text("Coil 0 is off: Kiln lamp is idle.")


def take_without_sidecar(page: Page, folder: Path) -> None:
    page.goto("/sites/1/takes?import=1")
    page.get_by_test_id("files").set_input_files(small_take(folder)[:1])
    asks = page.locator("[data-asks]")
    expect(asks).to_contain_text("240 pages of 320 x 240 pixels, uint16")
    expect(asks.get_by_label("Device", exact=True)).to_have_value("1")
    asks.get_by_label("Name of the take").fill("Evening check")
    asks.get_by_label("Frames a second").fill("2")
    asks.get_by_label("Began, date and time").fill("2026-03-06T18:00:00")
    expect(asks.locator("figcaption")).to_contain_text("240 samples over 119.5 s: from 2026-03-06 18:00:00 to 18:01:59")
    assert violations(page) == []
    page.get_by_test_id("answer").click()
    expect(page.locator("tr", has_text="Evening check")).to_contain_text("320 x 240")


def new_detector(page: Page) -> None:
    page.locator("tr", has_text="Evening check").get_by_role("link", name="New detector").click()
    expect(page.get_by_text("an object crosses a line")).to_be_visible()
    expect(page.locator(".maker svg.overlay")).to_be_visible()
    assert violations(page) == []
    page.get_by_role("button", name="Draw a box").click()
    x, y, width, height = box_of(page.locator(".maker svg.overlay"))
    drag(page, (x + width * 100 / 320, y + height * 90 / 240), (x + width * 220 / 320, y + height * 170 / 240))
    page.get_by_label("Name of the region").fill("kiln mouth")
    page.get_by_label("Name", exact=True).fill("Kiln too hot")
    page.get_by_test_id("make").click()
    page.wait_for_url("**/bench/1*")


def tuned(page: Page) -> None:
    """A mark on what should raise; the threshold dragged so low that what the stand-in shows later raises too."""
    lx, ly, lw, lh = box_of(page.locator('.axis [data-lane="marks"]'))
    drag(page, (lx + lw * 49 / 119.5, ly + lh / 2), (lx + lw * 71 / 119.5, ly + lh / 2))
    expect(page.get_by_test_id("hits")).to_have_text("1 of 1")
    strip = page.locator('svg[data-strip="threshold_c"]')
    expect(strip.locator(".pin")).to_be_visible()
    sx, sy, sw, sh = box_of(strip)
    px, _, pw, _ = box_of(strip.locator(".pin"))
    drag(page, (px + pw / 2, sy + sh / 3), (sx + sw * 0.12, sy + sh / 3))
    field = page.locator('[data-dial="threshold_c"]').get_by_role("textbox")
    assert 20 < float(field.input_value()) < 45
    field.fill("23")
    field.press("Enter")
    expect(page.get_by_test_id("hits")).to_have_text("1 of 1")
    page.get_by_role("button", name="Save revision").click()
    page.get_by_test_id("reason").fill("Cold air is 20, the kiln 70.")
    page.get_by_role("button", name="Save", exact=True).click()
    expect(page.get_by_test_id("changes")).to_have_text("")


def linked(page: Page) -> None:
    page.get_by_role("navigation", name="Stages").get_by_role("link", name="Link").click()
    page.get_by_role("table").get_by_role("link", name="Kiln too hot").click()
    page.get_by_role("button", name="Tie it to something").click()
    page.get_by_role("button", name="Add an output").click()
    page.get_by_role("button", name="Save").first.click()
    expect(page.get_by_role("status")).to_be_visible()


def a_table_of_ones_own_comes_live(page: Page, folder: Path) -> None:
    """A CSV as somebody's logger writes it: units are asked, columns are watched, and a stand-in plays the same file live."""
    warm = [41 + 24 * (20 <= n % 60 < 45) for n in range(120)]
    rows = "".join(f"05:{12 + n // 60:02}:{n % 60:02};118,{n % 7};{x},5\n" for n, x in enumerate(warm))
    (folder / "oven.csv").write_text("time;Kiln (°F);Bearing\n" + rows)
    page.goto("/sites/1/takes")
    page.get_by_test_id("files").set_input_files(folder / "oven.csv")
    asks = page.locator("[data-asks]")
    asks.get_by_label("Device", exact=True).select_option("new")
    asks.get_by_label("Code").fill("K1")
    expect(asks.get_by_label("Kind")).to_have_value("probe")
    asks.get_by_label("Began, date and time").fill("2026-03-06T05:12:00")
    expect(asks.get_by_label("Kiln (°F)")).to_have_value("°F")
    asks.get_by_label("Bearing").select_option("°C")
    expect(asks.locator("figcaption")).to_contain_text("Kiln (°F): 118 to 118.6 °F are 47.78 to 48.11 °C")
    assert violations(page) == []
    page.get_by_test_id("answer").click()
    page.locator("tr", has_text="oven").get_by_role("link", name="New detector").click()
    page.get_by_label("Kiln (°F)").check()
    page.get_by_label("Bearing").check()
    page.get_by_label("Name", exact=True).fill("Bearing warm")
    page.get_by_test_id("make").click()
    page.wait_for_url("**/bench/2*")
    expect(page.locator('[data-dial="threshold_c"]')).to_be_visible()
    page.goto("/sites/1/devices/3")
    page.once("dialog", lambda dialog: dialog.accept())
    page.get_by_role("button", name="Renew the token").click()
    dialog = page.get_by_role("dialog")
    expect(dialog).to_be_visible()
    to, token = dialog.locator("code").all_inner_texts()[-2:]
    page.goto("/sites/1/walk/2")
    played = ("--table", str(folder / "oven.csv"), "--unit", "Bearing=°C", "--speed", "8")
    with standin("probe", "--to", to, "--token", token, *played):
        expect(page.get_by_test_id("state").nth(1)).to_have_text("raised")
        expect(page.get_by_test_id("state").first).to_have_text("clear")
        expect(page.get_by_test_id("reading").first).to_contain_text(re.compile(r"4[78]\.\d °C"))
        assert violations(page) == []


def test_from_nothing_to_a_lamp_and_through_the_file_again(page: Page, tmp_path: Path) -> None:
    first_run(page)
    new_site(page)
    sends_to, token = new_camera(page)
    port = free_port()
    with standin("relay", "--port", str(port)) as relay:
        new_module(page, port)
        take_without_sidecar(page, tmp_path)
        new_detector(page)
        tuned(page)
        linked(page)
        page.goto("/sites/1/walk/1")
        with standin("thermal", "--to", sends_to, "--token", token):
            expect(page.get_by_test_id("state")).to_have_text("raised")
            expect(page.locator('[data-output="Kiln lamp"]').get_by_test_id("coil")).to_contain_text("coil 0 on")
            assert relay.stdout is not None
            assert "coil 0 on\n" in (relay.stdout.readline() for _ in range(3))
    a_table_of_ones_own_comes_live(page, tmp_path)

    before = page.request.get("/sites/1/site.json").body()
    kept = tmp_path / "kiln.site.json"
    kept.write_bytes(before)
    page.goto("/sites")
    page.get_by_role("button", name="Remove", exact=True).click()
    page.get_by_label("To be sure").fill("Kiln")
    page.get_by_role("button", name="Remove it").click()
    expect(page.get_by_role("alert")).to_contain_text("the site's own name")
    page.get_by_label("To be sure").fill("Kiln works")
    page.get_by_role("button", name="Remove it").click()
    expect(page.get_by_text("There is no site yet")).to_be_visible()
    page.wait_for_load_state("load")  # its scripts hear of the file
    page.locator("#site-file").set_input_files(kept)
    page.wait_for_url("**/sites/2/survey")
    expect(page.get_by_role("heading", name="Kiln works")).to_be_visible()
    assert page.request.get("/sites/2/site.json").body() == before
