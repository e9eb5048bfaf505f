"""The quay as its engineer meets it: what every gull costs, another way, why a target did not raise, a sector drawn, live."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from browser.conftest import violations

BENCH, WALK = "/sites/1/bench/12", "/sites/1/walk/12"


def opened(bench: Page) -> None:
    bench.goto(BENCH)
    expect(bench.locator(".of-radar .way")).not_to_have_count(0)
    expect(bench.get_by_test_id("false")).to_have_text("15")


def test_gulls_are_told_from_the_rest_and_bought_off_by_their_size(bench: Page) -> None:
    opened(bench)
    expect(bench.locator(".way.false")).not_to_have_count(0)
    expect(bench.get_by_test_id("nuisance")).to_contain_text("15 gulls")
    bench.get_by_test_id("nuisance").get_by_role("button", name="15 gulls").click()
    expect(bench.get_by_test_id("nuisance")).to_contain_text("counted alone")
    field = bench.get_by_role("textbox", name="Distance")
    field.fill("6")
    field.press("Enter")
    expect(bench.get_by_test_id("false")).to_have_text("10")
    bench.get_by_text("Size", exact=True).click()
    field = bench.get_by_role("textbox", name="Min size")
    field.fill("-10")
    field.press("Enter")
    expect(bench.get_by_test_id("false")).to_have_text("0")
    expect(bench.get_by_test_id("misses")).to_have_text("0")
    expect(bench.get_by_test_id("nuisance").get_by_role("button")).to_have_text("0 gulls")  # none is left, and is said
    bench.get_by_test_id("nuisance").get_by_role("button").click()
    expect(bench.get_by_test_id("nuisance")).to_be_hidden()
    assert violations(bench) == []


def test_a_target_says_why_it_did_not_raise_and_profiles_stand_in_a_row(bench: Page) -> None:
    opened(bench)
    box = bench.locator(".way.hit .line").first.bounding_box()
    assert box is not None
    bench.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    expect(bench.get_by_test_id("target-said")).to_contain_text(re.compile(r"m/s|came|raised"))
    bench.get_by_role("tab", name="Profiles").click()
    rows = bench.get_by_test_id("profiles").locator("tbody tr")
    expect(rows).to_have_count(4)
    expect(rows.first).to_contain_text("in use")
    rows.nth(3).get_by_role("button", name="Take").click()
    expect(bench.get_by_test_id("false")).not_to_have_text("15")


def test_a_sector_is_drawn_and_its_corner_is_dragged(bench: Page) -> None:
    opened(bench)
    bench.get_by_role("button", name="Draw a sector").click()
    stage = bench.locator("svg.overlay").bounding_box()
    assert stage is not None
    at = [(stage["x"] + stage["width"] * x, stage["y"] + stage["height"] * y) for x, y in ((0.45, 0.9), (0.7, 0.4))]
    bench.mouse.move(*at[0])
    bench.mouse.down()
    bench.mouse.move(*at[1], steps=4)
    bench.mouse.up()
    expect(bench.get_by_test_id("changes")).to_contain_text("1 unsaved change")
    handles = bench.locator("svg.overlay .handle")
    expect(handles).to_have_count(2)
    outline = bench.locator("svg.overlay .shape.chosen")
    before = outline.get_attribute("points")
    bench.mouse.move(*at[1])
    bench.mouse.down()
    bench.mouse.move(at[1][0] - 40, at[1][1] + 20, steps=4)
    bench.mouse.up()
    assert before is not None
    expect(outline).not_to_have_attribute("points", before)


def test_a_sector_is_typed_and_what_cannot_be_is_said(bench: Page) -> None:
    opened(bench)
    bench.get_by_role("tab", name="Regions").click()
    panel = bench.locator("#panel-regions")
    expect(panel.get_by_label("Far of the sector")).to_have_value("68")
    panel.get_by_label("Far of the sector").fill("20")
    bench.keyboard.press("Enter")
    expect(bench.get_by_test_id("false")).not_to_have_text("15")
    panel.get_by_label("Near of the sector").fill("30")
    bench.keyboard.press("Enter")
    expect(bench.locator(".side")).to_contain_text("near below far")


def test_a_side_of_the_sector_has_its_evidence_and_is_dragged_by_it(bench: Page) -> None:
    opened(bench)
    bench.get_by_role("tab", name="Regions").click()
    strip = bench.locator("svg[data-side=far_m]")
    expect(strip.locator(".miss-fill")).not_to_have_count(0)
    box = strip.bounding_box()
    assert box is not None
    bench.mouse.click(box["x"] + box["width"] * 0.35, box["y"] + 15)
    expect(bench.get_by_test_id("misses")).not_to_have_text("0")
    expect(bench.get_by_test_id("changes")).to_contain_text("1 unsaved change")
    bench.get_by_role("button", name="Undo (u)").click()
    expect(bench.get_by_test_id("misses")).to_have_text("0")


def test_somebody_comes_live(bench: Page) -> None:
    bench.goto(WALK)
    expect(bench.get_by_test_id("nearest")).to_contain_text("Nearest is")
    bench.get_by_test_id("jump").click()
    expect(bench.get_by_test_id("state").first).to_have_text("raised")
    assert violations(bench) == []
