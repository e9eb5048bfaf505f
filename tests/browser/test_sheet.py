"""The link sheet as an engineer reads it: what nothing comes of, a cell changed as a sentence, a table out and in."""

from __future__ import annotations

import re
from pathlib import Path

from playwright.sync_api import Page, expect

from browser.conftest import violations


def cell(bench: Page, name: str) -> object:
    return bench.get_by_role("button", name=name)


def test_a_cell_is_a_sentence_changed_in_place_and_the_table_comes_in_again(bench: Page, tmp_path: Path) -> None:
    bench.goto("/sites/1/link-sheet")
    expect(bench.locator("table.matrix td.tied")).not_to_have_count(0)
    expect(bench.locator("table.matrix tr.bare").first).to_contain_text("nothing comes of it")
    assert violations(bench) == []
    tied = bench.get_by_role("button", name=re.compile("^Smoulder in the heap: Mast beacon, "))
    tied.click()
    chosen = bench.get_by_test_id("chosen")
    expect(chosen).to_contain_text("Smoulder in the heap")
    expect(chosen).to_contain_text(re.compile(r"on \d+ takes? it raised [1-9]\d* times; orders: "))
    before = chosen.get_by_label("for", exact=True).input_value()
    chosen.get_by_label("for", exact=True).fill("33")
    chosen.get_by_label("for", exact=True).press("Tab")
    chosen.get_by_label("Why the link is changed").fill("Longer, for the far end of the quay.")
    chosen.get_by_role("button", name="Save").click()
    expect(bench.get_by_role("status").first).to_contain_text("Saved")
    expect(tied).to_contain_text("33 s")
    assert violations(bench) == []

    with bench.expect_download() as coming:
        bench.get_by_role("link", name="CSV").click()
    text = Path(coming.value.path()).read_text()
    back = tmp_path / "links.csv"
    back.write_text(re.sub(r"(Mast beacon,[^\n]*?),33,", rf"\1,{before},", text, count=1))
    bench.get_by_role("button", name="From a table").click()
    table = bench.get_by_role("dialog")
    table.get_by_test_id("link-table").set_input_files(back)
    expect(table).to_contain_text("1 changed")
    expect(table.locator("tbody tr")).to_contain_text(f"33{before}")
    assert violations(bench) == []
    worse = tmp_path / "worse.csv"
    worse.write_text(text.replace("Mast beacon", "Mast bacon"))
    table.get_by_test_id("link-table").set_input_files(worse)
    expect(table).to_contain_text("there is no 'Mast bacon'")
    expect(table.get_by_role("button", name="Take it over")).to_be_disabled()
    table.get_by_test_id("link-table").set_input_files(back)
    table.get_by_role("button", name="Take it over").click()
    expect(tied).to_contain_text(f"{before} s")


def test_a_free_cell_ties_and_is_taken_out_again(bench: Page) -> None:
    bench.goto("/sites/1/link-sheet")
    bench.get_by_label("only what nothing comes of").check()
    expect(bench.locator("table.matrix td.tied")).to_have_count(0)
    bench.get_by_label("only what nothing comes of").uncheck()
    bare = bench.locator("table.matrix tr.bare").first
    bare.locator("button.add").first.click()
    chosen = bench.get_by_test_id("chosen")
    name = bare.locator("th a").text_content() or ""
    title = chosen.locator("b").last.text_content() or ""
    chosen.get_by_role("button", name="Save").click()
    made = bench.get_by_role("button", name=re.compile(f"^{re.escape(name)}: {re.escape(title)}, "))
    expect(made).to_be_visible()
    made.click()
    chosen.get_by_role("button", name="Take it out").click()
    expect(made).to_have_count(0)
    expect(bench.get_by_role("status").first).to_contain_text("is taken out of")


def test_days_that_are_not_like_their_weekday_come_from_a_country_and_a_calendar(bench: Page, tmp_path: Path) -> None:
    bench.goto("/sites/1/links/2")
    bench.get_by_role("button", name="New", exact=True).click()
    bench.get_by_label("Name of the timetable").fill("Kiosk hours")
    bench.get_by_label("Name of the timetable").press("Tab")
    bench.get_by_role("button", name="Whole week").click()
    own = bench.locator("svg.year .own")
    expect(bench.locator("svg.year .day-of-year")).to_have_count(366 if bench_year(bench) % 4 == 0 else 365)
    bench.get_by_label("Holidays of").select_option("PT")
    expect(own).not_to_have_count(0)
    count = own.count()
    days = tmp_path / "days.ics"
    event = f"DTSTART;VALUE=DATE:{bench_year(bench)}0316\r\nDTEND;VALUE=DATE:{bench_year(bench)}0318"
    days.write_bytes(
        f"BEGIN:VCALENDAR\r\nVERSION:2.0\r\nBEGIN:VEVENT\r\nSUMMARY:Stocktaking\r\n{event}\r\nEND:VEVENT\r\n"
        "END:VCALENDAR\r\n".encode()
    )
    bench.get_by_test_id("calendar-file").set_input_files(days)
    expect(own).to_have_count(count + 2)
    expect(bench.get_by_label("What the date is").first).to_have_value("Stocktaking")
    bench.get_by_label("Hours of the date").first.fill("noon")
    bench.get_by_label("Hours of the date").first.press("Tab")
    expect(bench.get_by_role("alert").first).to_contain_text("noon: expected hours such as 08:00-12:00")
    bench.get_by_label("Hours of the date").first.fill("08:00-12:00")
    bench.get_by_label("Hours of the date").first.press("Tab")
    bench.get_by_role("button", name="By the sun").click()
    bench.get_by_label("Begins, so many minutes").fill("20")
    bench.get_by_label("Begins, so many minutes").press("Enter")
    bench.get_by_label("Begins before or after").select_option("before")
    expect(bench.get_by_test_id("sun-today")).to_contain_text(re.compile(r"today \d\d:\d\d-\d\d:\d\d"))
    bench.get_by_role("button", name="Save timetable").click()
    expect(bench.get_by_role("status").first).to_contain_text(
        "always, and 20 min before sunset to sunrise, other hours on holidays of PT, 2 dates"
    )
    bench.reload()
    bench.get_by_role("button", name="Kiosk hours").click()
    expect(bench.get_by_label("Hours of the date").first).to_have_value("08:00-12:00")
    expect(own).to_have_count(count + 2)
    assert violations(bench) == []
    with bench.expect_download() as coming:
        bench.get_by_role("link", name="As a calendar").click()
    assert "SUMMARY:Stocktaking" in Path(coming.value.path()).read_text()
    bench.get_by_role("button", name="Delete", exact=True).last.click()
    expect(bench.get_by_role("button", name="Kiosk hours")).to_have_count(0)


def bench_year(bench: Page) -> int:
    return int(bench.evaluate("new Date().getFullYear()"))
