"""A compound as an engineer builds it: a sentence over the takes of its parts, a number taken from its strip, tied to what happens."""

from __future__ import annotations

import re
from pathlib import Path

import numpy as np
import soundfile
from playwright.sync_api import Page, expect

from browser.conftest import violations


def test_one_and_not_the_other_is_built_seen_on_takes_and_tied(bench: Page) -> None:
    bench.goto("/sites/1/compounds")
    expect(bench.get_by_test_id("sentence")).to_have_text("Gate line, then Tank, within 120 s from first to last.")
    expect(bench.get_by_test_id("raised")).to_contain_text(re.compile(r"raises [1-9]"))
    assert violations(bench) == []
    bench.get_by_role("button", name="New compound").click()
    bench.get_by_label("Name of the compound").fill("Gate and no tank")
    bench.get_by_label("Name of the compound").press("Enter")
    bench.get_by_label("Part 1", exact=True).select_option("detector Gate line")
    bench.get_by_label("Part 2", exact=True).select_option("detector Tank")
    expect(bench.get_by_test_id("sentence")).to_have_text("Gate line, and not Tank, which was quiet for 5 s.")
    bench.get_by_label("quiet for").fill("60")
    bench.get_by_label("quiet for").press("Enter")
    waits = bench.locator("svg.compound-strip", has_text="s that it waits")
    bar = waits.locator("g", has_text="1m").first
    expect(waits).to_be_visible()
    expect(bench.locator("svg.compound-strip .now", has_text="1m")).to_have_count(
        1
    )  # of the quiet: it was judged again
    told = int(bar.locator(".count").text_content() or -1)
    bar.locator("rect.pile").click()
    expect(bench.get_by_label("after waiting")).to_have_value("60")
    expect(bench.get_by_test_id("sentence")).to_contain_text("asked after 60 s")
    expect(bench.get_by_test_id("raised")).to_contain_text(f"raises {told} times")  # as the strip said
    assert told >= 1
    bench.get_by_role("button", name="Save").click()
    expect(bench.get_by_text("Saved Gate and no tank.")).to_be_visible()
    bench.get_by_role("link", name="Tie it to something").click()
    expect(bench.locator("h1")).to_have_text("Gate and no tank")
    bench.get_by_role("button", name="Tie it to something").click()
    bench.get_by_label("Add something else").select_option("show")
    bench.get_by_label("Add something else").select_option("mail")
    bench.locator("[data-do=mail]").get_by_label("to", exact=True).fill("watch@example.org")
    bench.locator("[data-do=mail]").get_by_label("to", exact=True).press("Tab")
    bench.get_by_role("button", name="Save link").click()
    expect(bench.get_by_text(re.compile("^Saved Link"))).to_be_visible()
    bench.reload()
    expect(bench.locator("[data-do=mail]").get_by_label("to", exact=True)).to_have_value("watch@example.org")
    assert violations(bench) == []
    bench.get_by_role("button", name="Delete").first.click()
    expect(bench.locator("[data-do=mail]")).to_have_count(0)
    bench.goto("/sites/1/compounds")
    bench.get_by_role("button", name="Gate and no tank").click()
    bench.get_by_role("button", name="Delete", exact=True).click()
    expect(bench.get_by_text("Deleted Gate and no tank.")).to_be_visible()


def test_a_message_is_a_sound_that_is_measured_and_heard_here(bench: Page, tmp_path: Path) -> None:
    bench.goto("/sites/1/compounds")
    messages = bench.get_by_role("region", name="Messages")
    messages.get_by_label("Name of the message").fill("Two o'clock")
    messages.get_by_label("Tone in Hz").fill("880")
    messages.get_by_label("How long it takes, s").fill("1.5")
    messages.get_by_role("button", name="Make the tone").click()
    row = messages.locator("tr", has_text="Two o'clock")
    expect(row).to_contain_text(re.compile(r"-9\.\d+ LUFS"))  # 6 dB beneath the -3.01 of a full-scale sine
    expect(row).to_contain_text("6 dB below the level that the plan counts with; 6.0 dB louder before it clips")
    heard = row.locator("audio")
    heard.evaluate("audio => audio.load()")
    expect(row.locator("audio")).to_have_js_property("error", None)
    bench.wait_for_function("() => document.querySelector('.messages audio').duration > 1.4")
    assert violations(bench) == []
    loud = tmp_path / "loud.flac"
    t = np.arange(16_000) / 16_000
    soundfile.write(loud, np.clip(3 * np.sin(2 * np.pi * 300 * t), -1, 1), 16_000)
    messages.get_by_test_id("sound-file").set_input_files(loud)
    expect(messages.locator("tr", has_text="loud.flac")).to_contain_text(re.compile(r"clipped [1-9]\d* times"))
    (tmp_path / "none.wav").write_bytes(b"RIFF, and nothing else")
    messages.get_by_test_id("sound-file").set_input_files(tmp_path / "none.wav")
    expect(bench.get_by_role("alert").first).to_contain_text("none.wav")
    for name in ("Two o'clock", "loud"):
        messages.get_by_role("button", name=f"Delete {name}").click()
        expect(messages.get_by_role("button", name=f"Delete {name}")).to_have_count(0)
