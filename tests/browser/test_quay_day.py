"""One engineer at the quay, from a person who is missed to a lamp that is lit: what a radar is tuned for, once through."""

from __future__ import annotations

import re

import pytest
from playwright.sync_api import Page, expect

from browser.conftest import violations
from browser.test_radar import BENCH, FALSE, MISSED, WALK, walk_file


def why_somebody_is_missed(bench: Page) -> None:
    bench.goto(BENCH)
    expect(bench.locator(".of-radar .plan-water")).not_to_have_count(0)
    expect(bench.get_by_test_id("misses")).to_have_text(str(MISSED))
    expect(bench.get_by_test_id("false")).to_have_text(str(FALSE))
    names = bench.locator(".of-radar .way title").all_text_contents()
    box = bench.locator(".of-radar .way").nth(names.index("w4")).locator(".line").bounding_box()
    assert box is not None
    for _ in range(12):  # several walked here: each press there takes the next
        bench.mouse.click(box["x"] + box["width"] / 2, box["y"] + box["height"] / 2)
        bench.wait_for_timeout(400)
        if "in its longest run" in (bench.get_by_test_id("target-said").text_content() or ""):
            break
    said = bench.get_by_test_id("target-said")
    expect(said).to_contain_text(
        re.compile(r"came \d\.\d of 1\.5 m nearer in its longest run; below 0\.3 m/s for \d\.\d s")
    )
    expect(bench.locator("svg.life .state")).not_to_have_count(0)


def no_turn_but_a_move(bench: Page) -> None:
    bench.get_by_role("tab", name="Place").click()
    expect(bench.locator("#panel-move")).to_contain_text(re.compile(r"runs across the beam for \d+\.\d s"))
    expect(bench.get_by_test_id("reach")).to_contain_text(
        re.compile(r"Promised: .* to 70 m.*Measured on this take: .* to \d\d")
    )
    bench.get_by_role("button", name="Look for the least move").click()
    expect(bench.get_by_test_id("least")).to_contain_text("No turn helps")
    expect(bench.get_by_test_id("moved-there")).to_contain_text("9 of 9 caught")


def registered_by_a_walk(bench: Page) -> None:
    bench.get_by_text("Register it by a walk").click()
    bench.get_by_label("File of the walk").set_input_files(
        {"name": "walk.csv", "mimeType": "text/csv", "buffer": walk_file(0.0)}
    )
    bench.get_by_role("button", name="Fit", exact=True).click()
    expect(bench.get_by_test_id("registered")).to_contain_text("m in the mean")
    bench.get_by_role("button", name="Keep it").click()


def rid_of_the_gulls(bench: Page) -> None:
    bench.get_by_role("tab", name="Dials").click()
    bench.get_by_test_id("nuisance").get_by_role("button", name="gulls").click()
    bench.get_by_text("Size", exact=True).click()
    field = bench.get_by_role("textbox", name="Min size")
    field.fill("-12")
    field.press("Enter")
    expect(bench.get_by_test_id("false")).to_have_text("0")
    expect(bench.get_by_test_id("misses")).to_have_text(str(MISSED))  # no boat and nobody else is lost by it
    bench.get_by_role("button", name="Save revision").click()
    bench.get_by_test_id("reason").fill("Gulls are smaller than -12 dBsm, boats and people are not.")
    bench.get_by_role("button", name="Save", exact=True).click()
    expect(bench.get_by_test_id("changes")).to_have_text("")


def linked_to_the_lamp(bench: Page) -> None:
    bench.get_by_role("navigation", name="Stages").get_by_role("link", name="Link").click()
    bench.get_by_role("table").get_by_role("link", name="Boat to the quay").click()
    bench.get_by_role("button", name="Tie it to something").click()
    bench.get_by_role("button", name="Add an output").click()
    bench.get_by_label("Output", exact=True).first.select_option("Quay lamp")
    bench.get_by_role("button", name="Save").first.click()
    expect(bench.get_by_role("status")).to_be_visible()


def seen_live(bench: Page) -> None:
    bench.goto(WALK)
    bench.get_by_test_id("jump").click()
    expect(bench.get_by_test_id("state").first).to_have_text("raised", timeout=60_000)
    expect(bench.get_by_test_id("nearest")).to_contain_text("m/s")
    expect(bench.locator("main")).to_contain_text(re.compile("Quay lamp"))


# others look at the same program: what was saved and linked is taken back
TAKEN_BACK = """async () => {
  const headers = { "X-CSRF-Token": document.querySelector("meta[name=csrf]").content };
  const page = new DOMParser().parseFromString(await (await fetch("/sites/1/links/12")).text(), "text/html");
  const { links } = JSON.parse(page.getElementById("page-data").textContent);
  const answers = [await fetch("/sites/1/bench/12/restore/1?base=2", { method: "POST", headers })];
  for (const link of links)
    answers.push(await fetch(`/sites/1/links/12/${link.id}?base=${link.revision}`, { method: "DELETE", headers }));
  return answers.map((each) => each.status);
}"""


@pytest.mark.plays
def test_from_a_person_who_is_missed_to_a_lamp_that_is_lit(bench: Page) -> None:
    why_somebody_is_missed(bench)
    no_turn_but_a_move(bench)
    registered_by_a_walk(bench)
    rid_of_the_gulls(bench)
    linked_to_the_lamp(bench)
    seen_live(bench)
    assert violations(bench) == []
    assert bench.evaluate(TAKEN_BACK) == [200, 200]
