"""What came of a rehearsal, in figures: two runs are held against each other, so that a change shows what it did."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterable, Mapping
from typing import Literal, NamedTuple, TypeVar

from pydantic import Field

from lantern.core.modelled import Strict

Sort = Literal["detector", "order", "expectation"]
Counts = Mapping[str, int]
T = TypeVar("T")


class Run(Strict):
    """`raised`: by detector, how often with which verdict, and how many marks it `missed`; `orders`: by what was ordered, how often with which
    result; `expectations`: what became of each.
    """

    raised: dict[str, dict[str, int]] = Field(default_factory=dict)
    orders: dict[str, dict[str, int]] = Field(default_factory=dict)
    expectations: dict[str, str] = Field(default_factory=dict)


class Difference(NamedTuple):
    """`what` of a thing was `before`, and is `after`; `worse`: it is worse now (None: nobody can say)."""

    sort: Sort
    name: str
    what: str
    before: str
    after: str
    worse: bool | None


GOOD: Mapping[str, bool | None] = {"hit": True, "false": False, "missed": False, "done": True}
LOST = ("busy", "expired", "dropped", "lost")  # ordered, and nothing came of it


def counted(pairs: Iterable[tuple[str, str]]) -> dict[str, dict[str, int]]:
    """Return how often each word stands with each name."""
    out: dict[str, Counter[str]] = {}
    for name, word in pairs:
        out.setdefault(name, Counter())[word] += 1
    return {name: dict(sorted(words.items())) for name, words in out.items()}


def differences(before: Run, after: Run) -> list[Difference]:
    """Return what differs: expectations first, then detectors and orders, by name."""
    out = [
        Difference("expectation", name, "is", one, other, _worse_expected(one, other))
        for name, one, other in _both(before.expectations, after.expectations, "none")
        if one != other
    ]
    out += _counts("detector", before.raised, after.raised)
    return out + _counts("order", before.orders, after.orders)


def _counts(sort: Sort, before: Mapping[str, Counts], after: Mapping[str, Counts]) -> list[Difference]:
    return [
        Difference(sort, name, word, str(one), str(other), _worse(word, other - one))
        for name, was, now in _both(before, after, {})
        for word, one, other in _both(was, now, 0)
        if one != other
    ]


def _both(one: Mapping[str, T], other: Mapping[str, T], nothing: T) -> list[tuple[str, T, T]]:
    return [(key, one.get(key, nothing), other.get(key, nothing)) for key in sorted(one.keys() | other.keys())]


def _worse(word: str, more: int) -> bool | None:
    if word in LOST:
        return more > 0
    good = GOOD.get(word)
    return None if good is None else (more < 0) == good


def _worse_expected(before: str, after: str) -> bool | None:
    if "kept" in (before, after):
        return before == "kept" and after != "none"
    return after == "broken" if after in ("broken", "none") and before != "none" else None
