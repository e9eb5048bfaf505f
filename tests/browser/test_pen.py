"""Drawing without a pointer: a tool chosen by key is a pen that arrows move and Enter presses, wherever there is something to draw."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect


def by_key(page: Page, tool: str) -> None:
    """Choose a tool as somebody does who has no pointer."""
    button = page.get_by_role("button", name=tool)
    button.first.focus()
    page.keyboard.press("Shift+Tab")
    page.keyboard.press("Tab")
    page.keyboard.press("Enter")
    expect(page.locator(".pen:visible")).to_have_count(1)


def press(page: Page, *keys: str) -> None:
    for key in keys:
        page.keyboard.press(key)


@pytest.mark.parametrize(
    ("device", "kind", "tool", "keys", "shape"),
    [
        (1, "heat", "Set a spot", ["Enter"], "spot"),
        (1, "heat", "Draw a box", ["Enter", "Shift+ArrowRight", "Shift+ArrowDown", "Enter"], "box"),
        (5, "crossing", "Draw a line", ["Enter", "Shift+ArrowRight", "Shift+ArrowRight", "Enter"], "line"),
        (5, "zone", "Draw a polygon", ["Enter", "Shift+ArrowRight", "Enter", "Shift+ArrowDown", "Enter", "Enter"], "polygon"),
    ],
)  # fmt: skip
def test_a_region_of_a_new_detector(
    bench: Page, device: int, kind: str, tool: str, keys: list[str], shape: str
) -> None:
    bench.goto(f"/sites/1/detectors/new?device={device}")
    bench.locator(f"input[name=kind][value={kind}]").check()
    expect(bench.locator("[data-ready] .stage canvas")).to_be_visible()
    by_key(bench, tool)
    press(bench, *keys)
    expect(bench.get_by_label("Name of the region")).to_have_value(f"{shape} 1")
    expect(bench.locator(".pen:visible")).to_have_count(0)
    expect(bench.get_by_role("button", name=tool).first).to_be_focused()


def test_a_line_on_a_bench_and_escape_leaves_it(bench: Page) -> None:
    bench.goto("/sites/1/bench/4?tab=regions")
    names = bench.get_by_label("Name of the region")
    expect(bench.locator(".overlay [data-region]").first).to_be_visible()
    before = names.count()
    by_key(bench, "Draw a line")
    press(bench, "ArrowLeft", "Escape")
    expect(bench.locator(".pen:visible")).to_have_count(0)
    assert names.count() == before
    by_key(bench, "Draw a line")
    where = bench.locator(".pen").text_content()
    press(bench, "Shift+ArrowUp", "Enter", "Shift+ArrowRight", "Enter")
    expect(names).to_have_count(before + 1)
    points = bench.get_by_label("Points of the region").last.input_value()
    (x1, y1), (x2, y2) = ([float(v) for v in pair.split(",")] for pair in points.split())
    assert where and (x2 > x1, y2) == (True, y1)
    assert y1 < float(where.split(", ")[1])
    bench.keyboard.press("u")
    expect(names).to_have_count(before)


def test_a_wall_on_the_plan(bench: Page) -> None:
    bench.goto("/sites/1/plan#draw")
    expect(bench.locator("[data-chart][data-ready]")).to_be_visible()
    things = bench.locator("[data-thing^='occluders/']")
    before = things.count()
    by_key(bench, "Wall")
    assert "m" in (bench.locator(".pen").text_content() or "")
    press(bench, "Enter", "Shift+ArrowRight", "Shift+ArrowRight", "Enter", "Enter")
    expect(things).to_have_count(before + 1)
    expect(bench.locator(".pen:visible")).to_have_count(0)
    bench.keyboard.press("Control+z")
    expect(things).to_have_count(before)
