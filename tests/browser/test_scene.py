"""A scene as a user works on it: see why a count is short, move the line with the search's help, tally, and watch it live."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from browser.test_flow import box_of, drag

COUNT, GATE, PATH = "/sites/1/bench/4", "/sites/1/bench/6", "/sites/1/bench/8"


def opened(page: Page, address: str) -> None:
    page.goto(address)
    expect(page.locator('.bench-frame[data-ready="1"]')).to_be_attached()


def test_an_undercounting_line_is_moved_with_the_help_of_the_search(bench: Page) -> None:
    opened(bench, f"{COUNT}?tab=counts")
    expect(bench.get_by_test_id("counted-in")).to_have_text(re.compile(r"^\d+$"))
    before = int(bench.get_by_test_id("counted-in").text_content() or 0)
    expect(bench.get_by_test_id("count-caution")).to_have_text(
        re.compile("^Two people differ by 2.0 %")
    )  # and no clocks
    bench.get_by_role("tab", name="Dials").click()
    expect(bench.get_by_test_id("caution")).to_contain_text("need 119 px to be wholly in view before they cross")
    expect(bench.locator(".verdict", has_text="turned back inside the band")).to_be_visible()
    bench.get_by_role("tab", name="Regions").click()
    expect(bench.get_by_test_id("room").filter(has_text="side B")).to_have_class(re.compile("bad"))
    bench.get_by_test_id("search").click()
    expect(bench.get_by_test_id("line-text")).to_contain_text("passages are wrong now")
    bench.get_by_test_id("take-line").click()
    expect(bench.get_by_test_id("changes")).to_contain_text("1 unsaved change: misses")
    bench.get_by_role("tab", name="Counts").click()
    expect(bench.get_by_test_id("counted-in")).not_to_have_text(str(before))
    assert int(bench.get_by_test_id("counted-in").text_content() or 0) > before
    expect(bench.get_by_test_id("sure")).to_contain_text("would show the caught share")
    bench.get_by_label("Undo (u)").click()
    expect(bench.get_by_test_id("counted-in")).to_have_text(str(before))


def test_a_track_tells_its_life_and_a_verdict_can_be_hidden(bench: Page) -> None:
    opened(bench, f"{PATH}?object=1")
    expect(bench.get_by_test_id("life")).to_contain_text("Raised")
    expect(bench.locator("section.axis svg path.reading")).to_have_count(
        2
    )  # its distance to the gate, and whether it is at the tank
    bench.keyboard.press("Escape")
    expect(bench.get_by_test_id("life")).to_be_hidden()
    chip = bench.locator(".verdict", has_text="raised").first
    chip.click()
    expect(chip).to_have_attribute("aria-pressed", "false")
    bench.get_by_role("tab", name="Objects").click()
    vehicle = bench.get_by_label("vehicle counts")
    expect(vehicle).not_to_be_checked()
    vehicle.check()
    expect(bench.get_by_test_id("changes")).to_contain_text("false alarms 0 → 3")


def test_two_figures_are_drawn_and_the_fox_is_too_small_for_them(bench: Page) -> None:
    """One at the tank and one at the gate, as high as the visitor's box is there; a person is at least 0.6 of that."""
    opened(bench, GATE)
    x, y, w, h = box_of(bench.locator(".stage svg.overlay"))
    for at, foot, head in ((0.807, 0.439, 0.319), (0.224, 0.577, 0.426)):
        bench.get_by_label("Draw a line").click()
        drag(bench, (x + at * w, y + foot * h), (x + at * w, y + head * h))
    for number in (1, 2):
        bench.get_by_label("Part the region plays").nth(number).select_option("reference")
    expect(bench.get_by_role("button", name="swap A and B").locator("visible=true")).to_have_count(1)
    bench.get_by_role("tab", name="Dials").click()
    bench.locator("summary", has_text="Objects").click()
    field = bench.get_by_label("Min height share in units")
    field.fill("0.6")
    field.blur()
    expect(bench.locator(".verdict", has_text="size filtered")).to_be_visible()
    expect(bench.get_by_test_id("changes")).to_contain_text("2 unsaved changes: misses 0 → 0, false")
    tall = bench.get_by_label("Min height in m")
    tall.fill("1.2")
    tall.blur()
    expect(bench.get_by_test_id("caution")).to_contain_text("tells no heights in metres")
    bench.get_by_role("button", name="dwell").click()
    expect(bench.get_by_text("the longest stay of one, up to")).to_be_visible()


def test_a_line_is_drawn_dragged_and_its_band_typed(bench: Page) -> None:
    opened(bench, GATE)
    x, y, w, h = box_of(bench.locator(".stage svg.overlay"))
    bench.get_by_label("Draw a line").click()
    drag(bench, (x + 0.6 * w, y + 0.8 * h), (x + 0.6 * w, y + 0.3 * h))
    expect(bench.get_by_test_id("changes")).to_contain_text("1 unsaved change")
    expect(bench.get_by_label("Name of the region")).to_have_count(2)
    bench.get_by_role("button", name="swap A and B").last.click()
    bench.get_by_role("tab", name="Dials").click()
    field = bench.get_by_label("Band in px")
    field.fill("-3")
    field.blur()
    expect(bench.locator("#words-band")).to_contain_text("at least 0")
    field.fill("12")
    field.blur()
    expect(bench.locator('svg[data-strip="band"] .pin')).to_be_visible()
    expect(bench.get_by_test_id("changes")).to_contain_text("2 unsaved changes")
    names = bench.get_by_label("Classes")
    bench.locator("summary", has_text="Objects").click()
    names.fill("person")
    names.blur()
    expect(bench.get_by_test_id("false")).not_to_have_text("7")


def test_the_tracks_follow_a_line_that_is_dragged(bench: Page) -> None:
    opened(bench, COUNT)
    words = bench.locator(".verdict", has_text="passed beyond the line's end")
    before = words.text_content() or ""
    x, y, w, h = box_of(bench.locator(".stage svg.overlay .shape").first)
    bench.mouse.move(x + w / 2, y + h / 2)
    bench.mouse.down()
    bench.mouse.move(x + w / 2, y + h / 2 + 40, steps=4)
    expect(words).not_to_have_text(before)  # while it is still held
    expect(bench.get_by_test_id("changes")).to_contain_text("misses")
    expect(bench.locator("canvas[data-changed-ms]")).to_be_attached()
    bench.mouse.move(x + w / 2, y + h / 2 + 60, steps=4)
    bench.mouse.up()
    expect(bench.locator('svg[data-strip="band"] .pin')).to_be_visible()
    bench.get_by_label("Undo (u)").click()  # a drag is one step
    expect(bench.get_by_test_id("changes")).to_have_text("")
    expect(words).to_have_text(before)


def test_a_tally_is_made_by_keys_without_seeing_the_count(bench: Page) -> None:
    opened(bench, f"{COUNT}?tab=counts")
    bench.get_by_test_id("tally").click()
    expect(bench.get_by_test_id("tallied-in")).to_have_text("0")
    for what in (bench.get_by_test_id("false"), bench.locator(".legend"), bench.locator(".axis svg")):
        expect(what).to_be_hidden()  # blind to what the device counts
    for key in ("i", "i", "o", "i", "u"):
        bench.keyboard.press(key)
    expect(bench.get_by_test_id("tallied-in")).to_have_text("2")
    expect(bench.get_by_test_id("tallied-out")).to_have_text("1")
    bench.get_by_label("Who counts").fill("Third observer")
    bench.get_by_test_id("save-tally").click()
    expect(bench.get_by_label("Who counted by hand")).to_contain_text("Third observer, tally")
    expect(bench.locator(".legend")).to_be_visible()
    bench.get_by_role("button", name="remove").click()
    expect(bench.get_by_label("Who counted by hand")).not_to_contain_text("Third observer")


@pytest.mark.parametrize("address", [f"{COUNT}?tab=regions", GATE, "/sites/1/walk/5"])
def test_a_scene_plays(bench: Page, address: str) -> None:
    bench.goto(address)
    if address.startswith("/sites/1/walk"):
        bench.get_by_test_id("verify").click()
        bench.get_by_test_id("jump").click()
        expect(bench.get_by_test_id("verify-text")).to_contain_text("one in: right")
        bench.get_by_test_id("empty").click()
        expect(bench.get_by_test_id("reading").first).to_be_visible()
        return
    expect(bench.locator('.bench-frame[data-ready="1"]')).to_be_attached()
    clock = bench.locator(".tools .nowrap").first
    before = clock.text_content()
    bench.keyboard.press("Space")
    expect(clock).not_to_have_text(before or "")
    bench.keyboard.press("Space")
