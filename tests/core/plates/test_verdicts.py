"""Each thing that keeps a passage from raising, in its own words: cases worked by hand, one passage each."""

from __future__ import annotations

from typing import Any

import numpy as np
import pytest

from lantern.core.kinds import detector_of, judge
from lantern.core.plates.reads import Reads
from lantern.core.plates.subject import PlateSubject

LISTS = [{"name": "crews", "entries": [{"text": "AB12CDE"}, {"text": "AB12CDF"}]}]


def passing(many: int = 6, *, text: str = "AB12CDE", q: float = 0.95, way: float = 40.0, grows: float = 5.0) -> Reads:
    """A vehicle that moves by `way` px a read, whose plate grows by `grows` px, fixed in the middle of its box."""
    k = np.arange(many)
    car = np.column_stack((way * k, np.zeros(many), np.full(many, 200.0), np.full(many, 150.0)))
    width = 100 + grows * k
    plate = np.column_stack((way * k + 100 - width / 2, 75 - width / 8, width, width / 4))
    chars = ((q,) * len(text),) * many
    empty = ("",) * many
    return Reads(k / 2, ("v1",) * many, (text,) * many, np.full(many, q), chars, plate, car, empty)


def said(reads: Reads, **dials: Any) -> tuple[str, str]:
    given = {"min_reads": 2, "min_vote": 0.5, "tempering": 1.0} | dials
    document = {"name": "d", "kind": "plate", "dials": given, "lists": LISTS}
    on = judge(detector_of(document), "plates", reads)
    assert isinstance(on, PlateSubject)
    [reason] = on.verdicts
    return reason.code, reason.text


@pytest.mark.parametrize(
    ("reads", "dials", "code", "words"),
    [
        (passing(), {"min_reads": 9}, "few_reads", "6 reads counted, 9 needed."),
        (passing(1), {"min_confidence": 0.99}, "unread", "None of its 1 read counts."),
        (passing(q=0.03), {}, "unsure", "AB12CDE was never sure enough: 0.0 % at best, 50 % needed."),
        (passing(text="ZZ99ZZZ"), {"when": "unlisted", "decide_after_s": 9}, "early", "Seen for 2.5 s, 9 s needed"),
        (
            passing(way=0.0),
            {"vehicle": "attached"},
            "undetermined",
            "Whether AB12CDE goes with a vehicle is undetermined",
        ),
        (passing(grows=-5.0), {"direction": "towards"}, "other_way", "AB12CDE goes away: towards is asked for."),
        (
            passing(grows=0.0),
            {"direction": "away"},
            "other_way",
            "Which way AB12CDE goes is unknown: away is asked for.",
        ),
        (passing(text="AB12CDP"), {"tolerance": 1.0}, "runner_up", "AB12CDP could be two entries: AB12CDE is 1 away"),
        (passing(text="ZZ99ZZZ"), {}, "unlisted", "ZZ99ZZZ is on no list."),
        (passing(), {"when": "unlisted", "decide_after_s": 0}, "listed", "AB12CDE is on crews, as AB12CDE."),
        (passing(), {}, "raised", "100 % sure after 2 reads: matches AB12CDE on crews."),
    ],
)
def test_what_a_passage_lacked(reads: Reads, dials: dict[str, Any], code: str, words: str) -> None:
    found, text = said(reads, **dials)
    assert found == code
    assert words in text


def test_a_passage_too_short_to_be_on_no_list_says_so() -> None:
    assert said(passing(text="ZZ99ZZZ"), when="unlisted", decide_after_s=9)[1] == (
        "Seen for 2.5 s, 9 s needed to say that it is on no list."
    )
