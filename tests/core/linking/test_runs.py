"""Two rehearsals held against each other: what is told, and whether it is worse."""

from __future__ import annotations

from lantern.core.linking.runs import Run, counted, differences

BEFORE = Run(
    raised={"heap": {"hit": 3, "false": 4}, "gate": {"hit": 2, "missed": 1}, "tank": {"plain": 5}},
    orders={"heap: switch siren": {"done": 7}, "gate: go to Z1": {"done": 1, "busy": 1}},
    expectations={"siren": "kept", "lamp": "broken", "tank": "not shown", "gone": "kept"},
)


def test_nothing_is_told_of_two_that_are_alike() -> None:
    assert differences(BEFORE, BEFORE) == []


def test_each_difference_says_what_was_and_is_and_whether_that_is_worse() -> None:
    after = Run(
        raised={"heap": {"hit": 2, "false": 1, "missed": 1}, "gate": {"hit": 2, "missed": 1}, "tank": {"plain": 6}},
        orders={"heap: switch siren": {"done": 3, "lost": 4}, "gate: go to Z1": {"done": 2}},
        expectations={"siren": "broken", "lamp": "kept", "tank": "broken", "new": "kept"},
    )
    told = {(each.name, each.what): (each.before, each.after, each.worse) for each in differences(BEFORE, after)}
    assert told == {
        ("siren", "is"): ("kept", "broken", True),
        ("lamp", "is"): ("broken", "kept", False),
        ("tank", "is"): ("not shown", "broken", True),
        ("gone", "is"): ("kept", "none", False),  # it was taken away: nobody expects it any more
        ("new", "is"): ("none", "kept", False),
        ("heap", "hit"): ("3", "2", True),
        ("heap", "false"): ("4", "1", False),
        ("heap", "missed"): ("0", "1", True),
        ("tank", "plain"): ("5", "6", None),
        ("heap: switch siren", "done"): ("7", "3", True),
        ("heap: switch siren", "lost"): ("0", "4", True),
        ("gate: go to Z1", "done"): ("1", "2", False),
        ("gate: go to Z1", "busy"): ("1", "0", False),
    }
    assert [each.sort for each in differences(BEFORE, after)] == ["expectation"] * 5 + ["detector"] * 4 + ["order"] * 4


def test_it_is_counted_by_name_and_word() -> None:
    assert counted([("a", "hit"), ("b", "false"), ("a", "hit"), ("a", "false")]) == {
        "a": {"false": 1, "hit": 2},
        "b": {"false": 1},
    }
