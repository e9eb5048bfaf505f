"""The link sheet as a matrix and as a table: what stands where, and that what goes out comes in again as it was."""

from __future__ import annotations

import json
from typing import Any

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

from lantern.core.effects.register import EFFECTS
from lantern.core.faults import Refused
from lantern.core.linking.links import LinkRule
from lantern.core.linking.sheet import CauseLine, Thing, sheet_of
from lantern.core.linking.table import COLUMNS, faults_of, read_rows, rows_of
from lantern.core.modelled import read_model

HEAP = LinkRule.model_validate(
    {
        "name": "heap",
        "detector": "Smoulder",
        "delay_s": 5,
        "effects": [
            {"output": "Siren", "length_s": 20, "priority": 1},
            {"do": "say", "devices": ["L1", "L2"], "message": "Keep clear", "repeats": 3},
            {"do": "mail", "to": ["ida@example.org"]},
        ],
    }
)
DOOR = LinkRule.model_validate(
    {
        "name": "door",
        "input": "Kiosk door",
        "region": "active",
        "effects": [{"output": "Lamp", "mode": "latched", "flash_hz": 2}],
    }
)
CAUSES = [
    CauseLine("detector", "Smoulder", "Heap", "T1"),
    CauseLine("input", "Kiosk door", "Gate", "M1"),
    CauseLine("compound", "Both"),
]


def test_what_stands_where() -> None:
    sheet = sheet_of(CAUSES, ["Lamp", "Siren", "Horn"], [HEAP, DOOR])
    assert sheet.columns[:3] == (Thing("switch", "Lamp"), Thing("switch", "Siren"), Thing("switch", "Horn"))
    assert set(sheet.columns[3:]) == {Thing("say", "L1"), Thing("say", "L2"), Thing("mail", "ida@example.org")}
    assert sheet.unused == (2,)  # nothing switches the horn
    said = {(row.cause.name, sheet.titles[cell.column]): cell.ink for row in sheet.rows for cell in row.cells}
    assert said == {
        ("Smoulder", "Siren"): "after 5 s\n20 s\np1",
        ("Smoulder", "L1 says"): "after 5 s\nKeep clear ×3",
        ("Smoulder", "L2 says"): "after 5 s\nKeep clear ×3",
        ("Smoulder", "mail to ida@example.org"): "after 5 s",
        ("Kiosk door", "Lamp"): "latched, 2/s",
    }
    assert [(row.cause.name, row.link is None) for row in sheet.rows] == [
        ("Smoulder", False),
        ("Kiosk door", False),
        ("Both", True),  # nothing comes of it
    ]


def test_a_cause_of_several_links_has_a_row_for_each() -> None:
    night = HEAP.model_copy(update={"name": "heap at night", "effects": ()})
    sheet = sheet_of(CAUSES, [], [HEAP, night])
    assert [row.link.name for row in sheet.rows if row.link] == ["heap", "heap at night"]
    assert [len(row.cells) for row in sheet.rows] == [4, 0, 0, 0]


def as_read(links: list[LinkRule]) -> list[tuple[int, dict[str, str]]]:
    """Rows as a spreadsheet gives them back: every cell a text."""

    def text(value: Any) -> str:
        return f"{value:.12g}" if isinstance(value, float) else str(value)

    return [
        (line, dict(zip(COLUMNS, map(text, row), strict=True))) for line, row in enumerate(rows_of(links), 2)
    ]  # line 1 is the header


def test_it_comes_in_as_it_went_out() -> None:
    written, faults = read_rows(as_read([HEAP, DOOR]))
    assert faults == []
    assert [read_model(LinkRule, each.document, where="link") for each in written] == [HEAP, DOOR]
    assert [each.lines for each in written] == [[2, 3, 4], [5]]


NAMES = st.text(st.sampled_from("abc é\\-_.'x9"), min_size=1, max_size=12).map(str.strip).filter(bool)
NUMBERS = st.integers(1, 5000).map(lambda n: n / 10)
EFFECT = st.one_of(
    st.fixed_dictionaries(
        {"output": NAMES, "length_s": NUMBERS}, optional={"priority": st.integers(1, 10), "expire_s": NUMBERS}
    ),
    st.fixed_dictionaries(
        {"do": st.just("say"), "devices": st.lists(NAMES, min_size=1, max_size=3, unique=True), "message": NAMES},
        optional={"repeats": st.integers(1, 9), "gain_db": st.integers(-300, 300).map(lambda n: n / 10)},
    ),
    st.fixed_dictionaries(
        {"do": st.just("go_to"), "device": NAMES, "length_s": NUMBERS, "at": st.tuples(NUMBERS, NUMBERS, NUMBERS)}
    ),
    st.fixed_dictionaries({"do": st.just("go_to"), "device": NAMES, "length_s": NUMBERS, "preset": st.integers(1, 99)}),
    st.fixed_dictionaries(
        {"do": st.just("mail"), "to": st.lists(NAMES, min_size=1, max_size=2), "text": st.just("one\ntwo \\n {place}")}
    ),
    st.fixed_dictionaries(
        {"do": st.just("clip"), "devices": st.lists(NAMES, min_size=1, max_size=2), "still": st.booleans()}
    ),
)


@given(
    st.lists(
        st.fixed_dictionaries(
            {
                "detector": NAMES,
                "effects": st.lists(EFFECT, max_size=4),
                "delay_s": NUMBERS,
                "on_repeat": st.booleans(),
            },
            optional={"region": NAMES, "timetable": NAMES, "lists": st.lists(NAMES, max_size=2)},
        ),
        max_size=4,
    )
)
@settings(max_examples=100, deadline=None)
def test_any_link_comes_in_as_it_went_out(documents: list[dict[str, Any]]) -> None:
    links = []
    for n, document in enumerate(documents):
        outputs: set[str] = set()
        kept = []
        for effect in document["effects"]:
            if effect.get("output") in outputs:
                continue
            outputs |= {effect["output"]} if "output" in effect else set()
            kept.append(effect)
        body = json.loads(json.dumps(document | {"effects": kept, "name": f"link {n}"}))
        links.append(LinkRule.model_validate_json(json.dumps(body)))
    written, faults = read_rows(as_read(links))
    assert faults == []
    assert [read_model(LinkRule, each.document, where="link") for each in written] == links


@pytest.mark.parametrize(
    ("cells", "line", "column", "expected"),
    [
        ({"of": "gate"}, 2, "of", "one of detector, input, compound"),
        ({"cause": ""}, 2, "cause", "the name of the detector"),
        ({"delay_s": "soon"}, 2, "delay_s", "a number"),
        ({"on_repeat": "perhaps"}, 2, "on_repeat", "yes or no"),
        ({"do": "dance"}, 2, "do", f"one of {', '.join(EFFECTS)}"),
        ({"on": ""}, 2, "on", "what it is done to: output"),
        ({"message": "Keep clear"}, 2, "message", "nothing: switch has"),
        ({"length_s": "inf"}, 2, "length_s", "a number"),
    ],
)
def test_a_fault_is_told_by_its_cell(cells: dict[str, str], line: int, column: str, expected: str) -> None:
    [(at, row)] = as_read([DOOR.model_copy(update={"input": None, "detector": "Smoulder"})])
    _, [fault] = read_rows([(at, row | cells)])
    assert (fault.line, fault.column) == (line, column)
    assert expected in fault.expected


def test_rows_of_one_link_must_agree_and_what_the_model_refuses_is_at_its_cell() -> None:
    rows = as_read([HEAP])
    rows[2] = (rows[2][0], rows[2][1] | {"delay_s": "7"})
    _, [fault] = read_rows(rows)
    assert (fault.line, fault.column, fault.what) == (4, "delay_s", "'7'")
    assert "in line 2" in fault.expected

    rows = as_read([HEAP])
    rows[0] = (rows[0][0], rows[0][1] | {"length_s": "0"})
    [written], faults = read_rows(rows)
    assert faults == []
    with pytest.raises(Refused) as refused:
        read_model(LinkRule, written.document, where="link")
    [fault] = faults_of(written, refused.value)
    assert (fault.line, fault.column) == (2, "length_s")

    rows = as_read([HEAP])
    rows[1] = (rows[1][0], rows[1][1] | {"repeats": "0"})  # the second effect's own line
    [written], _ = read_rows(rows)
    with pytest.raises(Refused) as refused:
        read_model(LinkRule, written.document, where="link")
    [fault] = faults_of(written, refused.value)
    assert (fault.line, fault.column) == (3, "repeats")
