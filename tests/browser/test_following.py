"""A head that follows, as an engineer tunes it: why visitors are lost, which zoom keeps them; and steered by hand onto what a camera shows."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from browser.conftest import violations

BENCH = "/sites/1/bench/14"


def device_of(page: Page, code: str) -> str:
    """The page of a device, by its code."""
    page.goto("/sites/1/devices")
    link = page.locator("a[href*='/devices/']").filter(has_text=re.compile(rf"^\s*{code}")).first
    found = link.get_attribute("href")
    assert found
    return found


def opened(bench: Page) -> None:
    bench.goto(BENCH)
    expect(bench.locator(".of-following .way")).not_to_have_count(0)
    expect(bench.get_by_test_id("aim")).to_contain_text("pan")


def share(bench: Page) -> float:
    return float(bench.get_by_test_id("in_percent").inner_text())


def test_the_zoom_that_loses_visitors_is_found_and_one_that_keeps_them(bench: Page) -> None:
    """As found: 30 times and no lead. What is nearer to wide keeps longer whom it follows, and shows them smaller."""
    opened(bench)
    before, lost = share(bench), int(bench.get_by_test_id("lost_from_picture").inner_text())
    assert lost > 0
    high = float(bench.get_by_test_id("target_px").inner_text())
    bench.get_by_text("Zoom", exact=True).click()
    field = bench.get_by_role("textbox", name="Ratio")
    field.fill("3")
    field.press("Enter")
    expect(bench.get_by_test_id("changes")).to_contain_text("1 unsaved change")
    expect(bench.get_by_test_id("lost_from_picture")).to_have_text("0")
    assert share(bench) > before
    assert float(bench.get_by_test_id("target_px").inner_text()) < high / 5
    expect(bench.locator("svg.strip .base, svg.strip rect").first).to_be_visible()
    assert violations(bench) == []
    bench.get_by_role("button", name="Undo (u)").click()
    expect(bench.get_by_test_id("lost_from_picture")).to_have_text(str(lost))


def test_somebodys_way_says_how_long_it_was_seen_and_the_picture_is_drawn(bench: Page) -> None:
    opened(bench)
    bench.locator(".event").first.click()
    expect(bench.get_by_test_id("aim")).to_contain_text("follows 1")
    bench.locator("body").press("ArrowRight")  # at the event it still turns there
    for _ in range(15):
        bench.keyboard.press("ArrowRight")
    expect(bench.locator(".seen-picture .drawn-person")).not_to_have_count(0)
    expect(bench.locator(".of-following .wedge")).to_have_count(1)
    at = bench.evaluate(
        "(({ x, y, width, height }) => [x + width / 2, y + height / 2])"
        "(document.querySelector('.way.kept .end').getBoundingClientRect())"
    )
    bench.mouse.click(*at)
    expect(bench.get_by_test_id("target-said")).to_contain_text(
        re.compile(r"was followed .* in the picture \d+ % of its time")
    )
    bench.get_by_role("button", name="Picture", exact=True).click()
    expect(bench.locator(".seen-picture")).to_be_hidden()


def test_a_take_is_laid_on_the_plan_once(bench: Page) -> None:
    bench.goto("/sites/1/takes")
    row = bench.locator("tr", has_text="A night with rain, 30 min").filter(has_not_text="from V2").first
    row.get_by_role("button", name=re.compile("Move")).click()
    dialog = bench.locator("dialog[open]")
    value = dialog.locator("option", has_text="Z1").get_attribute("value")
    assert value
    dialog.get_by_label("Device").select_option(value)
    dialog.get_by_role("button", name="Lay it on the plan for it").click()
    expect(dialog.get_by_role("alert")).to_contain_text("already")


def test_a_place_in_a_cameras_picture_is_clicked_and_the_head_looks_there(bench: Page) -> None:
    bench.goto(device_of(bench, "Z1") + "/steer")
    aim = bench.get_by_test_id("aim")
    expect(aim).to_contain_text("looks to")
    expect(bench.get_by_test_id("registration")).to_contain_text("Its own pan 0 looks to 47")
    expect(bench.locator(".ledgers")).to_contain_text("of one elevation")
    bench.get_by_label("What is clicked").select_option("V2")
    expect(bench.get_by_test_id("apart")).to_contain_text("taken for a turn it would be wrong by")
    still = bench.get_by_test_id("still")
    expect(still).to_be_visible()
    box = still.bounding_box()
    assert box is not None
    bench.mouse.click(box["x"] + box["width"] * 0.5, box["y"] + box["height"] * 0.6)
    expect(bench.locator(".ahead")).to_be_visible()
    expect(bench.locator(".ahead .drawn-ground")).not_to_have_count(0)
    wanted = bench.locator(".ahead figcaption").inner_text()
    pan = re.search(r"look to ([\d.]+)°", wanted)
    assert pan
    bench.get_by_role("button", name="Look there", exact=True).click()
    expect(aim).to_contain_text(f"looks to {pan.group(1)[:3]}")
    assert violations(bench) == []


def test_a_key_moves_while_it_is_held(bench: Page) -> None:
    bench.goto(device_of(bench, "Z1") + "/steer")
    expect(bench.get_by_test_id("aim")).to_contain_text("looks to")
    before = bench.locator(".view .quiet.ms-auto").first.inner_text()
    key = bench.get_by_role("button", name="Pan left").bounding_box()
    assert key is not None
    bench.mouse.move(key["x"] + 10, key["y"] + 10)
    bench.mouse.down()
    expect(bench.get_by_test_id("aim")).to_contain_text("moving")
    bench.mouse.up()
    expect(bench.get_by_test_id("aim")).not_to_contain_text("moving")
    assert bench.locator(".view .quiet.ms-auto").first.inner_text() != before


def test_two_presets_of_one_name_are_told_and_mended(bench: Page) -> None:
    bench.goto(device_of(bench, "Z1") + "/steer")
    finding = bench.get_by_test_id("preset-finding")
    expect(finding.first).to_contain_text("The device has 2 presets named 'Gate'")
    row = bench.locator("tr", has_text="Gate (3)")
    row.get_by_role("button", name="Take this preset away").click()
    expect(finding).to_have_count(0)
    expect(bench.locator("tr", has_text="Gate (1)")).to_be_visible()


def test_a_window_is_hidden_in_the_picture_and_by_the_device(bench: Page) -> None:
    bench.goto(device_of(bench, "Z1") + "/steer")
    expect(bench.get_by_test_id("aim")).to_contain_text("looks to")
    expect(bench.get_by_test_id("aim")).not_to_contain_text("moving")
    bench.get_by_role(
        "button", name="Stop", exact=True
    ).first.click()  # held by hand: it does nothing by itself meanwhile
    expect(bench.get_by_test_id("held")).to_contain_text("by hand")
    expect(bench.get_by_test_id("aim")).not_to_contain_text("moving")
    rows = bench.get_by_test_id("mask")
    expect(rows).to_have_count(1)
    bench.get_by_role("button", name="Draw a mask").click()
    box = bench.locator(".mask-sheet").bounding_box()
    assert box is not None
    for count, (u, v) in enumerate(((0.4, 0.3), (0.6, 0.3), (0.6, 0.5)), 1):
        bench.mouse.click(box["x"] + u * box["width"], box["y"] + v * box["height"])
        expect(bench.locator(".mask-sheet .grip")).to_have_count(count)
    bench.get_by_label("Name of what is hidden").fill("A door of theirs")
    bench.get_by_role("button", name="Hide it").click()
    expect(rows).to_have_count(2)
    expect(bench.locator(".mask-sheet .mask")).to_have_count(1)  # the other hides from 4 times on
    row = rows.nth(1)
    row.get_by_role("button", name="corners").click()
    grip = bench.locator(".mask-sheet .grip").first
    before = grip.get_attribute("cx")
    grip.hover()  # which waits until it lies still
    place = grip.bounding_box()
    assert place is not None
    bench.mouse.down()
    bench.mouse.move(place["x"] - 40, place["y"] - 20, steps=3)
    bench.mouse.up()
    expect(grip).not_to_have_attribute("cx", before or "")
    assert violations(bench) == []
    row.get_by_role("button", name="give it").click()
    expect(row).to_contain_text("too")
    row.get_by_role("button", name="Take this mask away").click()
    expect(rows).to_have_count(1)
    assert bench.get_by_test_id("trouble").is_hidden()


@pytest.mark.plays
def test_it_follows_live(bench: Page) -> None:
    bench.goto("/sites/1/walk/14")
    expect(bench.get_by_test_id("follows")).to_contain_text(re.compile("Follows|looks to"))
