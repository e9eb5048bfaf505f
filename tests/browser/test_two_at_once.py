"""Two people on one detector: the second sees what both have changed, chooses where that clashes, and saves both."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

DETECTOR = "/sites/1/bench/2"  # the busbar joint; other tests leave it alone


def set_dial(page: Page, name: str, value: str) -> None:
    field = page.locator(f'[data-dial="{name}"]').get_by_role("textbox").first
    field.fill(value)
    field.press("Enter")


def save(page: Page, reason: str) -> None:
    page.get_by_role("button", name="Save revision").click()
    page.get_by_test_id("reason").fill(reason)
    page.get_by_role("button", name="Save", exact=True).click()


def test_the_second_who_saves_sees_both_and_chooses(bench: Page) -> None:
    bench.goto(DETECTOR)
    other = bench.context.new_page()
    other.goto(DETECTOR)
    for page in (bench, other):
        expect(page.locator('[data-dial="sustain_s"]')).to_be_visible()
    set_dial(other, "sustain_s", "7")
    set_dial(other, "clear_s", "2")
    save(other, "theirs")
    expect(other.get_by_test_id("changes")).to_have_text("")

    set_dial(bench, "sustain_s", "9")
    set_dial(bench, "rearm_s", "33")
    save(bench, "mine")
    dialog = bench.get_by_role("dialog", name="Two at once")
    expect(dialog).to_contain_text("theirs")
    rows = dialog.locator("tbody tr")
    expect(rows).to_have_count(3)
    expect(dialog.get_by_test_id("merge")).to_be_disabled()
    rows.filter(has_text="Sustain").get_by_role("radio").nth(1).check()
    dialog.get_by_test_id("merge").click()
    bench.wait_for_url(f"**{DETECTOR}?take=*")
    for name, value in (("sustain_s", "9"), ("clear_s", "2"), ("rearm_s", "33")):
        expect(bench.locator(f'[data-dial="{name}"]').get_by_role("textbox").first).to_have_value(value)
    other.close()


def test_a_take_that_was_deleted_meanwhile_has_no_scores_any_more(bench: Page) -> None:
    bench.goto(f"{DETECTOR}?dial.sustain_s=8")
    expect(bench.get_by_test_id("card")).to_be_visible()
    bench.route("**/bench/*/takes", lambda route: route.fulfill(json={"takes": []}))
    bench.evaluate("window.dispatchEvent(new Event('focus'))")
    expect(bench.get_by_role("alert").filter(has_text="was deleted meanwhile")).to_be_visible()
    expect(bench.get_by_test_id("card")).to_be_hidden()
    bench.unroute("**/bench/*/takes")
    bench.get_by_role("link", name="Take these dials to the other takes").click()
    expect(bench.locator('[data-dial="sustain_s"]').get_by_role("textbox").first).to_have_value("8")
    expect(bench.get_by_test_id("card")).to_be_visible()


def test_what_a_detector_can_become_is_one_click_away(bench: Page) -> None:
    bench.goto(DETECTOR)
    bench.get_by_role("button", name="this detector").click()
    dialog = bench.get_by_role("dialog")
    dialog.get_by_label("Copy to a device").select_option("1")
    dialog.get_by_label("Name of the copy").fill("Busbar, on the heap")
    dialog.get_by_role("button", name="Copy", exact=True).click()
    bench.wait_for_url("**copied=1*")
    expect(bench.get_by_text("lay them where they belong").first).to_be_visible()
    bench.once("dialog", lambda asked: asked.accept())
    bench.get_by_role("button", name="this detector").click()
    bench.get_by_role("dialog").get_by_role("button", name="Retire it").click()
    bench.wait_for_url("**/devices/1")
    expect(bench.locator("main")).to_contain_text("Busbar, on the heap")
    expect(bench.locator("nav.rail")).not_to_contain_text("Busbar, on the heap")


@pytest.mark.plays
def test_a_line_is_drawn_on_tracks_for_a_new_detector(bench: Page) -> None:
    bench.goto("/sites/1/detectors/new?device=8")
    overlay = bench.locator(".maker svg.overlay")
    expect(bench.locator("[data-ready]")).to_be_visible()
    bench.get_by_role("button", name="Draw a line").click()
    box = overlay.bounding_box()
    assert box is not None
    bench.mouse.move(box["x"] + 100, box["y"] + 80)
    bench.mouse.down()
    bench.mouse.move(box["x"] + 220, box["y"] + 260, steps=4)
    bench.mouse.up()
    expect(bench.get_by_label("Name of the region")).to_have_value("line 1")
    bench.get_by_label("What to draw on").last.select_option("live")
    expect(bench.get_by_text("frames a second")).to_be_visible()
    expect(bench.get_by_label("Name of the region")).to_have_value("line 1")  # what is drawn stays
    bench.get_by_label("Name", exact=True).fill("Second gate")
    bench.get_by_test_id("make").click()
    bench.wait_for_url("**/bench/*")
    expect(bench.locator("main h1")).to_have_text("V2 Second gate")
    bench.once("dialog", lambda asked: asked.accept())
    bench.get_by_role("button", name="this detector").click()
    bench.get_by_role("dialog").get_by_role("button", name="Retire it").click()
    bench.wait_for_url("**/devices/8")
