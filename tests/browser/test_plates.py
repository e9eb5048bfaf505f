"""The weighbridge as its engineer meets it: why it opened for the look-alike and the plate in the hand, and what keeps both out."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from browser.conftest import violations

PATH = "/sites/1/bench/9"


def opened(bench: Page) -> None:
    bench.goto(PATH)
    expect(bench.locator("[data-passage]").first).to_be_visible()
    expect(bench.get_by_test_id("false")).to_have_text("2")


def test_neither_opens_while_the_lorries_still_pass(bench: Page) -> None:
    opened(bench)
    first, second = bench.locator("[data-passage]").nth(0), bench.locator("[data-passage]").nth(1)
    expect(first).to_contain_text("on foot")
    expect(second).to_contain_text("KO52XRT")
    second.locator(".catch").nth(1).click()
    expect(bench.get_by_test_id("said")).to_contain_text("matches KD52XRT on crews, 0.3 from it")
    expect(bench.get_by_test_id("why-won")).to_contain_text("of the vote")
    bench.get_by_role("tab", name="Dials").click()
    bench.get_by_label("Tolerance in edits").fill("0")
    bench.get_by_label("Tolerance in edits").press("Enter")
    expect(bench.get_by_test_id("false")).to_have_text("1")
    expect(bench.get_by_test_id("misses")).to_have_text(
        "3"
    )  # the lorry with the bolt, twice, and one that is never read
    bench.locator("summary", has_text="Vehicle").click()
    bench.get_by_label("Vehicle", exact=True).select_option("attached")
    expect(bench.get_by_test_id("false")).to_have_text("0")
    expect(bench.locator("[data-passage]", has_text="on foot").first).to_contain_text("held in a hand")
    bench.get_by_label("More panels").select_option("A year")
    expect(bench.get_by_test_id("year")).to_contain_text("0 false in")
    expect(bench.get_by_test_id("needed")).to_contain_text("passages of strangers without a false opening")


def test_the_truth_is_typed_with_the_keys_alone(bench: Page) -> None:
    opened(bench)
    bench.get_by_role("tab", name="Truth").click()
    expect(bench.get_by_test_id("known")).to_contain_text("Nobody has said yet")
    bench.locator("[data-passage]").nth(0).click()
    typed = bench.get_by_label("What it truly was")
    expect(typed).to_be_focused()
    bench.keyboard.press("Enter")  # nothing typed: nothing kept, and on to the next
    bench.locator("[data-passage]").nth(0).click()
    bench.keyboard.type("kd52xrt")
    bench.keyboard.press("Enter")  # the look-alike is the next that is wrong: a quick hand types on
    expect(typed).not_to_have_value(re.compile("kd52xrt", re.IGNORECASE))
    bench.keyboard.type("ko52xrt")
    bench.keyboard.press("Enter")
    expect(bench.locator("#panel-reading")).not_to_contain_text("v108")
    bench.get_by_role("tab", name="Truth").click()
    expect(bench.get_by_test_id("known")).to_contain_text("The truth of 2 of 200 passages is known")
    expect(bench.get_by_test_id("rates")).to_contain_text("2 of 2")
    bench.get_by_role("tab", name="Reading").click()
    bench.locator("[data-passage]").nth(0).click()
    expect(typed).to_have_value("KD52XRT")
    for row in (0, 1):  # an empty text takes it back: as it was, for whoever comes next
        bench.locator("[data-passage]").nth(row).click()
        expect(typed).to_have_value(("KD52XRT", "KO52XRT")[row])
        typed.fill("")
        with bench.expect_response("**/truths"):
            typed.press("Enter")
    bench.get_by_role("tab", name="Truth").click()
    expect(bench.get_by_test_id("known")).to_contain_text("Nobody has said yet")
    bench.get_by_role("tab", name="Reading").click()
    bench.locator("[data-passage]").nth(0).click()
    expect(bench.locator("#panel-reading")).to_contain_text("Shift+Enter agrees to")
    with bench.expect_response("**/truths"):
        typed.press("Shift+Enter")
    bench.get_by_role("tab", name="Truth").click()
    expect(bench.get_by_test_id("known")).to_contain_text("1 of 200 passages is known, 1 of them only agreed to")
    expect(bench.get_by_test_id("rates")).to_contain_text("none")
    bench.get_by_role("tab", name="Reading").click()
    bench.locator("[data-passage]").nth(0).click()
    expect(bench.locator("#panel-reading")).to_contain_text("agreed to as it was read")
    typed.fill("")
    with bench.expect_response("**/truths"):
        typed.press("Enter")


def test_rehearsal_says_why_those_that_stayed_out_did(bench: Page) -> None:
    bench.goto("/sites/1/rehearse/9")
    refused = bench.get_by_test_id("refusals")
    expect(refused).to_contain_text("The entry of SX93VLA on hauliers ended on 2026-03-03.")
    expect(refused.locator("tr")).to_have_count(97)
    expect(bench.locator("main")).to_contain_text("KO52XRT")


def test_a_list_is_changed_with_its_reason(bench: Page) -> None:
    bench.goto("/sites/1/lists")
    bench.get_by_role("button", name="hauliers").click()
    expect(bench.locator(".entries")).to_be_visible()
    bench.get_by_role("button", name="Add a plate").click()
    bench.locator(".entries input[aria-label^='Plate ']").last.fill("BN80ARS")
    bench.locator(".entries input[aria-label^='Plate ']").last.press("Tab")
    bench.get_by_role("button", name="Save list").click()
    expect(bench.get_by_role("alert").first).to_contain_text("reason: is empty")
    bench.get_by_label("Why the list is changed").fill("The bolt makes BN80APS read so")
    bench.get_by_role("button", name="Save list").click()
    expect(bench.get_by_role("status").first).to_contain_text("Saved.")
    newest = bench.get_by_label("Changes").locator("tbody tr").first
    expect(newest).to_contain_text("The bolt makes BN80APS read so")
    expect(newest).to_contain_text("1 came")
    bench.on("dialog", lambda dialog: dialog.accept())
    bench.get_by_label(f"Remove plate {bench.locator('.entries tbody tr').count()}").click()
    expect(bench.get_by_role("status").first).to_contain_text("Removed: out of 1 revision,")


def test_a_detector_that_watches_all_is_made_on_what_was_read(bench: Page) -> None:
    """A take of reads is ground like any other; without a region every read counts, and a box narrows that down."""
    bench.goto("/sites/1/detectors/new?device=13")
    expect(bench.locator("[data-ready]")).to_be_visible()
    expect(bench.locator(".overlay .found-box").nth(20)).to_be_visible()
    expect(bench.get_by_text("places at which a plate was read")).to_be_visible()
    expect(bench.get_by_text("it watches all that the device sees")).to_be_visible()
    bench.get_by_label("Name", exact=True).fill("Every plate")
    bench.get_by_test_id("make").click()
    bench.wait_for_url(lambda url: "/bench/" in url)
    expect(bench.locator("[data-passage]").first).to_be_visible()
    expect(bench.get_by_test_id("card")).to_contain_text("plate, revision 1")


@pytest.mark.parametrize("path", [PATH, f"{PATH}?tab=truth", "/sites/1/lists"])
def test_accessible(bench: Page, path: str) -> None:
    bench.goto(path)
    bench.wait_for_timeout(1500)
    assert violations(bench) == []
