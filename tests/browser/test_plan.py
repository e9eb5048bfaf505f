"""The plan as an integrator uses it: what falls short, a camera that is dragged, a cure that is taken, the view from the side."""

from __future__ import annotations

import json
import math
import re
from pathlib import Path

import pytest
from playwright.sync_api import FloatRect, Locator, Page, Route, expect

from browser.conftest import violations
from formats.test_ground import drawing

PLAN = "/sites/1/plan"


def ready(bench: Page, at: str = PLAN) -> Locator:
    bench.goto(at)
    chart = bench.locator(".chart")
    expect(chart).to_have_attribute("data-ready", "yes")
    return chart


def box_of(found: Locator) -> FloatRect:
    """Where it is; asked again while the page draws it anew."""
    for _ in range(100):
        box = found.bounding_box()
        if box is not None:
            return box
        found.page.wait_for_timeout(50)
    raise AssertionError(f"{found} is nowhere")


def drag(bench: Page, grip: Locator, dx: float, dy: float) -> None:
    box = box_of(grip)
    x, y = box["x"] + box["width"] / 2, box["y"] + box["height"] / 2
    bench.mouse.move(x, y)
    bench.mouse.down()
    bench.mouse.move(x + dx, y + dy, steps=5)
    bench.mouse.up()


def press(bench: Page, chart: Locator, *places: tuple[float, float]) -> None:
    """Press on places of the chart, in shares of its width and height from the top left corner."""
    box = box_of(chart)
    for x, y in places:
        bench.mouse.click(box["x"] + box["width"] * x, box["y"] + box["height"] * y)


def test_what_falls_short_is_told_and_a_cure_is_taken(bench: Page) -> None:
    ready(bench, f"{PLAN}#L1")
    short = bench.locator(".falls-short")
    for code in ("P1", "C1", "L1", "R1"):
        expect(short).to_contain_text(code)
    panel = bench.locator(".plan-side")
    expect(panel).to_contain_text("22.5 W instead of 8 W")
    panel.get_by_label("Watts").fill("22.5")
    panel.get_by_label("Watts").press("Enter")
    expect(panel.locator(".claims .glyph-hit")).to_be_visible()  # tried, not kept
    panel.get_by_role("button", name="Back to where it was").click()
    panel.locator("tr", has_text="22.5 W").get_by_role("button", name="Take it").click()
    expect(panel.get_by_label("Watts")).to_have_value("22.5")
    expect(bench.locator(".falls-short")).not_to_contain_text("L1")
    expect(panel).to_contain_text("A cure: 22.5 W instead of 8 W")
    bench.keyboard.press("Control+z")  # what a cure has stored is taken back like anything else
    expect(panel.get_by_label("Watts")).to_have_value("8")
    expect(bench.locator(".falls-short")).to_contain_text("L1")
    panel.locator("summary", has_text="Earlier states").click()
    panel.get_by_role("button", name="Show them").click()
    expect(panel.locator(".state-row").first).to_contain_text("Taken back: A cure")
    panel.locator(".state-row").nth(1).get_by_role("button", name="Bring it back").click()
    expect(panel.get_by_label("Watts")).to_have_value("22.5")
    panel.get_by_label("Watts").fill("8")
    panel.get_by_label("Watts").press("Enter")
    expect(panel.get_by_role("button", name="Save it here")).to_be_visible()
    panel.get_by_label("Watts").blur()
    bench.keyboard.press("u")  # and what is not kept yet
    expect(panel.get_by_label("Watts")).to_have_value("22.5")
    panel.get_by_label("Watts").fill("8")
    panel.get_by_label("Watts").press("Enter")
    panel.get_by_role("button", name="Save it here").click()
    expect(panel.get_by_role("button", name="Save it here")).to_be_hidden()  # it is kept, and the page came anew
    expect(bench.locator(".falls-short")).to_contain_text("L1")


def test_what_is_typed_outlives_an_answer_that_comes_meanwhile(bench: Page) -> None:
    held: list[Route] = []
    bench.route(re.compile(r"/plan/devices/\d+\?"), lambda route: held.append(route))  # noqa: PLW0108  it marks what it is given
    ready(bench, f"{PLAN}#L1")
    panel = bench.locator(".plan-side")
    watts = panel.get_by_label("Watts")
    watts.focus()
    bench.keyboard.press("Control+A")
    bench.keyboard.type("17")
    with bench.expect_response(re.compile("/plan/devices/")):
        held[0].continue_()  # the cures of the device that the page opens with
    bench.wait_for_timeout(100)
    expect(watts).to_have_value("17")
    expect(panel.locator(".claims")).not_to_contain_text("22.5 W")  # the cures wait until the field is left
    bench.keyboard.press("Control+A")
    bench.keyboard.type("8")
    panel.get_by_label("Sensitivity").focus()
    expect(panel).to_contain_text("22.5 W instead of 8 W")
    watts.focus()
    bench.keyboard.press("Control+A")
    bench.keyboard.type("22.5")
    bench.unroute_all()
    bench.keyboard.press("Enter")
    expect(panel.get_by_role("button", name="Save it here")).to_be_visible()
    expect(bench.locator(".falls-short")).not_to_contain_text("L1")
    expect(watts).to_have_value("22.5")


def test_a_camera_is_dragged_and_moved_by_keys(bench: Page) -> None:
    ready(bench, f"{PLAN}#V2")
    panel = bench.locator(".plan-side")
    expect(panel.get_by_label("X", exact=True)).to_have_value("274")
    mark = bench.get_by_role("button", name="V2 Camera over the yard").and_(bench.locator("svg [data-device]"))
    box = box_of(mark.locator(".catch").first)
    bench.mouse.move(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
    bench.mouse.down()
    bench.mouse.move(box["x"] + 80, box["y"] + 40, steps=6)
    bench.mouse.up()
    expect(panel.get_by_role("button", name="Save it here")).to_be_visible()
    expect(panel.get_by_label("X", exact=True)).not_to_have_value("274")
    moved = panel.get_by_label("X", exact=True).input_value()
    mark.focus()
    mark.press("Shift+ArrowRight")
    expect(panel.get_by_label("X", exact=True)).to_have_value(f"{float(moved) + 1:g}")
    panel.get_by_role("button", name="Back to where it was").click()
    expect(panel.get_by_label("X", exact=True)).to_have_value("274")


def test_the_side_view_and_the_plan_as_text(bench: Page) -> None:
    chart = ready(bench, f"{PLAN}#P1")
    side = bench.locator(".side-view > svg")
    expect(side).to_contain_text("plates at the bar")
    expect(side).to_contain_text("250 identify")
    bench.get_by_role("button", name="As text").click()
    area = bench.get_by_label("The plan as JSON")
    held = area.input_value()
    area.fill(held.replace('"material": "wet wood"', '"material": "cheese"'))
    bench.get_by_role("button", name="Save the text").click()
    expect(bench.get_by_role("alert").filter(has_text="no known material")).to_be_visible()
    area.fill(held.replace('"width_m": 420', '"width_m": 840'))
    bench.get_by_role("button", name="Save the text").click()
    expect(chart).to_have_attribute("viewBox", "0 0 420 130")
    bench.get_by_role("button", name="As text").click()
    area.fill(held)
    bench.get_by_role("button", name="Save the text").click()
    expect(chart).to_have_attribute("viewBox", "0 0 420 260")


def test_a_device_without_a_place_is_put_on_the_plan(bench: Page) -> None:
    ready(bench, f"{PLAN}#A1")
    panel = bench.locator(".plan-side")
    panel.get_by_role("button", name="Put it on the plan").click()
    expect(panel.get_by_label("X", exact=True)).to_have_value("210")


def test_the_side_view_is_dragged_and_says_who_stands_where(bench: Page) -> None:
    ready(bench, f"{PLAN}#V2")
    panel, told = bench.locator(".plan-side"), bench.locator(".side-told")
    expect(told).to_contain_text("px/m")
    range_ = bench.get_by_label("How far away somebody stands")
    range_.fill("20")
    near = told.inner_text()
    range_.fill("90")
    expect(told).not_to_have_text(near)
    for grip, dx, dy, label, before in (
        ('[data-grip="height"]', 0, 22, "Height", "6"),
        ('[data-grip="tilt"]', 0, -17, "Tilt", "14"),
        ('[data-turn="field"]', 30, 10, "Focal", "6"),
        ('[data-turn="azimuth"]', 30, 10, "Azimuth", "222"),
        ("[data-roll-grip]", 12, 4, "Roll", "0"),
    ):
        drag(bench, bench.locator(grip).first, dx, dy)
        expect(panel.get_by_label(label, exact=True)).not_to_have_value(before)
    panel.get_by_role("button", name="Back to where it was").click()
    expect(panel.get_by_label("Azimuth", exact=True)).to_have_value("222")


def test_an_edge_of_the_field_is_dragged_to_the_lens_that_has_it(bench: Page) -> None:
    """The field's half is the angle between where it looks and where its edge was dragged to: f = w / (2 tan)."""
    chart = ready(bench, f"{PLAN}#V2")
    focal = bench.locator(".plan-side").get_by_label("Focal", exact=True)
    tip = box_of(chart.locator(".mount.chosen [data-turn='azimuth']"))
    mark = box_of(chart.locator(".mount.chosen > .catch"))
    (x, y), (mx, my) = ((box["x"] + box["width"] / 2, box["y"] + box["height"] / 2) for box in (tip, mark))
    dx, dy = x - mx, y - my
    half = math.radians(20)  # to be turned by so much
    edge = (dx * math.cos(half) - dy * math.sin(half), dx * math.sin(half) + dy * math.cos(half))
    grip = box_of(chart.locator("[data-turn='field']").nth(1))
    bench.mouse.move(grip["x"] + grip["width"] / 2, grip["y"] + grip["height"] / 2)
    bench.mouse.down()
    bench.mouse.move(mx + edge[0] * 2, my + edge[1] * 2, steps=6)
    bench.mouse.up()
    expect(focal).not_to_have_value("6")
    assert float(focal.input_value()) == pytest.approx(5.37 / 2 / math.tan(half), rel=0.03)


def test_a_counter_from_the_side_says_who_passes_beneath_it(bench: Page) -> None:
    ready(bench, f"{PLAN}#C2")
    side, told = bench.locator(".side-view > svg"), bench.locator(".side-told")
    expect(side).to_contain_text("6.4 m at the floor")
    expect(side).to_contain_text("3.5 m at a shoulder, 1.45 m up")
    expect(side).to_contain_text("the hall door")
    aside = bench.get_by_label("How far away somebody stands")
    aside.fill("50")
    expect(told).to_contain_text("seen whole, 183 px/m")
    aside.fill("98")
    expect(told).to_contain_text("not in the picture")
    expect(side.locator(".way-missed")).to_have_count(0)
    height = bench.locator(".plan-side").get_by_label("Height", exact=True)
    height.fill("2.6")
    height.press("Enter")
    expect(side.locator(".way-missed")).to_have_count(2)  # 2.3 m of the door's 2.8 m are seen


def test_coverage_at_the_height_of_a_face(bench: Page) -> None:
    chart = ready(bench, f"{PLAN}#V2")
    ground = chart.locator(".field.chosen .band").first.get_attribute("d")
    bench.get_by_label("Height at which coverage is drawn").select_option(label="a face, 1.6 m up")
    expect(bench).to_have_url(re.compile(r"height=1\.6#V2"))
    expect(chart).to_have_attribute("data-ready", "yes")
    assert chart.locator(".field.chosen .band").first.get_attribute("d") != ground


# ---- drawn by hand ---------------------------------------------------------------------------------------------------


def test_a_wall_is_drawn_hides_is_taken_back_and_drawn_again(bench: Page) -> None:
    chart = ready(bench, f"{PLAN}#draw")
    panel, short = bench.locator(".plan-side"), bench.locator(".falls-short")
    panel.get_by_role("button", name="Wall", exact=True).click()
    press(bench, chart, (0.625, 0.262), (0.645, 0.288), (0.665, 0.315))
    bench.keyboard.press("Enter")
    expect(short).to_contain_text("wall 1 hides part of it")
    expect(panel.get_by_label("Name")).to_have_value("wall 1")
    bench.keyboard.press("u")
    expect(short).not_to_contain_text("wall 1")
    bench.keyboard.press("r")
    expect(short).to_contain_text("wall 1 hides part of it")
    panel.get_by_role("button", name="wall 1").click()
    panel.get_by_label("Height").first.fill("0.2")
    panel.get_by_label("Height").first.press("Enter")
    expect(short).not_to_contain_text("wall 1")  # the camera looks over it
    panel.get_by_label("Height").first.fill("-1")
    panel.get_by_label("Height").first.press("Enter")
    expect(panel.get_by_role("alert").filter(has_text="greater than 0")).to_be_visible()
    expect(panel.get_by_role("button", name="Save the plan")).to_be_disabled()
    panel.get_by_role("button", name="Take it away").click()
    expect(short).not_to_contain_text("wall 1")
    bench.on("dialog", lambda dialog: dialog.accept())  # it is left unsaved


def test_what_is_drawn_is_dragged_bent_snapped_and_saved_with_its_place(bench: Page) -> None:
    chart = ready(bench, f"{PLAN}#draw")
    panel = bench.locator(".plan-side")
    panel.get_by_role("button", name="Building", exact=True).click()
    press(
        bench, chart, (0.20, 0.70), (0.26, 0.70), (0.26, 0.78), (0.20, 0.78), (0.2005, 0.7005)
    )  # on the first again: closed
    expect(panel.get_by_label("Name")).to_have_value("building 1")
    panel.get_by_text("4 corners, in metres").click()
    corner = panel.get_by_label("Corner 1, x in m")
    expect(corner).not_to_have_value("")
    corner.fill("80")
    corner.press("Enter")
    expect(chart.locator("[data-corner]")).to_have_count(4)
    handle = chart.locator('[data-corner="0"]')
    handle.focus()
    handle.press("Shift+ArrowRight")
    expect(panel.get_by_label("Corner 1, x in m")).to_have_value("81")
    expect(chart).to_have_attribute("aria-busy", "false")
    box = box_of(chart.locator('[data-between="0"]'))
    bench.mouse.move(box["x"] + 2, box["y"] + 2)
    bench.mouse.down()
    bench.mouse.move(box["x"] + 2, box["y"] - 25, steps=4)
    bench.mouse.up()
    expect(chart.locator("[data-corner]")).to_have_count(5)
    panel.get_by_role("button", name="Place", exact=True).click()
    panel.get_by_label("Which").select_option(label="Waiting hall")
    press(bench, chart, (0.40, 0.20), (0.52, 0.20), (0.52, 0.34), (0.40, 0.34))
    bench.keyboard.press("Enter")
    panel.get_by_label("Why the plan is changed", exact=True).fill("a hut and a place")
    with bench.expect_navigation():
        panel.get_by_role("button", name="Save the plan").click()
    expect(bench.locator(".chart[data-ready]")).to_be_visible()
    expect(chart.locator(".place-word", has_text="Waiting hall")).to_have_count(1)
    expect(chart.locator(".occluder title", has_text="building 1")).to_have_count(1)
    bench.get_by_role("button", name="Draw", exact=True).click()
    panel.get_by_text("Earlier states").click()
    panel.get_by_role("button", name="Show them").click()
    expect(panel.locator(".state-row").first).to_contain_text("a hut and a place")
    panel.get_by_role("button", name="Draw it").first.click()
    expect(chart.locator(".occluder title", has_text="building 1")).to_have_count(0)
    panel.get_by_role("button", name="Undo").click()
    for name in ("building 1", "Waiting hall"):
        panel.get_by_role("button", name=name, exact=True).click()
        panel.get_by_role("button", name="Take it away").click()
    with bench.expect_navigation():
        panel.get_by_role("button", name="Save the plan").click()
    expect(chart.locator(".occluder title", has_text="building 1")).to_have_count(0)


def test_an_aim_is_drawn_for_a_device_and_judged(bench: Page) -> None:
    chart = ready(bench, f"{PLAN}#draw")
    panel = bench.locator(".plan-side")
    panel.get_by_role("button", name="Aim", exact=True).click()
    panel.get_by_label("What for").select_option(label="tell a face")
    panel.get_by_label("Of", exact=True).select_option("V2")
    press(bench, chart, (0.615, 0.33))
    expect(bench.locator(".falls-short")).to_contain_text("Between the eyes")
    panel.get_by_role("button", name="Take it away").click()
    expect(bench.locator(".falls-short")).not_to_contain_text("Between the eyes")
    bench.on("dialog", lambda dialog: dialog.accept())


def test_a_ground_picture_is_brought_and_put_to_scale_by_two_points(bench: Page, tmp_path: Path) -> None:
    (tmp_path / "yard.dxf").write_bytes(drawing(0))
    (tmp_path / "junk.png").write_bytes(b"junk")
    chart = ready(bench, f"{PLAN}#draw")
    panel = bench.locator(".plan-side")
    panel.get_by_text("Ground picture", exact=True).first.click()
    bring = panel.get_by_label("A ground picture: PNG, JPEG, PDF, SVG or DXF")
    bring.set_input_files(tmp_path / "junk.png")
    expect(panel.get_by_role("alert").filter(has_text="none of the formats")).to_be_visible()
    bring.set_input_files(tmp_path / "yard.dxf")
    expect(panel).to_contain_text("its scale is not known yet")
    expect(chart.locator("image")).to_have_count(1)
    panel.get_by_role("button", name="Scale by two points").click()
    press(bench, chart, (0.25, 0.9), (0.75, 0.9))  # 210 m apart, as it is shown on a plan of 420 m
    panel.get_by_label("They are apart").fill("21")
    panel.get_by_label("They are apart").press("Enter")
    expect(panel).to_contain_text("42.0 m wide")
    panel.get_by_label("Layer").select_option("0")
    panel.get_by_label("So high").fill("6")
    panel.get_by_label("So high").press("Enter")
    panel.get_by_role("button", name="Take them").click()
    expect(chart.locator(".occluder title", has_text="0 1, 6 m")).to_have_count(1)
    panel.get_by_role("button", name="Take it off").click()
    expect(chart.locator("image")).to_have_count(0)
    bench.on("dialog", lambda dialog: dialog.accept())


def test_buildings_come_in_from_a_file(bench: Page, tmp_path: Path) -> None:
    ready(bench, f"{PLAN}#draw")
    house = [[4.2 + x * 1e-4, 54.6 + y * 1e-4] for x, y in ((1, 1), (3, 1), (3, 2), (1, 2), (1, 1))]
    feature = {
        "type": "Feature",
        "properties": {"name": "net loft", "height_m": 5},
        "geometry": {"type": "Polygon", "coordinates": [house]},
    }
    (tmp_path / "loft.geojson").write_text(json.dumps({"type": "FeatureCollection", "features": [feature]}))
    panel = bench.locator(".plan-side")
    panel.get_by_text("Buildings from a file").click()
    panel.get_by_label("Buildings and lines: GeoJSON").set_input_files(tmp_path / "loft.geojson")
    expect(panel).to_contain_text("0 lines and areas, 1 with a height")
    expect(bench.locator(".occluder title", has_text="net loft, 5 m")).to_have_count(1)
    bench.keyboard.press("u")
    expect(bench.locator(".occluder title", has_text="net loft")).to_have_count(0)
    bench.on("dialog", lambda dialog: dialog.accept())


def test_layers_are_hidden_and_shown_and_the_chart_comes_nearer(bench: Page) -> None:
    chart = ready(bench, PLAN)
    legend = bench.locator(".plan-legend")
    expect(chart.locator(".reach.radar")).to_have_count(2)
    legend.get_by_role("button", name="radars").click()
    expect(chart.locator(".reach.radar")).to_have_count(0)
    expect(chart.locator(".unseen")).to_have_count(0)
    legend.get_by_role("button", name="unseen").click()
    expect(chart.locator(".unseen")).to_have_count(1)
    legend.get_by_role("button", name="all speakers").click()
    assert chart.locator(".loud").count() > 2
    bench.get_by_role("button", name="Nearer").click()
    expect(chart).to_have_attribute("data-near", "1.50")
    expect(chart.locator(".scale-word").nth(1)).to_have_text("50 m")
    bench.get_by_role("button", name="All", exact=True).click()
    expect(chart).to_have_attribute("data-near", "1.00")


def test_the_plan_goes_onto_paper(bench: Page) -> None:
    ready(bench, PLAN)
    bench.get_by_role("button", name="Print", exact=True).click()
    bench.locator("#print-dialog").get_by_label("Scale").select_option("2000")
    with bench.expect_download() as told:
        bench.get_by_role("button", name="Print it").click()
    assert told.value.suggested_filename.endswith("plan.pdf")
    assert Path(told.value.path()).read_bytes().startswith(b"%PDF")


def test_the_plan_is_accessible_light_and_dark(bench: Page) -> None:
    ready(bench, f"{PLAN}#P1")
    assert violations(bench) == []
    bench.get_by_role("button", name="Draw", exact=True).click()
    assert violations(bench) == []
    bench.emulate_media(color_scheme="dark")
    assert violations(bench) == []
