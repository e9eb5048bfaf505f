"""Strips: pieces join up, the margin holds the value, the proposal is the middle of the widest best stretch."""

from __future__ import annotations

from lantern.core.scoring.marks import Mark
from lantern.core.tuning.measures import Stretch
from lantern.core.tuning.raises import RAISES
from lantern.core.tuning.strips import Evidence, Strip, clipped, pieces_of, shown_range, strip_of, together
from lantern.core.tuning.wishes import Wishes
from lantern.core.units import Quantity


def row(start: float, stop: float, misses: int, false: int, delay: float | None = 1.0) -> Stretch:
    return Stretch(start, stop, (start + stop) / 2, (misses, false, delay))


def strip(
    rows: list[Stretch],
    value: float,
    unit: str = "",
    *,
    high: float = 20,
    step: float = 0.5,
    noise: float | None = None,
    expected: int = 5,
    wishes: dict[str, float] | None = None,
) -> Strip:
    marks = [Mark(at, at + 1, "expect") for at in range(expected)]
    wished = None if wishes is None else Wishes.of(RAISES, wishes)
    judged = Evidence(RAISES, 24.0, RAISES.lacking(marks), RAISES.few(marks), wished, noise)
    return strip_of(rows, low=0, high=high, value=value, step=step, shown=Quantity(unit), by=judged)


ROWS = [
    row(0, 3, 0, 7),
    row(3, 5, 0, 0, 1.0),
    row(5, 9, 0, 0, 2.0),
    row(9, 12, 1, 0),
    row(12, 14, 0, 0),
    row(14, 50, 3, 0),
]


def test_pieces_join_neighbours_of_one_verdict_and_stay_in_the_shown_range() -> None:
    pieces = pieces_of(clipped(ROWS, 1, 20), RAISES)
    assert [(p.start, p.stop, *p.values[:2]) for p in pieces] == [
        (1, 3, 0, 7),
        (3, 9, 0, 0),
        (9, 12, 1, 0),
        (12, 14, 0, 0),
        (14, 20, 3, 0),
    ]


def test_single_values_reach_halfway_to_their_neighbours() -> None:
    pieces = pieces_of(clipped([row(v, v, v, 0) for v in (0, 1, 3)], 0, 4), RAISES)
    assert [(p.start, p.stop) for p in pieces] == [(0, 0.5), (0.5, 2), (2, 4)]


def test_proposal_is_the_middle_of_the_widest_best_stretch() -> None:
    got = strip(ROWS, 1.0, "s")
    assert got.margin == (0, 3)
    assert got.proposed == 6.0
    assert got.text == "proposed 6 s: 0 missed, 0 false"


def test_what_does_no_better_and_comes_later_is_not_proposed() -> None:
    """Any sustain time from 5.5 s on does; the middle of what is shown, 145 s, raises two minutes later than need be."""
    late = [row(at, at + 0.5, 0, 0, at + 0.5) for at in (5.5 + 0.5 * i for i in range(569))]
    got = strip([row(0, 5.5, 0, 4), *late], 1.0, "s", high=290)
    assert got.proposed is not None
    assert 6.5 < got.proposed <= 9
    assert got.text.endswith("; 148 s, the middle of what does, would be later")
    # a second or so later is nothing to anybody, and the middle is the surest
    soon = [row(at, at + 0.5, 0, 0, 0.2 + at / 100) for at in (5.5 + 0.5 * i for i in range(100))]
    assert strip([row(0, 5.5, 0, 4), *soon], 1.0, "s", high=55.5).proposed == 30.5


def test_a_proposal_says_on_how_much_it_rests() -> None:
    marks = [Mark(0, 1, "expect"), Mark(5, 6, "quiet")]
    by = Evidence(RAISES, 24.0, basis=RAISES.basis(marks))
    got = strip_of(ROWS, low=0, high=20, value=1.0, step=0.5, shown=Quantity("s"), by=by)
    assert got.text == "proposed 6 s: 0 missed, 0 false, by 1 mark of what should raise"


def test_few_marks_propose_nothing() -> None:
    """Fewer than five events say little about what is caught (common practice, no source): what a value would do is told."""
    four = strip(ROWS, 1.0, "s", expected=4)
    assert four.proposed is None
    assert four.text.startswith("at 6 s: 0 missed, 0 false; nothing is proposed")
    assert "4 marks of what should raise; 29 caught of 29 would show 90 %" in four.helps[0]
    assert strip(ROWS, 1.0, "s", expected=5).proposed == 6.0
    wished = strip(ROWS, 1.0, "s", expected=4, wishes={"false_per_day": 4})
    assert (wished.proposed, wished.text[:5]) == (None, "at 6 ")
    assert strip(ROWS, 1.0, "s", expected=4, wishes={"false_per_day": 1}).proposed is None


def test_no_proposal_where_it_is_best_already_but_the_margin() -> None:
    got = strip(ROWS, 4.0, "s")
    assert got.proposed is None
    assert got.text == "margin −1 / +5 s"
    assert strip(ROWS, 4.0, "°C", noise=0.05).text == "margin −1 / +5 °C, 20 times the noise"
    assert strip([row(0, 50, 0, 0)], 4.0, "s").text == "margin at least −4 / at least +16 s"
    assert strip([row(0, 50, 0, 0)], 0.0, "s").text == "margin at least +20 s"


def test_it_says_what_a_dial_cannot_do_alone() -> None:
    rows = [row(0, 5, 0, 2), row(5, 9, 1, 0)]
    assert "cannot get below 2 false without a miss" in strip(rows, 1, high=9, step=1).text
    assert strip([row(0, 5, 2, 0), row(5, 9, 1, 3)], 7, high=9, step=1).text.endswith(
        "no value here catches all: 1 missed at best"
    )
    assert "no mark" in strip(rows, 1, high=9, step=1, expected=0).text


def test_nobody_sets_a_dial_to_a_hairs_breadth() -> None:
    rows = [row(0, 5, 0, 2), row(5, 5.1, 0, 0), row(5.1, 8, 0, 1), row(8, 10, 0, 2)]
    assert strip(rows, 1, high=10, step=1).text == "proposed 7: 0 missed, 1 false"  # a tenth of a step is no place


def test_a_wish_is_met_by_the_bound_and_not_by_the_count() -> None:
    # none false in 24 h shows at most 3.00 a day (one-sided, Garwood 1936), so 4 a day is met and 1 a day is not
    met = strip(ROWS, 1.0, "s", wishes={"false_per_day": 4, "delay_s": 1.5})
    assert (met.proposed, met.text) == (4.0, "proposed 4 s: meets the wishes, 0 missed, 0 false, within 1 s")
    short = strip(ROWS, 1.0, "s", expected=3, wishes={"false_per_day": 1})
    assert short.text == "nearest 6 s: 0 missed, 0 false, within 2 s; no value shows the wishes met (false alarms)"
    assert "3 silent days would show the wish" in short.helps[0]
    assert "29 caught of 29 would show 90 %" in short.helps[-1]


def test_takes_together_add_up_over_the_union_of_their_stretches() -> None:
    a = [row(0, 4, 0, 2), row(4, 10, 0, 0)]
    b = [row(0, 6, 0, 1), row(6, 10, 1, 0)]
    got = [(r.start, r.stop, *r.values[:2]) for r in together([a, b], RAISES)]
    assert got == [(0, 4, 0, 3), (4, 6, 0, 1), (6, 10, 1, 0)]
    points = [[row(v, v, v, 1) for v in (1, 2)], [row(v, v, 0, v) for v in (1, 2)]]
    assert [(r.value, *r.values[:2]) for r in together(points, RAISES)] == [(1, 1, 2), (2, 2, 3)]


def test_shown_range_holds_value_and_default() -> None:
    low, high = shown_range(value=30, default=60, low=0, high=1e6, step=1, reach=0)
    assert low == 0
    assert high >= 180
    assert shown_range(value=9, default=1, low=0, high=10, step=1, reach=0)[1] == 10
