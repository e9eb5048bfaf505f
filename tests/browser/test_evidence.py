"""The bench in full as a user works it: map, advice, takes set aside, marks from events, ways of looking, scales, screening."""

from __future__ import annotations

import csv
import re
import zipfile
from pathlib import Path

from playwright.sync_api import Page, expect

BENCH = "/sites/1/bench/1?take=1"


def ready(page: Page, address: str = BENCH) -> None:
    page.goto(address)
    expect(page.locator('svg[data-strip="sustain_s"] .pin')).to_be_visible()


def test_a_map_of_two_dials_is_drawn_picked_from_and_saved_as_a_file(bench: Page, tmp_path: Path) -> None:
    ready(bench)
    bench.get_by_role("tab", name="Map").click()
    bench.get_by_role("button", name="Draw the map").click()
    chart = bench.get_by_test_id("map")
    expect(chart.locator(".here")).to_be_visible()
    expect(bench.locator("#panel-map")).to_contain_text("None beats these")
    bench.locator("#panel-map ul button").first.click()
    expect(bench.get_by_test_id("changes")).to_contain_text("unsaved")
    with bench.expect_download() as wanted:
        bench.locator("#panel-map .exports").get_by_role("button", name="CSV").click()
    wanted.value.save_as(tmp_path / "map.csv")
    rows = list(csv.DictReader((tmp_path / "map.csv").open()))
    assert set(rows[0]) == {"sustain_s", "threshold_c", "misses", "false_alarms", "longest_delay_s"}
    assert len(rows) > 200
    with bench.expect_download() as wanted:
        bench.locator("#panel-map .exports").get_by_role("button", name="SVG").click()
    wanted.value.save_as(tmp_path / "map.svg")
    assert (tmp_path / "map.svg").read_text().startswith("<svg")
    bench.reload()  # unsaved dials stand in the address, and the map in the store
    bench.get_by_role("tab", name="Map").click()
    expect(chart.locator(".here")).to_be_visible()
    expect(bench.get_by_test_id("changes")).to_contain_text("unsaved")
    bench.goto("about:blank")


def test_advice_is_tried_and_a_take_is_set_aside(bench: Page) -> None:
    ready(bench)
    before = bench.get_by_test_id("false").text_content()
    assert before != "0"
    bench.get_by_role("tab", name="Takes").click()
    expect(bench.get_by_test_id("validation")).to_contain_text("Not validated")
    bench.get_by_role("button", name="What would help?").click()
    advice = bench.get_by_test_id("advice")
    expect(advice.get_by_role("button", name="Try").first).to_be_visible(timeout=240_000)
    advice.get_by_role("button", name="Try").first.click()
    expect(bench.get_by_test_id("false")).to_have_text("0")
    bench.get_by_role("tab", name="Takes").click()
    aside = bench.get_by_label("Set aside Late shift, 8 min")
    aside.check()
    expect(bench.get_by_test_id("validation")).to_contain_text("No verdict")
    aside.uncheck()
    expect(bench.get_by_test_id("validation")).to_contain_text("Not validated")
    bench.keyboard.press("u")
    expect(bench.get_by_test_id("changes")).to_have_text("")


def test_wishes_are_answered_in_words(bench: Page) -> None:
    ready(bench)
    sustain = bench.locator('[data-dial="sustain_s"] .words')
    field = bench.get_by_label("At most so many false alarms a day")
    field.fill("0.143")
    field.press("Enter")
    expect(sustain).to_contain_text("no value shows the wishes met (false alarms)")
    bench.locator('[data-dial="sustain_s"] .name').click()
    expect(sustain).to_contain_text("silent days would show the wish")
    expect(bench).to_have_url(re.compile("wish.false_per_day=0.143"))
    field.fill("-3")
    field.press("Enter")
    expect(bench.get_by_test_id("changes")).to_contain_text("false_per_day: -3; expected above 0")
    field.fill("")
    field.press("Enter")
    expect(sustain).to_contain_text("missed")


def test_an_event_is_judged_and_the_mark_undone(bench: Page) -> None:
    ready(bench)
    marks = bench.locator(".axis [data-mark]")
    count = marks.count()
    falses = int(bench.get_by_test_id("false").text_content() or 0)
    bench.locator(".axis .glyph-false").first.click()
    expect(bench.get_by_test_id("event-why")).to_contain_text("false alarm, heap")
    bench.keyboard.press("y")  # it was right after all
    expect(marks).to_have_count(count + 1)
    expect(bench.get_by_test_id("false")).to_have_text(str(falses - 1))
    bench.keyboard.press("u")
    expect(marks).to_have_count(count)
    expect(bench.get_by_test_id("false")).to_have_text(str(falses))
    bench.keyboard.press("r")
    expect(marks).to_have_count(count + 1)
    bench.keyboard.press("u")
    expect(marks).to_have_count(count)


def test_ways_of_looking(bench: Page) -> None:
    ready(bench)
    readout = bench.locator(".scale")
    bench.keyboard.press("h")
    expect(bench.locator(".figure .bin").first).to_be_visible()
    bench.keyboard.press("h")
    expect(bench.locator(".figure")).to_be_hidden()
    isotherm = bench.get_by_label("Isotherm: one colour above")
    isotherm.fill("30")
    isotherm.press("Enter")
    expect(readout.locator(".isotherm")).to_have_count(1)
    bench.get_by_role("button", name="difference").click()
    expect(bench.locator("main")).to_contain_text("difference to")
    bench.keyboard.press("Shift+ArrowRight")
    bench.get_by_role("button", name="difference").click()
    bench.get_by_label("Scale follows").select_option("region")
    expect(bench.locator("main")).to_contain_text("follows the chosen region")
    for palette in ("lagoon", "dune", "grey", "ember"):
        bench.get_by_label("Palette").select_option(palette)
    bench.get_by_role("button", name="profile").click()
    box = bench.locator("svg.overlay").bounding_box()
    assert box
    bench.mouse.move(box["x"] + 40, box["y"] + 60)
    bench.mouse.down()
    bench.mouse.move(box["x"] + 300, box["y"] + 200, steps=4)
    bench.mouse.up()
    expect(bench.locator(".figure .reading")).to_be_visible()
    expect(bench.locator(".overlay .profile-line")).to_have_count(1)
    ends = bench.get_by_label("Ends of the profile line")  # and the same without a pointer
    ends.fill("10,20 300,200")
    ends.press("Enter")
    expect(bench.locator(".overlay .profile-line")).to_have_attribute("points", "10,20 300,200")
    ends.fill("10,20 900,200")
    ends.press("Enter")
    expect(bench.get_by_test_id("changes")).to_contain_text("expected two ends within the picture")


def test_regions_have_a_part_an_emissivity_and_a_target(bench: Page) -> None:
    ready(bench, "/sites/1/bench/2")
    bench.get_by_role("tab", name="Regions").click()
    bench.get_by_label("Material").select_option("polished aluminium or copper")
    expect(bench.locator("#panel-regions")).to_contain_text("do not set absolute alarms")
    expect(bench.get_by_test_id("fan")).to_contain_text("polished aluminium or copper, 0.03 to 0.07")
    target = bench.get_by_label("Least size of the target in mm")
    target.fill("4")
    target.press("Enter")
    expect(bench.get_by_test_id("spot")).to_contain_text("a target of 4 mm at 45.0 °C would read")
    bench.get_by_label("Part the region plays").select_option("mask")
    expect(bench.get_by_test_id("changes")).to_contain_text("none of them is watched")
    bench.keyboard.press("Escape")
    for _ in range(3):
        bench.get_by_role("button", name="Undo (u)").click()
    expect(bench.get_by_test_id("changes")).to_have_text("")


def test_fahrenheit_everywhere_and_differences_as_differences(bench: Page) -> None:
    ready(bench)
    bench.get_by_label("Temperature scale").select_option("°F")
    expect(bench.get_by_label("Threshold in °F")).to_have_value("113")  # 45 °C
    expect(bench.get_by_label("Hysteresis in °F")).to_have_value("3.6")  # 2 °C of difference, not 35.6
    expect(bench.locator(".axis .level-text")).to_have_text("113 °F")
    field = bench.get_by_label("Threshold in °F")
    field.fill("122")
    field.press("Enter")
    expect(bench).to_have_url(re.compile(r"dial\.threshold_c=50"))
    bench.keyboard.press("Escape")
    bench.get_by_role("button", name="Undo (u)").click()
    bench.goto("/sites/1/rehearse/1?take=1")
    expect(bench.locator("main")).to_contain_text("°F")
    bench.get_by_label("Temperature scale").select_option("°C")
    expect(bench.locator("main")).to_contain_text("°C")


def test_a_screening_shows_its_people_and_says_what_it_is_not(bench: Page) -> None:
    ready(bench, "/sites/1/bench/3")
    expect(bench.locator("main")).to_contain_text("never a diagnosis")
    bench.get_by_role("tab", name="People").click()
    expect(bench.get_by_test_id("people")).to_contain_text("measured")
    expect(bench.locator("#panel-people")).to_contain_text("face too small")
    expect(bench.locator("#panel-people [data-person]").first).to_be_visible()
    bench.goto("/sites/1/walk/3")
    expect(bench.locator("main")).to_contain_text("never a diagnosis")
    bench.goto("/sites/1/bench/3?tab=people")
    for name in ("roc", "people"):
        with bench.expect_download() as wanted:
            bench.locator("#panel-people .exports").nth(1 if name == "roc" else 0).get_by_role(
                "button", name="CSV"
            ).click()
        assert wanted.value.suggested_filename == f"{name}.csv"


def test_two_states_side_by_side_and_their_files(bench: Page) -> None:
    bench.goto("/sites/1/compare?a=1&b=1&take=1")
    expect(bench.locator("svg.lanes .glyph-false").first).to_be_visible()
    expect(bench.get_by_test_id("only")).to_contain_text("only in the first")
    for n, kind in enumerate(("SVG", "PNG", "CSV")):
        with bench.expect_download() as wanted:
            bench.locator(".exports").nth(n % 2).get_by_role("button", name=kind).click()
        assert wanted.value.suggested_filename.endswith(kind.lower())


def test_a_large_take_goes_out_as_files_by_way_of_the_worker(bench: Page, tmp_path: Path) -> None:
    bench.goto("/sites/1/takes")
    row = bench.locator("#take-3")
    with bench.expect_download() as wanted:
        row.get_by_role("button", name="as files").click()
        expect(row.get_by_test_id("making")).to_be_visible()
    wanted.value.save_as(tmp_path / "take.zip")
    with zipfile.ZipFile(tmp_path / "take.zip") as held:
        assert held.testzip() is None
        assert {"take.json", "frames.tif", "times.csv", "marks.csv"} <= set(held.namelist())
    expect(row.get_by_role("button", name="as files")).to_be_visible()
