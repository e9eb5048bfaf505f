"""What a head does by itself, as an engineer mends it: why the gate goes unseen, and which numbers have it seen every two minutes."""

from __future__ import annotations

import re

from playwright.sync_api import Page, expect

from browser.conftest import violations
from browser.test_following import device_of


def opened(bench: Page) -> None:
    bench.goto(device_of(bench, "Z1") + "/duty")
    expect(bench.get_by_test_id("day")).to_contain_text("a made-up day")


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
