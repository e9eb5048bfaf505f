"""The door as its engineer meets it: what 80 costs, what each other threshold costs, a threshold by list for one false alarm a week
that this much evidence cannot prove, who is taken for whom, and who comes by now."""

from __future__ import annotations

import pytest
from playwright.sync_api import Page, expect

from browser.conftest import violations

BARRED, CREW, WALK = "/sites/1/bench/11", "/sites/1/bench/10", "/sites/1/walk/11"


def opened(bench: Page, path: str = BARRED) -> None:
    bench.goto(path)
    expect(bench.get_by_test_id("says")).to_contain_text("At 80: 11 false alarms a day")


def test_eighty_gives_eleven_a_day_and_a_drag_shows_what_another_costs(bench: Page) -> None:
    opened(bench)
    says = bench.get_by_test_id("says")
    expect(says).to_contain_text("8 backlight")
    expect(bench.get_by_test_id("false")).to_have_text("11")
    chart = bench.get_by_test_id("scores")
    box = chart.bounding_box()
    assert box is not None
    bench.mouse.move(box["x"] + box["width"] * 0.78, box["y"] + 60)
    bench.mouse.down()
    bench.mouse.move(box["x"] + box["width"] * 0.905, box["y"] + 60, steps=5)
    expect(says).not_to_contain_text("11 false alarms")
    bench.mouse.up()
    expect(bench.get_by_test_id("misses")).not_to_have_text("0")
    expect(bench.get_by_test_id("changes")).to_contain_text("1 unsaved change")
    bench.get_by_role("button", name="Undo (u)").click()
    expect(says).to_contain_text("At 80: 11 false alarms a day")
    chart.focus()
    bench.keyboard.press("ArrowRight")
    expect(says).to_contain_text("At 80.5")


def test_one_a_week_is_a_threshold_of_the_list_that_is_not_proven_yet(bench: Page) -> None:
    opened(bench)
    bench.get_by_label("At most so many false alarms a day").fill("0.143")
    bench.keyboard.press("Enter")
    bench.get_by_role("tab", name="Lists").click()
    panel = bench.locator("#panel-lists")
    expect(panel).to_contain_text("Extrapolated: this take cannot show it")
    expect(panel).to_contain_text("such days, none of them taken for a member")
    panel.get_by_role("button", name="Take").click()
    expect(bench.get_by_test_id("says")).to_contain_text(": 0 false alarms a day")
    expect(bench.get_by_role("textbox", name="Threshold of barred people")).not_to_have_value("")
    bench.get_by_role("button", name="Save revision").click()
    bench.get_by_test_id("reason").fill("One a week; not proven by two days.")
    bench.get_by_role("button", name="Save", exact=True).click()
    expect(bench.get_by_test_id("changes")).to_have_text("")
    bench.reload()
    expect(bench.get_by_test_id("says")).to_contain_text(": 0 false alarms a day")
    bench.goto(f"{BARRED}/revisions")
    bench.get_by_role("button", name="Restore").first.click()
    expect(bench.locator("main")).to_contain_text("Restored revision 1")
    bench.goto(BARRED)
    expect(bench.get_by_test_id("says")).to_contain_text("At 80: 11 false alarms a day")


def test_who_is_taken_for_whom_and_in_which_light(bench: Page) -> None:
    bench.goto(f"{BARRED}?tab=people")
    pairs = bench.get_by_test_id("pairs")
    expect(pairs.locator("tbody tr").first).to_contain_text("m-003")  # who looks like one of the barred
    expect(pairs.locator("tbody tr").first).to_contain_text("x-005")
    bench.goto(f"{CREW}?tab=groups")
    row = bench.get_by_test_id("groups").locator("tr", has_text="backlight")
    expect(row).to_contain_text("more false matches than all others")
    bench.goto(f"{BARRED}?tab=look&t=3700")
    expect(bench.get_by_test_id("look-said")).to_contain_text("on barred people")


@pytest.mark.plays
def test_who_comes_by_now(bench: Page) -> None:
    bench.goto(WALK)
    expect(bench.get_by_test_id("candidates").locator("tbody tr").first).to_be_visible()


@pytest.mark.parametrize("scheme", ["light", "dark"])
def test_it_can_be_read_by_everybody(bench: Page, scheme: str) -> None:
    bench.emulate_media(color_scheme=scheme)  # type: ignore[arg-type] # one of two words
    for path in (BARRED, f"{CREW}?tab=people", f"{CREW}?tab=groups", f"{BARRED}?tab=lists", WALK):
        bench.goto(path)
        expect(bench.locator("h1")).to_be_visible()
        bench.wait_for_timeout(800)
        assert violations(bench) == []
