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
    back.write_text(text.replace("Mast beacon", "Mast bacon"))
    table.get_by_test_id("link-table").set_input_files(back)
    expect(table).to_contain_text("there is no 'Mast bacon'")
    expect(table.get_by_role("button", name="Take it over")).to_be_disabled()
    back.write_text(re.sub(r"(Mast beacon,[^\n]*?),33,", rf"\1,{before},", text, count=1))
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
