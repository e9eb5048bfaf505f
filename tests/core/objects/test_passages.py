"""Walking through once each way: right, wrong, or not decided yet."""

from __future__ import annotations

import pytest

from lantern.core.objects.counting.passages import PassageTest


@pytest.mark.parametrize(
    ("came", "left", "verdict", "words"),
    [
        (0, 0, "open", "nobody in yet, nobody out yet"),
        (1, 0, "open", "one in: right, nobody out yet"),
        (1, 1, "right", "one in: right, one out: right. Verified."),
        (2, 0, "wrong", "2 in: wrong, nobody out yet. Not verified."),
        (1, 3, "wrong", "one in: right, 3 out: wrong. Not verified."),
    ],
)
def test_what_was_counted_since(came: int, left: int, verdict: str, words: str) -> None:
    test = PassageTest(came, left)
    assert (test.verdict, test.words) == (verdict, words)
