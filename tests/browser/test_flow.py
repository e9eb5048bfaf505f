"""The whole job as a user does it: import, draw, tune on evidence, save, link, rehearse, watch the coil come on."""

from __future__ import annotations

import json
import re
import zipfile
from pathlib import Path

import numpy as np
import pytest
import tifffile
from playwright.sync_api import Dialog, Locator, Page, expect

DETECTOR = "/sites/1/bench/1"


def drag(page: Page, start: tuple[float, float], end: tuple[float, float]) -> None:
    page.mouse.move(*start)
    page.mouse.down()
    page.mouse.move((start[0] + end[0]) / 2, (start[1] + end[1]) / 2, steps=4)
    page.mouse.move(*end, steps=4)
    page.mouse.up()


def box_of(locator: Locator) -> tuple[float, float, float, float]:
    expect(locator).to_be_visible()
    for _ in range(20):  # a redraw replaces the element: it may be gone between two looks
        box = locator.bounding_box()
        if box is not None:
            break
    assert box is not None
    return box["x"], box["y"], box["width"], box["height"]


def small_take(folder: Path) -> list[Path]:
    """Two minutes at 2 Hz, 320 x 240: 20 °C, a spot that heats to 70 for 20 s, and a hot second that passes."""
    rng = np.random.default_rng(4)
    celsius = np.round(rng.normal(20, 0.05, (240, 240, 320)), 2)
    celsius[100:140, 100:120, 150:170] += 50
    celsius[40:43, 100:120, 150:170] += 60
    path = folder / "evening.tif"
    tifffile.imwrite(
        path, np.round((celsius + 273.15) * 100).astype(np.uint16), photometric="minisblack", compression="zlib"
    )
    sidecar = folder / "evening.tif.json"
    info = {
        "format": "lantern-take/1",
        "name": "Evening check",
        "kind": "heat",
        "device": "T1",
        "start": "2026-03-06T18:00:00+01:00",
        "fps": 2,
    }
    sidecar.write_text(json.dumps(info))
    return [path, sidecar]


def test_import_draw_tune_save(bench: Page, tmp_path: Path) -> None:
    bench.goto("/sites/1/takes")
    bench.get_by_test_id("files").set_input_files(small_take(tmp_path))
    row = bench.locator("tr", has_text="Evening check")
    expect(row).to_contain_text("240")
    bench.reload()
    row.get_by_role("link", name="Tune on it").click()
    bench.wait_for_url("**/bench/1?take=*")

    # the saved revision was judged on it as it came, and the page says what that showed
    bench.get_by_role("tab", name="Takes").click()
    expect(bench.locator("#panel-takes")).to_contain_text("Judged again on Evening check")
    expect(bench.locator("#panel-takes")).to_contain_text("no marks yet")
    bench.get_by_role("tab", name="Dials").click()

    # draw a box over the spot with the mouse
    bench.get_by_role("button", name="Draw a box").click()
    x, y, width, height = box_of(bench.locator("svg.overlay"))
    drag(bench, (x + width * 130 / 320, y + height * 80 / 240), (x + width * 200 / 320, y + height * 150 / 240))
    expect(bench.get_by_label("Name of the region")).to_have_count(2)
    bench.get_by_role("button", name="Remove the region").first.click()
    expect(bench.get_by_label("Name of the region")).to_have_value("box 2")

    # say what should raise: drag on the marks lane
    lanes = bench.locator(".axis svg.lanes")
    lane = bench.locator('.axis [data-lane="marks"]')
    lx, ly, lw, lh = box_of(lane)
    length = 119.5
    drag(bench, (lx + lw * 49 / length, ly + lh / 2), (lx + lw * 71 / length, ly + lh / 2))
    expect(bench.get_by_label("Label of the mark")).to_have_value("expect")
    expect(bench.get_by_test_id("hits")).to_have_text("1 of 1")
    expect(bench.get_by_test_id("false")).to_have_text("1")

    # drag the threshold line above everything: the score card follows, the pin too
    grip = lanes.locator("rect.level-grip")
    gx, gy, gw, gh = box_of(grip)
    drag(bench, (gx + gw / 2, gy + gh / 2), (gx + gw / 2, gy - 200))
    expect(bench.get_by_test_id("misses")).to_have_text("1")
    expect(bench.get_by_test_id("hits")).to_have_text("0 of 1")
    bench.keyboard.press("u")
    expect(bench.get_by_test_id("hits")).to_have_text("1 of 1")

    # the sustain time cures the false alarm; its strip says where, and proposes nothing by one mark
    bench.get_by_role("tab", name="Dials").click()
    sustain = bench.locator('[data-dial="sustain_s"]')
    words = sustain.locator(".words")
    expect(words).to_contain_text("nothing is proposed by 1 mark of what should raise")
    expect(sustain.get_by_role("button", name="proposed")).to_have_count(0)
    where = re.search(r"at ([\d.]+) s: 0 missed, 0 false", words.text_content() or "")
    assert where
    sustain.get_by_role("textbox").fill(where.group(1))
    sustain.get_by_role("textbox").press("Enter")
    expect(bench.get_by_test_id("false")).to_have_text("0")
    expect(bench.get_by_test_id("hits")).to_have_text("1 of 1")
    expect(bench.get_by_test_id("changes")).to_contain_text("false alarms 1 → 0")

    # a bad value names dial, value and what is allowed, and nothing is lost
    field = sustain.get_by_role("textbox")
    good = field.input_value()
    field.fill("soon")
    field.press("Enter")
    expect(sustain).to_contain_text("soon: expected a number of at least 0")
    field.fill(good)
    field.press("Enter")

    bench.get_by_role("button", name="Save revision").click()
    bench.get_by_test_id("reason").fill("The pass lasts a second, the heat twenty.")
    bench.get_by_role("button", name="Save", exact=True).click()
    expect(bench.get_by_test_id("changes")).to_have_text("")
    bench.goto(f"{DETECTOR}/revisions")
    expect(bench.locator("main")).to_contain_text("The pass lasts a second, the heat twenty.")
    bench.get_by_role("button", name="Restore").first.click()
    expect(bench.locator("main")).to_contain_text("Restored revision 1")


def test_a_bad_take_lists_its_faults_and_stores_nothing(bench: Page, tmp_path: Path) -> None:
    data, sidecar = small_take(tmp_path)
    sidecar.write_text(sidecar.read_text().replace('"fps": 2', '"fps": -2, "scale": 0'))
    bench.goto("/sites/1/takes")
    takes = bench.locator("table tbody tr").count()
    bench.get_by_test_id("files").set_input_files([data, sidecar])
    notice = bench.locator(".notice", has_text="2 faults")
    expect(notice).to_contain_text("evening.tif.json: fps")
    expect(notice).to_contain_text("evening.tif.json: scale")
    bench.reload()
    expect(bench.locator(".notice", has_text="2 faults")).to_be_visible()  # it survives the reload
    assert bench.locator("table tbody tr").count() == takes


def test_the_threshold_on_the_demo_take(bench: Page) -> None:
    """The strip's pin dragged: misses turn to false alarms; a redraw takes a fraction of a second."""
    bench.goto(f"{DETECTOR}?take=1")
    expect(bench.get_by_test_id("false")).not_to_have_text("0")
    strip = bench.locator('svg[data-strip="threshold_c"]')
    expect(strip.locator(".pin")).to_be_visible()
    x, y, width, height = box_of(strip)
    drag(bench, (x + width * 0.3, y + height / 2), (x + width * 0.98, y + height / 2))
    expect(bench.get_by_test_id("hits")).to_contain_text("0 of")
    bench.keyboard.press("u")
    expect(bench.get_by_test_id("misses")).to_have_text("0")
    bench.keyboard.press(".")
    expect(bench.get_by_label("Threshold in °C")).to_have_value("45.5")
    bench.keyboard.press("Shift+,")
    expect(bench.get_by_label("Threshold in °C")).to_have_value("40.5")
    before = bench.url
    bench.keyboard.press("]")
    expect(bench).not_to_have_url(before)  # the next event or mark, and the address says where
    for _ in range(2):
        bench.keyboard.press("u")
    expect(bench.get_by_test_id("changes")).to_have_text("")


def test_two_zips_chosen_at_once_are_two_takes(bench: Page, tmp_path: Path) -> None:
    tifffile.imwrite(tmp_path / "a.tif", np.full((4, 240, 320), 29315, np.uint16), photometric="minisblack")
    info = {"format": "lantern-take/1", "kind": "heat", "device": "T1", "start": "2026-03-06T18:00:00+01:00", "fps": 2}
    names = ("First run", "Second run")
    for name in names:
        with zipfile.ZipFile(tmp_path / f"{name}.zip", "w") as made:
            made.write(tmp_path / "a.tif", "a.tif")
            made.writestr("take.json", json.dumps(info | {"name": name, "data": "a.tif"}))
    bench.goto("/sites/1/takes")
    bench.get_by_test_id("files").set_input_files([tmp_path / f"{name}.zip" for name in names])
    for name in names:
        expect(bench.locator("tr", has_text=name)).to_have_count(1)
    said: list[str] = []

    def agree(dialog: Dialog) -> None:
        said.append(dialog.message)
        dialog.accept()

    bench.on("dialog", agree)
    for name in names:
        bench.get_by_role("button", name=f"Delete {name}").click()
        expect(bench.locator("tr", has_text=name)).to_have_count(0)
    assert said == [f"Delete {name} of T1? Nothing of that comes back." for name in names]


def test_link_and_timetable(bench: Page) -> None:
    bench.goto("/sites/1/links/2")
    bench.get_by_role("button", name="New").click()
    bench.get_by_label("Name of the timetable").fill("Weekend mornings")
    bench.get_by_label("Name of the timetable").press("Tab")
    expect(bench.get_by_text("never: this timetable has no hours")).to_be_visible()
    week = bench.locator("svg.week")
    x, y, width, _ = box_of(week)
    scale = width / 1100
    row = y + (18 + 5 * 27 + 12) * scale  # Saturday
    hour = lambda h: x + (44 + h / 24 * (1100 - 52)) * scale  # noqa: E731 - a short rule of the drawing
    drag(bench, (hour(6), row), (hour(12), row))
    expect(bench.get_by_label("From")).to_have_value("06:00")
    bench.get_by_label("To", exact=True).fill("12:30")
    bench.get_by_label("To", exact=True).press("Enter")
    bench.get_by_role("button", name="Save timetable").click()
    expect(bench.get_by_text("Saved Weekend mornings: 6.5 h a week.")).to_be_visible()
    bench.get_by_label("Timetable of the link").first.select_option("Weekend mornings")
    bench.get_by_role("button", name="Save link").first.click()
    expect(bench.get_by_text("reason: is empty")).to_be_visible()
    bench.get_by_label("Why the link is changed").first.fill("Nobody is there at night")
    bench.get_by_role("button", name="Save link").first.click()
    expect(bench.get_by_text("Saved Joint to contactor.")).to_be_visible()
    changes = bench.get_by_label("Changes")
    newest = changes.locator("tbody tr").first
    expect(newest).to_contain_text("Nobody is there at night")
    expect(newest).to_contain_text("timetable")
    expect(newest).to_contain_text("Weekend mornings")
    bench.goto("/sites/1/rehearse/2")
    expect(bench.locator("main")).to_contain_text("Outside the timetable")
    expect(bench.locator("main")).to_contain_text("Weekend mornings, 6.5 h a week")


def test_rehearsal_tells_why(bench: Page) -> None:
    bench.goto("/sites/1/rehearse/1?take=1")
    main = bench.locator("main")
    expect(main).to_contain_text("Fired Conveyor stop, Mast beacon.")
    bench.locator(".why-list tr").nth(1).click()
    expect(bench).to_have_url(re.compile("event=0"))
    expect(bench.locator("svg.lanes .effect").first).to_be_visible()


@pytest.mark.plays
def test_live_the_coil_comes_on_and_a_cut_relay_is_told(bench: Page) -> None:
    bench.goto("/sites/1/walk/1")
    expect(bench.get_by_test_id("feed")).to_contain_text("a second")
    lamp = bench.locator('[data-output="Mast beacon"]')
    bench.get_by_test_id("cut").click()
    expect(bench.get_by_test_id("cut-off")).to_be_visible()
    bench.get_by_test_id("jump").click()
    expect(bench.get_by_test_id("state")).to_have_text("raised", timeout=180_000)
    expect(bench.locator("main")).to_contain_text("Mast beacon due")
    bench.get_by_test_id("restore").click()
    expect(bench.get_by_test_id("cut-off")).to_have_count(0)
    expect(lamp.get_by_test_id("coil")).to_have_text("active, coil 0 on")
    stop = bench.locator('[data-output="Conveyor stop"]')
    expect(stop.get_by_test_id("coil")).to_have_text("active, coil 1 off")  # normally closed lets go
    stop.get_by_role("button", name="Acknowledge").click()
    expect(stop.get_by_test_id("coil")).to_have_text("idle, coil 1 on")
    expect(lamp.get_by_test_id("coil")).to_have_text("idle, coil 0 off", timeout=120_000)
