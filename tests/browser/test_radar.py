"""The quay as its engineer meets it: what every gull costs, another way, why a target did not raise, a sector drawn, live."""

from __future__ import annotations

import re
from functools import cache

import pytest
from playwright.sync_api import Page, expect

from browser.conftest import violations
from core.radar.scenes import by_the_words, detector
from lantern.standins.quay import REGISTER_S, half_an_hour, register_lasts_s, register_walk
from lantern.standins.slipway import ten_minutes

# the mistakes that a loop which knows nothing of the program finds in what the quay's radar said
QUAY = half_an_hour()
SECTOR = {"name": "basin", "shape": "sector", "points": [[4, -85], [68, 85]]}


@cache
def mistakes(**dials: float) -> tuple[int, int]:
    """(missed, false)."""
    returns = QUAY.returns
    columns = (returns.t_s, returns.target, returns.range_m, returns.azimuth_deg, returns.speed_mps, returns.rcs_dbsm)
    rows = list(zip(*(column.tolist() for column in columns), strict=True))
    came = [event[2] for event in by_the_words(rows, detector([SECTOR], **{"distance_m": 1.5, **dials}))]
    wanted = [(mark.start_s, mark.end_s) for mark in QUAY.marks("") if mark.label == "expect"]
    missed = sum(not any(start <= t <= end for t in came) for start, end in wanted)
    others = wanted + [(mark.start_s, mark.end_s) for mark in QUAY.marks("") if mark.label == "ignore"]
    return missed, sum(not any(start <= t <= end for start, end in others) for t in came)


MISSED, FALSE = mistakes()
BENCH, WALK = "/sites/1/bench/12", "/sites/1/walk/12"


def opened(bench: Page) -> None:
    bench.goto(BENCH)
    expect(bench.locator(".of-radar .way")).not_to_have_count(0)
    expect(bench.locator(".of-radar .plan-water")).not_to_have_count(0)  # drawn last
    expect(bench.get_by_test_id("false")).to_have_text(str(FALSE))


def test_gulls_are_told_from_the_rest_and_bought_off_by_their_size(bench: Page) -> None:
    opened(bench)
    expect(bench.locator(".way.false")).not_to_have_count(0)
    expect(bench.get_by_test_id("nuisance")).to_contain_text("gulls")
    bench.get_by_test_id("nuisance").get_by_role("button", name="gulls").click()
    expect(bench.get_by_test_id("nuisance")).to_contain_text("counted alone")
    field = bench.get_by_role("textbox", name="Distance")
    field.fill("6")
    field.press("Enter")
    expect(bench.get_by_test_id("false")).to_have_text(str(mistakes(distance_m=6)[1]))
    bench.get_by_text("Size", exact=True).click()
    field = bench.get_by_role("textbox", name="Min size")
    field.fill("-10")
    field.press("Enter")
    expect(bench.get_by_test_id("false")).to_have_text("0")
    expect(bench.get_by_test_id("misses")).to_have_text(str(MISSED))
    expect(bench.get_by_test_id("nuisance").get_by_role("button")).to_have_text("0 gulls")  # none is left, and is said
    bench.get_by_test_id("nuisance").get_by_role("button").click()
    expect(bench.get_by_test_id("nuisance")).to_be_hidden()
    assert violations(bench) == []


def test_a_target_says_why_it_did_not_raise(bench: Page) -> None:
    opened(bench)
    box = bench.locator(".way.hit .line").first.bounding_box()
    assert box is not None
    bench.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    expect(bench.get_by_test_id("target-said")).to_contain_text(re.compile(r"m/s|came|raised"))


def test_profiles_stand_in_a_row_and_ones_own_is_kept_by_name(bench: Page) -> None:
    opened(bench)
    row = bench.get_by_test_id("profiles")
    ways = row.locator(".profile")
    expect(ways).to_have_count(4)
    for place, way in enumerate(("inbound", "outbound", "across", "any")):
        expect(ways.nth(place)).to_contain_text(
            re.compile(rf"{way}\s+{mistakes(profile=way)[0]}\s+{mistakes(profile=way)[1]}")
        )
    expect(ways.first).to_have_attribute("aria-pressed", "true")
    ways.nth(3).click()
    expect(bench.get_by_test_id("false")).to_have_text(str(mistakes(profile="any")[1]))
    field = bench.get_by_role("textbox", name="Distance")
    field.fill("6")
    field.press("Enter")
    row.get_by_role("button", name="own").click()
    bench.get_by_label("Name of the profile").fill("inbound")
    bench.get_by_role("button", name="Keep", exact=True).click()
    expect(bench.get_by_test_id("profile-fault")).to_contain_text("a name of your own")
    bench.get_by_label("Name of the profile").fill("Far enough")
    bench.get_by_role("button", name="Keep", exact=True).click()
    own = ways.filter(has_text="Far enough")
    expect(own).to_have_attribute("aria-pressed", "true")
    missed, false = mistakes(profile="any", distance_m=6)
    expect(own).to_contain_text(re.compile(rf"{missed}\s+{false}"))
    ways.first.click()
    expect(own).to_have_attribute("aria-pressed", "false")
    own.click()
    expect(bench.get_by_role("textbox", name="Distance")).to_have_value("6")
    bench.get_by_role("button", name="let go of Far enough").click()
    expect(ways).to_have_count(4)


def test_a_sector_is_drawn_and_its_corner_is_dragged(bench: Page) -> None:
    opened(bench)
    bench.get_by_role("button", name="Draw a sector").click()
    stage = bench.locator("svg.overlay").bounding_box()
    assert stage is not None
    at = [(stage["x"] + stage["width"] * x, stage["y"] + stage["height"] * y) for x, y in ((0.45, 0.9), (0.7, 0.4))]
    bench.mouse.move(*at[0])
    bench.mouse.down()
    bench.mouse.move(*at[1], steps=4)
    bench.mouse.up()
    expect(bench.get_by_test_id("changes")).to_contain_text("1 unsaved change")
    handles = bench.locator("svg.overlay .handle")
    expect(handles).to_have_count(2)
    outline = bench.locator("svg.overlay .shape.chosen")
    before = outline.get_attribute("points")
    bench.mouse.move(*at[1])
    bench.mouse.down()
    bench.mouse.move(at[1][0] - 40, at[1][1] + 20, steps=4)
    bench.mouse.up()
    assert before is not None
    expect(outline).not_to_have_attribute("points", before)


def test_a_sector_is_typed_and_what_cannot_be_is_said(bench: Page) -> None:
    opened(bench)
    bench.get_by_role("tab", name="Regions").click()
    panel = bench.locator("#panel-regions")
    expect(panel.get_by_label("Far of the sector")).to_have_value("68")
    panel.get_by_label("Far of the sector").fill("20")
    bench.keyboard.press("Enter")
    expect(bench.get_by_test_id("false")).not_to_have_text(str(FALSE))
    panel.get_by_label("Near of the sector").fill("30")
    bench.keyboard.press("Enter")
    expect(bench.locator(".side")).to_contain_text("near below far")


def test_a_side_of_the_sector_has_its_evidence_and_is_dragged_by_it(bench: Page) -> None:
    opened(bench)
    bench.get_by_role("tab", name="Regions").click()
    strip = bench.locator("svg[data-side=far_m]")
    expect(strip.locator(".miss-fill")).not_to_have_count(0)
    box = strip.bounding_box()
    assert box is not None
    bench.mouse.click(box["x"] + box["width"] * 0.35, box["y"] + 15)
    expect(bench.get_by_test_id("misses")).not_to_have_text(str(MISSED))
    expect(bench.get_by_test_id("changes")).to_contain_text("1 unsaved change")
    bench.get_by_role("button", name="Undo (u)").click()
    expect(bench.get_by_test_id("misses")).to_have_text(str(MISSED))


def test_no_turn_helps_whom_the_beam_crosses_and_a_move_does_before_it_is_made(bench: Page) -> None:
    """Three walk to the gangway across the beam, 13 m long: within 6.5 m of the nearest point nobody is told from rest (G08)."""
    opened(bench)
    assert MISSED == 3
    tab = bench.get_by_role("tab", name="Place")
    tab.click()
    there = bench.get_by_test_id("moved-there")
    expect(there).to_contain_text("6 of 9 caught")
    bench.get_by_label("Azimuth of the tried place").fill("10")
    bench.keyboard.press("Enter")
    expect(bench.locator("#panel-move")).to_contain_text("A turn changes only what lies in its sector")
    expect(there).not_to_contain_text("9 of 9")
    bench.get_by_role("button", name="Look for the least move").click()
    expect(bench.get_by_test_id("least")).to_contain_text("No turn helps: 3 of 9 are missed at best.")
    expect(bench.get_by_test_id("least")).to_contain_text(re.compile(r"Move it [3-6]\.\d m"))
    expect(there).to_contain_text("9 of 9 caught")
    expect(bench.locator(".moved-sector")).to_have_count(1)
    expect(bench.locator("#panel-move")).to_contain_text("not seen from the old place: hatched, unknown")
    assert violations(bench) == []


def test_the_unit_is_dragged_to_another_place(bench: Page) -> None:
    opened(bench)
    bench.get_by_role("tab", name="Place").click()
    expect(bench.get_by_test_id("moved-there")).to_contain_text("caught")
    x, y = bench.evaluate(
        "(({ x, y, width, height }) => [x + width / 2, y + height / 2])"
        "(document.querySelector('.moved-unit').getBoundingClientRect())"
    )
    bench.mouse.move(x, y)
    bench.mouse.down()
    bench.mouse.move(x - 30, y - 20, steps=4)
    bench.mouse.up()
    expect(bench.locator(".moved-sector")).to_have_count(1)
    expect(bench.get_by_label("East of the tried place")).not_to_have_value("161")
    assert float(bench.get_by_label("East of the tried place").input_value()) < 161
    assert float(bench.get_by_label("North of the tried place").input_value()) > 127


def test_a_raise_that_a_camera_must_see_too_is_no_gull(bench: Page) -> None:
    """V3 sees boats and people of the same half hour, and no gull: nothing false is left, and nobody else is missed."""
    opened(bench)
    bench.get_by_role("tab", name="Target").click()
    bench.get_by_text("Beside a camera").click()
    bench.get_by_label("Take of a camera").select_option(label="V3 A morning with rain, 30 min")
    bench.get_by_label("Metres within which two are one").fill("5")
    bench.keyboard.press("Tab")
    expect(bench.get_by_test_id("beside")).to_contain_text("both saw")
    bench.get_by_label("What a raise needs of the camera").select_option("both")
    expect(bench.get_by_test_id("needs")).to_contain_text("V3 must see the same, within 5 m")
    expect(bench.get_by_test_id("false")).to_have_text("0")
    expect(bench.get_by_test_id("misses")).to_have_text(str(MISSED))
    assert violations(bench) == []
    bench.get_by_role("button", name="Undo (u)").click()
    expect(bench.get_by_test_id("false")).to_have_text(str(FALSE))


def walk_file(ahead_s: float) -> bytes:
    """The walk on the plan, R1 being at (161, 127) looking north, by a clock that is ahead."""
    rows = ["t_s,x_m,y_m"]
    for step in range(int(register_lasts_s())):
        place = register_walk(REGISTER_S + step)
        assert place is not None
        rows.append(f"{REGISTER_S + step + ahead_s},{161 + place[0]:.2f},{127 + place[1]:.2f}")
    return "\n".join(rows).encode()


def test_the_radar_is_registered_by_a_walk_and_a_mount_that_is_not_so_is_told(bench: Page) -> None:
    opened(bench)
    bench.get_by_role("tab", name="Place").click()
    bench.get_by_text("Register it by a walk").click()
    bench.get_by_label("File of the walk").set_input_files(
        {"name": "walk.csv", "mimeType": "text/csv", "buffer": walk_file(6.5)}
    )
    bench.get_by_role("button", name="Fit", exact=True).click()
    told = bench.get_by_test_id("registered")
    expect(told).to_contain_text(re.compile(r"The walk's clock is 6\.[345]\d* s ahead"))
    expect(told).to_contain_text(re.compile(r"pairs of w7: 0\.\d+ m in the mean"))
    expect(told).to_contain_text(re.compile(r"x 16[01][.\d]*, y 12[67].*: 0\.\d+ m and \d"))
    expect(bench.locator(".pair")).not_to_have_count(0)
    assert violations(bench) == []
    bench.get_by_role("button", name="Keep it").click()
    # somebody turns it on the plan: the plan and the registration do not agree any more
    bench.get_by_label("Azimuth of the tried place").fill("25")
    bench.keyboard.press("Enter")
    bench.get_by_role("button", name="Take over on the plan").click()
    expect(bench.get_by_text("It stands elsewhere now than when this take came")).to_be_visible()
    bench.reload()
    expect(bench.locator(".rail")).to_contain_text("caution")
    bench.goto("/sites/1/devices")
    expect(bench.locator("main")).to_contain_text(re.compile(r"R1"))
    bench.goto(BENCH)
    bench.get_by_role("tab", name="Place").click()
    bench.get_by_label("Azimuth of the tried place").fill("0")
    bench.keyboard.press("Enter")
    bench.get_by_role("button", name="Take over on the plan").click()
    expect(bench.get_by_text("It stands elsewhere now than when this take came")).to_be_hidden()


@pytest.mark.plays
def test_somebody_comes_live(bench: Page) -> None:
    bench.goto(WALK)
    expect(bench.get_by_test_id("nearest")).to_contain_text("Nearest is")
    bench.get_by_test_id("jump").click()
    expect(bench.get_by_test_id("state").first).to_have_text("raised")
    assert violations(bench) == []


def test_bare_detections_are_followed_and_each_threshold_says_what_it_drops(bench: Page) -> None:
    """R2 behind the fence: set for people who leave, as found; it follows nobody itself."""
    bench.goto("/sites/1/bench/13")
    expect(bench.locator(".of-radar .plan-water")).not_to_have_count(0)
    expect(bench.get_by_test_id("misses")).to_have_text("5")
    bench.get_by_test_id("profiles").locator(".profile").first.click()
    expect(bench.get_by_test_id("misses")).to_have_text("0")
    tab = bench.get_by_role("tab", name="Following")
    tab.click()
    told = bench.get_by_test_id("followed")
    expect(told).to_contain_text(re.compile(r"0 weak, 0 clutter, \d{3,4} unconfirmed\. \d broke off"))

    bench.get_by_text("Dropped before").click()
    weak = sum(db < 12 for db in ten_minutes().returns.snr_db.tolist())
    bench.get_by_label("Min snr of following").fill("12")
    bench.keyboard.press("Enter")
    expect(told).to_contain_text(f"{weak} weak")
    expect(bench.get_by_test_id("changes")).to_contain_text("2 unsaved changes")
    expect(bench.get_by_test_id("misses")).to_have_text("0")
    bench.locator("#panel-following button.name", has_text="Give up").click()
    expect(bench.locator("svg[data-following=give_up_s] .base")).to_have_count(1, timeout=240_000)
    bench.get_by_role("button", name="Learn it where nothing came").click()
    expect(bench.locator("#panel-following")).to_contain_text(re.compile(r"The map knows \d+ cells"))
    assert violations(bench) == []
