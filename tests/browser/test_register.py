"""The register as an integrator uses it: a type of one's own, a cure, channels that differ, an input, three hundred devices."""

from __future__ import annotations

import json

import pytest
from playwright.sync_api import Page, expect

from lantern.formats.sheets import write_csv, write_xlsx

TYPE = {
    "format": "lantern-type/1", "name": "pier camera", "kind": "camera", "power": {"poe_class": 3},
    "channels": [{"name": "view", "width": 1280, "height": 720, "fps": 10}],
    "abilities": [
        {"name": "people", "signal": "tracks", "kinds": ["zone"], "load": {"fixed_percent": 12, "percent_per_mps": 3}},
        {"name": "plates", "signal": "plates", "load": {"fixed_percent": 35}, "excludes": ["people"]},
    ],
}  # fmt: skip
COLUMNS = ["code", "name", "place", "type", "switch", "port"]


def test_a_type_of_ones_own_a_device_of_it_why_it_cannot_and_the_cure(bench: Page) -> None:
    bench.goto("/sites/1/types")
    bench.get_by_role("button", name="New type").click()
    area = bench.get_by_label("The type as JSON")
    area.fill("{")
    bench.get_by_role("button", name="Save").click()
    expect(bench.get_by_role("alert").filter(has_text="This is no JSON")).to_be_visible()
    area.fill(json.dumps(TYPE | {"power": {"poe_class": 11}}))
    bench.get_by_role("button", name="Save").click()
    expect(bench.get_by_role("alert").filter(has_text="less than or equal to 8")).to_be_visible()
    area.fill(json.dumps(TYPE))
    bench.get_by_role("button", name="Save").click()
    expect(bench.locator("main")).to_contain_text("pier camera")
    expect(bench.locator("tr", has_text="pier camera")).to_contain_text("plates excludes people")
    bench.goto("/sites/1/devices/new")
    bench.get_by_label("Code").fill("V8")
    bench.get_by_label("Name", exact=True).fill("Camera on the pier")
    bench.get_by_label("Kind").select_option("camera")
    bench.get_by_label("Type").select_option("pier camera")
    bench.get_by_role("button", name="Make the device").click()
    bench.wait_for_url("**/devices/*")
    bench.wait_for_url(lambda url: not url.endswith("/new"))
    bench.get_by_role("button", name="Switch one on").click()
    bench.get_by_label("Ability").select_option("people")
    bench.get_by_role("button", name="Save").click()
    line = bench.locator("table.can tr", has=bench.get_by_role("cell", name="plate", exact=True))
    expect(line).to_contain_text("plates cannot run beside people")
    expect(bench.locator(".load-bar")).to_contain_text("39.6 %")  # 12 + 3 x 9.216
    line.get_by_role("button", name="Take it").click()
    expect(line).to_contain_text("yes")
    address = bench.url
    bench.get_by_label("The new type").select_option("thermal camera, radiometric")
    expect(bench.get_by_text("it is reached in another way")).to_be_visible()
    bench.goto(address)
    bench.get_by_role("button", name="Retire").click()
    expect(bench.locator("main")).to_contain_text("retired")


def test_two_channels_show_what_differs_until_it_is_mended(bench: Page) -> None:
    bench.goto("/sites/1/devices/9")
    expect(bench.locator("table.channels tr.amiss")).to_contain_text("Time zone")
    bench.get_by_label("Time zone of PTZ").fill("Europe/Amsterdam")
    bench.get_by_role("button", name="Save").click()
    expect(bench.locator("table.channels tr.amiss")).to_have_count(0)
    bench.get_by_label("Time zone of PTZ").fill("UTC")
    bench.get_by_role("button", name="Save").click()
    expect(bench.locator("table.channels tr.amiss")).to_have_count(1)


@pytest.mark.plays
def test_an_input_of_the_stand_in_is_seen_live_and_lights_the_beacon(bench: Page) -> None:
    bench.goto("/sites/1/devices/10")
    door = bench.locator("[data-input='Kiosk door']")
    expect(door).to_contain_text("idle, ratio 0.500")
    door.get_by_role("button", name="cut").click()
    expect(door).to_contain_text("fault, cut")
    door.get_by_role("button", name="active").click()
    expect(door).to_contain_text("active, ratio 0.667")
    door.get_by_role("button", name="idle").click()
    expect(door).to_contain_text("idle, ratio 0.500")
    bench.goto("/sites/1/events?q=Kiosk+door&sort=at")
    rows = bench.locator("main tbody tr")
    expect(rows.nth(0)).to_contain_text("fault")
    expect(rows.nth(1)).to_contain_text("active")
    expect(rows.nth(0)).to_contain_text("Mast beacon")


def test_three_hundred_devices_come_in_once_their_faults_are_mended(bench: Page) -> None:
    rows = [[f"X{n:03}", f"Speaker {n}", "Long quay", "horn speaker", "", ""] for n in range(300)]
    wrong = [list(row) for row in rows]
    wrong[3][3], wrong[50][0], wrong[120][4], wrong[299][1] = "horn", "X049", "S9", ""
    wrong[120][5] = "1"
    bench.goto("/sites/1/devices")
    bench.get_by_role("button", name="From a spreadsheet").click()
    dialog = bench.get_by_role("dialog")
    file = {"name": "quay.xlsx", "mimeType": "application/octet-stream", "buffer": write_xlsx("quay", COLUMNS, wrong)}
    bench.get_by_test_id("sheet").set_input_files(file)  # type: ignore[arg-type] # as playwright documents it
    expect(dialog.get_by_text("4 faults in 4 rows")).to_be_visible()
    for line in ("5", "52", "122", "301"):
        expect(dialog.get_by_role("cell", name=line, exact=True)).to_be_visible()
    expect(dialog.get_by_role("button", name="Store them")).to_be_disabled()
    mended = {"name": "quay.csv", "mimeType": "text/csv", "buffer": write_csv(COLUMNS, rows)}
    bench.get_by_test_id("sheet").set_input_files(mended)  # type: ignore[arg-type] # as playwright documents it
    expect(dialog.get_by_text("300 rows without a fault: 300 new; new places: Long quay.")).to_be_visible()
    dialog.get_by_role("button", name="Store them").click()
    expect(dialog).not_to_be_visible()  # stored, and the page is there anew
    bench.goto("/sites/1/devices?place=Long+quay&sort=-code")
    expect(bench.locator("main tbody tr").first).to_contain_text("X299")
    expect(bench.get_by_text("1 to 50 of 300")).to_be_visible()
    bench.get_by_role("link", name="Next").click()
    expect(bench.get_by_text("51 to 100 of 300")).to_be_visible()
    retired = [[*row, "yes"] for row in rows]
    gone = {"name": "gone.csv", "mimeType": "text/csv", "buffer": write_csv([*COLUMNS, "retired"], retired)}
    bench.goto("/sites/1/devices")
    bench.get_by_role("button", name="From a spreadsheet").click()
    bench.get_by_test_id("sheet").set_input_files(gone)  # type: ignore[arg-type] # as playwright documents it
    expect(dialog.get_by_text("300 rows without a fault: 300 changed")).to_be_visible()
    dialog.get_by_role("button", name="Store them").click()
    expect(dialog).not_to_be_visible()
