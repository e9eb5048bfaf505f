"""Somebody is enrolled by a look, linked to a lamp, judged by key, and erased; afterwards no page, export or file has them."""

from __future__ import annotations

import io
import re
import zipfile
from contextlib import suppress
from pathlib import Path

import pytest
from playwright.sync_api import Page, expect

from browser.conftest import violations

PERSONS, WALK = "/sites/1/persons", "/sites/1/walk/10"
NAME = "Zinnober Quastel"


def opened(bench: Page) -> None:
    bench.goto(PERSONS)
    expect(bench.get_by_test_id("persons").locator("tbody tr")).not_to_have_count(0)


def test_everybody_is_shown_with_what_devices_hold(bench: Page) -> None:
    opened(bench)
    rows = bench.get_by_test_id("persons").locator("tbody tr")
    expect(rows).to_have_count(29)
    expect(rows.first).to_contain_text("Aro Tindemar")
    gallery = bench.locator("[data-gallery=F1]")
    expect(gallery).to_contain_text("is to hold 29 of barred people, crew at the door")
    bench.get_by_role("button", name="Bring up to date").click()
    expect(gallery).to_contain_text("it holds 29", timeout=180_000)  # a device that was late is tried again
    bench.get_by_label("Search").fill("dey")
    expect(rows).to_have_count(1)
    rows.first.click()
    one = bench.get_by_role("region", name="Person", exact=True)
    expect(one.get_by_role("heading", level=2)).to_contain_text("Dey Venn")
    expect(one.get_by_alt_text("The picture that devices hold")).to_be_visible()
    expect(bench.get_by_role("region", name="Who looked at whom")).to_contain_text("the names of all")
    assert violations(bench) == []


def test_a_picture_that_a_device_refuses_is_said_before_anything_is_stored(bench: Page, tmp_path: Path) -> None:
    from lantern.standins import visitors
    from lantern.standins.likeness import drawing

    opened(bench)
    capped = tmp_path / "capped.png"
    capped.write_bytes(drawing(visitors.enrolled()[3], cap=True))
    bench.get_by_role("button", name="Enrol", exact=True).first.click()
    draft = bench.get_by_role("region", name="Enrol")
    draft.locator("input[type=file]").set_input_files(capped)
    expect(draft).to_contain_text("F1 refuses it")
    expect(draft.get_by_role("button", name="Enrol")).to_be_disabled()
    plain = tmp_path / "plain.png"
    plain.write_bytes(drawing(visitors.enrolled()[3]))
    draft.locator("input[type=file]").set_input_files(plain)
    expect(draft).to_contain_text("F1 holds somebody who looks the same: m-004")
    draft.get_by_role("button", name="Leave it").click()
    expect(draft).to_have_count(0)


@pytest.mark.plays
def test_enrolled_by_a_look_seen_at_the_door_and_erased_for_good(bench: Page, program_folder: Path) -> None:
    bench.goto(WALK)
    bench.get_by_label("Speed of the camera stand-in").select_option("4")
    bare = bench.locator("div.look", has_text="bare").first  # of somebody in a cap the device refuses a picture
    to = bare.get_by_role("link", name="Enrol").get_attribute("href")
    bench.goto(str(to))
    draft = bench.get_by_role("region", name="Enrol")
    expect(draft.get_by_alt_text("The picture that was chosen")).to_be_visible()
    draft.get_by_label("Name of the person").fill(NAME)
    draft.get_by_label("crew at the door").check()
    expect(draft).to_contain_text("F1 says")
    even_so = draft.get_by_label("enrol it even so")  # backlight, or somebody who looks much like one of the crew
    if even_so.is_visible():
        even_so.check()
    draft.get_by_role("button", name="Enrol").click()
    one = bench.get_by_role("region", name="Person", exact=True)
    expect(one.get_by_role("heading", level=2)).to_contain_text(NAME)
    member = re.search(r"p-[0-9a-f]{8}", one.inner_text())
    assert member
    expect(bench.locator("[data-gallery=F1]")).to_contain_text("is to hold 30")
    with bench.expect_download() as coming:
        one.get_by_role("link", name="All that is stored of them").click()
    with zipfile.ZipFile(io.BytesIO(Path(coming.value.path()).read_bytes())) as archive:
        assert NAME in archive.read("person.json").decode()

    one.get_by_label("Why they are erased").fill("They asked for it.")
    one.get_by_role("button", name="Erase for good").click()
    expect(bench.locator(".notice.good")).to_contain_text("the key is destroyed")
    erased = bench.get_by_role("region", name="Erased")
    expect(erased).to_contain_text("F1 let them go")
    expect(erased).to_contain_text("They asked for it.")
    for path in (PERSONS, "/sites/1/people-lists", "/sites/1/events", "/sites/1/lead", "/sites/1/bench/10/revisions"):
        bench.goto(path)
        expect(bench.locator("main")).not_to_be_empty()
        text = bench.content()
        assert NAME not in text, path
        assert member.group() not in text, path
    logs = [path for path in program_folder.rglob("*") if path.is_file() and path.suffix in (".log", ".json", ".txt")]
    assert logs
    for path in logs:
        assert NAME not in path.read_text(errors="replace"), path
        assert member.group() not in path.read_text(errors="replace"), path


@pytest.mark.plays
def test_a_match_is_judged_by_key_beside_its_reference(bench: Page) -> None:
    bench.goto(WALK)
    bench.get_by_label("Speed of the camera stand-in").select_option("4")
    expect(bench.get_by_role("button", name="beside the reference b")).to_be_visible()
    bench.locator("h1").click()
    bench.keyboard.press("b")
    reference = bench.get_by_alt_text("Its reference")
    for _ in range(6):  # of some nobody has a picture: the next match has its own
        bench.get_by_role("button", name="Go to just before the first mark").click()
        with suppress(AssertionError):
            expect(reference).to_be_visible(timeout=10_000)
            break
    expect(reference).to_be_visible()
    bench.locator("h1").click()
    bench.keyboard.press("r")
    expect(bench.get_by_test_id("newest-said")).to_contain_text("right")
    expect(bench.locator(".score-line circle").first).to_be_attached()


def test_the_bench_shows_a_look_beside_its_reference(bench: Page) -> None:
    bench.goto("/sites/1/bench/11")
    bench.get_by_role("tab", name="Look").click()
    expect(bench.locator("#panel-look").get_by_alt_text("Its reference")).to_be_visible()


@pytest.mark.plays
def test_the_barred_are_tied_to_a_lamp(bench: Page) -> None:
    bench.goto("/sites/1/links/11")
    bench.get_by_role("button", name="Tie it to something").click()
    link = bench.locator("section", has=bench.get_by_role("button", name="Save link"))
    link.get_by_role("combobox").filter(has_text="Hall lamp").last.select_option(label="M1 Hall lamp")
    link.get_by_role("button", name="Save link").click()
    expect(bench.get_by_role("status")).to_be_visible()
    bench.goto("/sites/1/rehearse/11")
    expect(bench.locator("main")).to_contain_text("Hall lamp")
    bench.goto("/sites/1/walk/11")
    lamp = bench.locator("[data-output='Hall lamp']")
    expect(lamp).not_to_contain_text("not linked here")
    bench.goto("/sites/1/links/11")
    bench.locator("section", has=bench.get_by_role("button", name="Save link")).get_by_role(
        "button", name="Delete"
    ).click()
    expect(bench.locator("main")).to_contain_text("No link yet")
