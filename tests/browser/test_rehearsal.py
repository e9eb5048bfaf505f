"""A whole site rehearsed by an engineer: where events are lost, why one did nothing, and an expectation that is made of an order."""

from __future__ import annotations

from playwright.sync_api import Page, expect

from browser.conftest import violations


def test_the_site_is_played_asked_why_and_held_against_what_is_expected(bench: Page) -> None:
    bench.goto("/sites/1/rehearsal")
    expect(bench.get_by_test_id("progress")).to_contain_text("played as one", timeout=180_000)
    expect(bench.locator(".expected")).to_have_count(5)
    kept = bench.locator(".expected", has_text="Who goes on to the tank is looked at")
    expect(kept).to_contain_text("kept")
    expect(bench.locator(".expected.broken").first).to_be_visible()
    expect(bench.get_by_test_id("load")).to_contain_text("in ten minutes")
    expect(bench.get_by_test_id("since")).not_to_be_empty()
    assert violations(bench) == []
    bench.locator(".site-lanes .mark.missed").first.dispatch_event("click")  # others may lie over it
    expect(bench.locator(".why-line.lost").first).to_contain_text("Not raised.")
    bench.locator(".site-lanes .order.done").first.dispatch_event("click")
    bench.get_by_label("Within so many s").fill("30")
    bench.get_by_label("Name of the expectation").fill("As it is now")
    bench.get_by_role("button", name="Expect it").click()
    made = bench.locator(".expected", has_text="As it is now")
    expect(made).to_contain_text("within 30 s")
    expect(bench.locator(".why-line.kept", has_text="As it is now")).to_contain_text("is none → ")
    made.get_by_role("button", name="Expect As it is now no more").click()
    expect(made).to_have_count(0)
    before = bench.locator(".site-lanes text.tick").first.text_content()
    bench.locator(".site-lanes").hover(position={"x": 600, "y": 120})
    for _ in range(12):
        bench.mouse.wheel(0, -200)
    expect(bench.locator(".site-lanes text.tick").first).not_to_have_text(before or "")
    bench.get_by_role("button", name="Show all").click()
    expect(bench.locator(".site-lanes text.tick").first).to_have_text(before or "")
    bench.get_by_label("Which device").select_option("M1")
    bench.get_by_role("button", name="Suppose it", exact=True).click()
    expect(bench.locator(".what-if .chip")).to_have_text("M1 is down")
    bench.get_by_role("button", name="Play it so").click()
    expect(bench.get_by_test_id("then")).to_contain_text("out otherwise")
    lines = bench.get_by_test_id("then-line")
    expect(lines.filter(has_text="lost instead of done").first).to_be_visible()
    expect(lines.filter(has_text="is kept → broken").first).to_be_visible()
    bench.get_by_role("button", name="Draw it so").click()
    expect(bench.locator(".site-lanes .order.lost").first).to_be_attached()
    expect(bench.get_by_test_id("supposed")).to_be_visible()
    assert violations(bench) == []
    bench.get_by_role("button", name="As it is").click()
    expect(bench.locator(".site-lanes .order.lost")).to_have_count(0)
    bench.get_by_role("button", name="Suppose this no more").click()
    bench.get_by_label("How it is not there").select_option("away")
    bench.get_by_label("From when").fill("soon")
    bench.get_by_role("button", name="Suppose it", exact=True).click()
    expect(bench.get_by_test_id("suppose-fault")).to_contain_text("a time such as 22:14")
    bench.get_by_label("From when").fill("00:00")
    bench.get_by_label("For so many minutes").fill("1440")
    bench.get_by_role("button", name="Suppose it", exact=True).click()
    expect(bench.locator(".what-if .chip")).to_have_text("M1 is away 1440 min from 00:00")
    bench.get_by_role("button", name="Play it so").click()
    expect(lines.filter(has_text="expired instead of done").first).to_be_visible()
    bench.get_by_label("How the takes are laid").select_option("recorded")
    expect(bench.locator(".expected")).to_have_count(5)
