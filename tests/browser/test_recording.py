"""A live camera is recorded while something happens; what somebody says of the event is a mark on the take that the bench opens."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from browser.test_flow import DETECTOR


@pytest.mark.plays
def test_what_is_said_of_a_live_event_is_a_mark_on_its_recording(bench: Page) -> None:
    bench.goto("/sites/1/walk/1")
    state, rows = bench.get_by_test_id("recording-state"), bench.locator(".event-list tbody tr:has(.verdicts)")
    expect(state).to_have_text("nothing is recorded now")
    before = rows.count()
    bench.get_by_label("Minutes to record").fill("-1")
    bench.get_by_role("button", name="Record now").click()
    expect(bench.locator(".recording .notice", has_text="minutes: -1; expected above 0")).to_be_visible()
    bench.get_by_label("Minutes to record").fill("3")
    bench.get_by_test_id("jump").click()
    bench.get_by_role("button", name="Record now").click()
    expect(state).to_contain_text("by hand, since")
    expect(rows).not_to_have_count(before, timeout=180_000)
    newest = rows.first
    newest.get_by_role("button", name="right").click()
    expect(newest).to_contain_text("it becomes a mark once its recording is over")
    bench.get_by_role("button", name="Stop", exact=True).click()
    expect(newest).to_contain_text("a mark on its recording")
    link = bench.get_by_test_id("recordings").get_by_role("link", name="take").first
    expect(bench.get_by_test_id("recordings")).to_contain_text("stopped by hand")
    found = re.search(r"take-(\d+)", link.get_attribute("href") or "")
    assert found is not None
    bench.goto(f"{DETECTOR}?take={found[1]}")
    expect(bench.get_by_test_id("hits")).to_contain_text(
        "of 1"
    )  # it begins cold: whether it raises then too is its own
    expect(bench.locator("svg.lanes .mark-expect")).to_have_count(1)
