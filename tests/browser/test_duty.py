"""What a head does by itself, as an engineer mends it: why the gate goes unseen, and which numbers have it seen every two minutes."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from browser.conftest import violations
from browser.test_following import device_of


def opened(bench: Page) -> None:
    bench.goto(device_of(bench, "Z1") + "/duty")
    expect(bench.get_by_test_id("day")).to_contain_text("dropped")


def test_the_gate_goes_unseen_for_hours_and_is_seen_every_two_minutes_once_it_is_mended(bench: Page) -> None:
    opened(bench)
    gate = bench.locator("tr[data-spot='the yard gate']")
    expect(gate).to_contain_text(re.compile(r"\d h \d"))
    expect(gate).to_have_class(re.compile("fail"))
    expect(bench.get_by_test_id("duty-finding")).to_contain_text("looks at a wall")
    expect(bench.get_by_test_id("cureless")).to_contain_text("idle")
    # it stares at a wall by day: the round instead
    bench.get_by_label("What it does when idle").select_option("Night round")
    expect(gate).not_to_contain_text(re.compile(r"\d h \d"))
    expect(bench.get_by_test_id("duty-finding")).to_have_count(0)
    # each stay, and how long a call may last
    for stop, stay in ((1, "20"), (2, "20")):
        field = bench.get_by_label("Stays, s").nth(stop)
        field.fill(stay)
        field.press("Enter")
    expect(bench.locator(".one-round")).to_contain_text("once round in 5")
    bench.get_by_role("textbox", name="A call at most, s").fill("20")
    bench.get_by_role("textbox", name="A call at most, s").press("Enter")
    bench.get_by_role("textbox", name="Idle after, s").fill("5")
    bench.get_by_role("textbox", name="Idle after, s").press("Enter")
    expect(bench.locator("[data-dial]")).to_have_count(4)
    assert violations(bench) == []
    bench.get_by_label("the yard gate unseen for so many s at most").fill("240")
    bench.get_by_label("the yard gate unseen for so many s at most").press("Enter")
    expect(gate).to_have_class(re.compile("pass"))
    bench.get_by_role("button", name="Save").click()
    expect(bench.get_by_role("button", name="Save")).to_be_disabled()
    bench.reload()
    expect(bench.get_by_role("textbox", name="A call at most, s")).to_have_value("20")
    expect(gate).to_have_class(re.compile("pass"))
    the_neighbours_window_is_hidden_and_it_is_taken_and_given_back(bench)
    it_goes_there_and_runs_so_overnight(bench)


def the_neighbours_window_is_hidden_and_it_is_taken_and_given_back(bench: Page) -> None:
    bench.goto(device_of(bench, "Z1") + "/steer")
    key = bench.get_by_role("button", name="Pan right")
    key.hover()
    bench.mouse.down()
    expect(bench.get_by_test_id("held")).to_contain_text(re.compile(r"by hand: Mira .* until"))
    bench.mouse.up()
    expect(bench.get_by_test_id("aim")).not_to_contain_text("moving")
    window = bench.get_by_test_id("mask")
    expect(window.get_by_label("From how many times on")).to_have_value("4")
    window.get_by_role("button", name="give it").click()
    expect(window).to_contain_text("too")
    sharp = bench.get_by_test_id("sharp").first
    sharp.get_by_role("button", name="measure").click()
    expect(sharp).to_contain_text(re.compile(r"\d s"))
    assert bench.get_by_test_id("trouble").is_hidden()
    bench.get_by_role("button", name="Give it back").click()
    expect(bench.get_by_test_id("held")).not_to_contain_text("by hand")


def it_goes_there_and_runs_so_overnight(bench: Page) -> None:
    """Once round at the device, and eight hours on a clock that runs fast; the way that was driven is one that it can drive again."""
    bench.goto(device_of(bench, "Z1") + "/duty")
    bench.get_by_role("button", name="a way that was driven").click()
    bench.get_by_role("button", name="take this way").first.click()
    expect(bench.get_by_test_id("driven").last).to_contain_text("moments in")
    bench.get_by_role("button", name="Undo (u)").click()
    bench.get_by_role("button", name="try it: Night round").click()
    expect(bench.get_by_test_id("tried").first).to_contain_text(re.compile(r"There: .*° off at most"))
    bench.get_by_role("button", name="Run 21:00 to 05:00").click()
    expect(bench.get_by_test_id("night")).to_contain_text("times as fast", timeout=180_000)
    gate = bench.locator("[data-night='the yard gate'] td").last.inner_text()
    minutes = re.match(r"(?:(\d+) min )?(\d+) s, by the sums", gate)
    assert minutes, gate
    assert int(minutes[1] or 0) * 60 + int(minutes[2]) < 300
    bench.get_by_label("Which day").select_option(index=1)  # as it was
    expect(bench.get_by_test_id("day")).to_contain_text(re.compile(r"\d\d:\d\d to \d\d:\d\d: \d+ calls"))
    assert violations(bench) == []


def test_a_stay_is_dragged_on_the_ribbon(bench: Page) -> None:
    opened(bench)
    stays = bench.get_by_label("Stays, s")
    before = stays.first.input_value()
    grip = bench.locator(".ribbon .grip").first
    grip.hover()
    place = grip.bounding_box()
    assert place is not None
    bench.mouse.down()
    bench.mouse.move(place["x"] + 60, place["y"] + 8, steps=4)
    bench.mouse.up()
    expect(stays.first).not_to_have_value(before)
    expect(bench.get_by_role("button", name="Undo (u)")).to_be_enabled()
    bench.get_by_role("button", name="Undo (u)").click()
    expect(stays.first).to_have_value(before)
    bench.get_by_role("button", name="a sweep").click()
    bench.get_by_label("Degrees a second").fill("4")
    bench.get_by_label("Degrees a second").press("Enter")
    bench.get_by_role("button", name="a chain").click()
    bench.get_by_role("button", name="then another").click()
    expect(bench.get_by_label("A round of the chain")).to_have_count(2)
    assert violations(bench) == []


def test_a_change_is_taken_back_and_what_is_wrong_is_told(bench: Page) -> None:
    opened(bench)
    field = bench.get_by_label("Stays, s").first
    before = field.input_value()
    field.fill("-3")
    field.press("Enter")
    expect(bench.get_by_test_id("trouble")).to_contain_text("stay_s")
    bench.get_by_role("button", name="Undo (u)").click()
    expect(bench.get_by_test_id("trouble")).to_be_hidden()
    expect(field).to_have_value(before)
