"""The preflight as an engineer reads it: what is found, mended with one button, taken back, accepted with a reason."""

from __future__ import annotations

import re

from playwright.sync_api import Locator, Page, expect

from browser.conftest import violations


def found(bench: Page, rule: str) -> Locator:
    return bench.locator(f"article[data-rule={rule}]")


def opened(bench: Page) -> None:
    bench.goto("/sites/1/preflight")
    expect(bench.get_by_test_id("counts")).to_contain_text("errors")


def count_of(bench: Page, gravity: str) -> int:
    return int(bench.locator(f"[data-gravity={gravity}] .n").inner_text())


def test_two_quick_fixes_are_taken_and_undone_and_a_finding_is_accepted_with_a_reason(bench: Page) -> None:
    opened(bench)
    expect(bench.locator(".of-place h2").first).to_contain_text("Errors")  # the gravest come first
    errors, warnings = count_of(bench, "error"), count_of(bench, "warning")
    assert errors >= 5
    assert violations(bench) == []
    # a cable that gives too little: another port, with one button
    watts = found(bench, "watts_short")
    watts.locator(".do .btn").click()
    expect(bench.get_by_test_id("done")).to_contain_text("port")
    expect(watts).to_have_count(0)
    assert count_of(bench, "error") == errors - 2  # with the detector that its device could not carry
    bench.get_by_role("button", name="Undo").click()
    expect(watts).to_have_count(1)
    # a body that goes by another clock: one change mends two findings
    found(bench, "channel_zone_differs").locator(".do .btn").click()
    expect(found(bench, "channel_zone_differs")).to_have_count(0)
    assert count_of(bench, "warning") == warnings - 2
    bench.get_by_role("button", name="Undo").click()
    expect(found(bench, "channel_zone_differs")).to_have_count(1)
    # one to live with: not without a reason
    lamp = found(bench, "output_unused")
    lamp.get_by_role("button", name="accept").click()
    lamp.get_by_label("Why one can live with it").press("Enter")
    expect(bench.get_by_test_id("trouble")).to_contain_text("because")
    lamp.get_by_label("Why one can live with it").fill("It is lit by hand.")
    lamp.get_by_role("button", name="Accept", exact=True).click()
    expect(lamp).to_have_count(0)
    bench.locator("[data-gravity=accepted]").click()
    expect(lamp).to_contain_text("It is lit by hand.")
    lamp.get_by_role("button", name="take back").click()
    expect(bench.locator("[data-gravity=warning] .n")).to_have_text(str(warnings))


def test_what_is_found_is_sifted_by_place_by_device_and_by_words_and_leads_to_where_it_is_mended(bench: Page) -> None:
    opened(bench)
    bench.get_by_role("button", name="by place").click()
    expect(bench.locator(".of-place h2", has_text="Weighbridge")).to_be_visible()
    bench.locator("[data-code=P1]").click()
    expect(bench.get_by_role("button", name="only P1: show all")).to_be_visible()
    for each in bench.locator("article").all():
        expect(each).to_contain_text("P1")
    bench.get_by_role("button", name="only P1: show all").click()
    bench.get_by_role("searchbox", name="Find in the findings").fill("no such words")
    expect(bench.get_by_text("Nothing of what is chosen above.")).to_be_visible()
    bench.get_by_role("searchbox", name="Find in the findings").fill("")
    bench.get_by_role("button", name="All seen").click()
    expect(bench.get_by_text("nothing new since")).to_be_visible()
    # on the route, and at each device
    expect(bench.locator(".route [aria-current=page]")).to_contain_text(re.compile(r"Preflight\d+"))
    expect(bench.locator(".rail a", has_text="P1").first.locator(".flags")).to_have_text(re.compile(r"[1-9]"))
    found(bench, "watts_short").get_by_role("link").click()
    expect(bench).to_have_url(re.compile(r"/devices/\d+$"))
