"""Controls follow the hand at once, whatever the server is at; and are put right when its answer says otherwise."""

from __future__ import annotations

import csv
import io
import re
from collections.abc import Callable

from playwright.sync_api import Page, Route, expect

from browser.test_evidence import ready
from browser.test_scene import PATH, opened


def hold(held: list[Route]) -> Callable[[Route], None]:
    """Requests wait until the test lets them go on."""

    def keep(route: Route) -> None:
        held.append(route)

    return keep


def test_a_box_stays_as_it_was_ticked_while_nothing_is_answered(bench: Page) -> None:
    opened(bench, PATH)
    bench.get_by_role("tab", name="Objects").click()
    vehicle = bench.get_by_label("vehicle counts")
    expect(vehicle).not_to_be_checked()
    held: list[Route] = []
    bench.route("**/bench/*/judge", hold(held))
    vehicle.check()
    expect(vehicle).to_be_checked()
    bench.get_by_label("person counts").uncheck()
    expect(vehicle).to_be_checked()
    expect(bench.get_by_label("person counts")).not_to_be_checked()
    for route in held:  # late, and the first of them of a state that is past
        route.continue_()
    bench.unroute("**/bench/*/judge")
    expect(bench.get_by_test_id("changes")).to_contain_text("misses")
    expect(vehicle).to_be_checked()
    expect(bench.get_by_label("person counts")).not_to_be_checked()


def test_what_is_refused_is_put_back(bench: Page) -> None:
    ready(bench)
    bench.get_by_role("tab", name="Takes").click()
    aside = bench.get_by_label("Set aside Late shift, 8 min")
    expect(aside).not_to_be_checked()
    faults = {"faults": [{"where": "take", "what": "is locked", "expected": "another"}]}
    bench.route("**/takes/*/aside", lambda route: route.fulfill(status=422, json=faults))
    aside.click()
    expect(aside).not_to_be_checked()
    expect(bench.get_by_test_id("changes")).to_contain_text("is locked")


def test_a_mark_follows_both_hands_before_either_answer(bench: Page) -> None:
    """Its start and its end are typed one after the other while the first is on its way: neither undoes the other."""
    ready(bench)
    bench.locator("section.axis svg [data-mark]").first.click()
    start, end = bench.get_by_label("Start in s"), bench.get_by_label("End in s")
    before = (start.input_value(), end.input_value())
    held: list[Route] = []
    bench.route("**/marks/*", hold(held))
    for field, text in ((start, "500"), (end, "560")):
        field.fill(text)
        field.press("Tab")
    expect(start).to_have_value("500")
    expect(end).to_have_value("560")
    for sent in (
        {"start_s": 500, "end_s": float(before[1])},
        {"start_s": 500, "end_s": 560},
    ):  # in the order of the hand
        with bench.expect_response("**/marks/*"):
            route = held.pop()
            assert sent.items() <= route.request.post_data_json.items()
            route.continue_()
        expect(end).to_have_value("560")
        while sent["end_s"] != 560 and not held:
            bench.wait_for_timeout(20)
    bench.unroute("**/marks/*")
    expect(end).to_have_value("560")
    expect(start).to_have_value("500")
    for field, text in ((start, before[0]), (end, before[1])):
        field.fill(text)
        field.press("Tab")
    expect(start).to_have_value(before[0])
    expect(end).to_have_value(before[1])


def test_a_text_that_goes_out_is_no_formula(bench: Page) -> None:
    """As the pages write their charts' data: texts guarded as in files of marks, numbers left alone."""
    bench.goto("/sites/1/takes")
    rows = [
        ["name", "x"],
        ["=1+1", -1.5],
        ["+x", "-2.5e3"],
        ["-", "'@y"],
        ["'tis", None],
        ['a "b", c', "@"],
        ["a\rb", "-x\n"],
    ]
    text = bench.evaluate("async (rows) => (await import('/static/js/export.js')).csvText(rows)", rows)
    assert list(csv.reader(io.StringIO(text, newline=""))) == [
        ["name", "x"],
        ["'=1+1", "-1.5"],
        ["'+x", "-2.5e3"],
        ["'-", "''@y"],
        ["'tis", ""],
        ['a "b", c', "'@"],
        ["a\rb", "'-x\n"],
    ]


def test_the_hours_of_a_detector_are_chosen_undone_and_kept_in_the_address(bench: Page) -> None:
    bench.goto("/sites/1/bench/1?take=1")
    hours = bench.get_by_label("Hours of the detector")
    expect(hours).to_have_value("")
    hours.select_option("Night watch")
    expect(bench.get_by_test_id("changes")).to_contain_text("1 unsaved")
    expect(bench).to_have_url(re.compile("hours="))
    bench.reload()
    expect(hours).to_have_value("Night watch")
    hours.select_option("Harbour day")
    bench.get_by_role("button", name="Undo").click()
    expect(hours).to_have_value("Night watch")
