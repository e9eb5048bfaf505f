"""The plan as an integrator uses it: what falls short, a camera that is dragged, a cure that is taken, the view from the side."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from browser.conftest import violations

PLAN = "/sites/1/plan"


def test_what_falls_short_is_told_and_a_cure_is_taken(bench: Page) -> None:
    bench.goto(f"{PLAN}#L1")
    short = bench.locator(".falls-short")
    for code in ("P1", "C1", "L1", "R1"):
        expect(short).to_contain_text(code)
    panel = bench.locator(".plan-side")
    expect(panel).to_contain_text("17.9 W instead of 8 W")
    panel.get_by_label("Watts").fill("17.9")
    panel.get_by_label("Watts").press("Enter")
    expect(panel.locator(".claims .glyph-hit")).to_be_visible()  # tried, not kept
    panel.get_by_role("button", name="Back to where it was").click()
    panel.locator("tr", has_text="17.9 W").get_by_role("button", name="Take it").click()
    expect(panel.get_by_label("Watts")).to_have_value("17.9")
    expect(bench.locator(".falls-short")).not_to_contain_text("L1")
    panel.get_by_label("Watts").fill("8")
    panel.get_by_label("Watts").press("Enter")
    panel.get_by_role("button", name="Save it here").click()
    expect(bench.locator(".falls-short")).to_contain_text("L1")


def test_a_camera_is_dragged_and_moved_by_keys(bench: Page) -> None:
    bench.goto(f"{PLAN}#V2")
    expect(bench.locator(".chart[data-ready]")).to_be_visible()
    panel = bench.locator(".plan-side")
    expect(panel.get_by_label("X", exact=True)).to_have_value("274")
    mark = bench.get_by_role("button", name="V2 Camera over the yard").and_(bench.locator("svg [data-device]"))
    box = mark.locator(".catch").bounding_box()
    assert box is not None
    bench.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    bench.mouse.down()
    bench.mouse.move(box["x"] + 80, box["y"] + 40, steps=6)
    bench.mouse.up()
    expect(panel.get_by_role("button", name="Save it here")).to_be_visible()
    expect(panel.get_by_label("X", exact=True)).not_to_have_value("274")
    moved = panel.get_by_label("X", exact=True).input_value()
    mark.focus()
    mark.press("Shift+ArrowRight")
    expect(panel.get_by_label("X", exact=True)).to_have_value(f"{float(moved) + 1:g}")
    panel.get_by_role("button", name="Back to where it was").click()
    expect(panel.get_by_label("X", exact=True)).to_have_value("274")


def test_the_side_view_and_what_stands_on_the_plan(bench: Page) -> None:
    bench.goto(f"{PLAN}#P1")
    side = bench.locator(".side-view svg")
    expect(side).to_contain_text("plates at the bar")
    expect(side).to_contain_text("250 identify")
    bench.get_by_role("button", name="What stands on it").click()
    area = bench.get_by_label("The plan as JSON")
    held = area.input_value()
    area.fill(held.replace('"material": "wood"', '"material": "cheese"'))
    bench.get_by_role("button", name="Save the plan").click()
    expect(bench.get_by_role("alert").filter(has_text="no known material")).to_be_visible()
    area.fill(held.replace('"width_m": 420', '"width_m": 430'))
    bench.get_by_role("button", name="Save the plan").click()
    expect(bench.locator(".chart")).to_have_attribute("viewBox", "0 0 430 260")
    bench.get_by_role("button", name="What stands on it").click()
    area.fill(held)
    bench.get_by_role("button", name="Save the plan").click()
    expect(bench.locator(".chart")).to_have_attribute("viewBox", "0 0 420 260")


def test_a_device_without_a_place_is_put_on_the_plan(bench: Page) -> None:
    bench.goto(f"{PLAN}#A1")
    panel = bench.locator(".plan-side")
    panel.get_by_role("button", name="Put it on the plan").click()
    expect(panel.get_by_label("X", exact=True)).to_have_value("210")


def test_the_plan_is_accessible_light_and_dark(bench: Page) -> None:
    bench.goto(f"{PLAN}#P1")
    expect(bench.locator(".chart[data-ready]")).to_be_visible()
    assert violations(bench) == []
    bench.emulate_media(color_scheme="dark")
    assert violations(bench) == []
