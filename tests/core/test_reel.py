"""Which samples go on a recording, worked by hand: one a second, held for three seconds before an event, five after it."""

from __future__ import annotations

from lantern.core.reel import Held, Reel


def run(reel: Reel, wanted: dict[int, float], seconds: int, *, hours: range = range(0)) -> dict[int, list[int]]:
    """By the second at which something went on the recording: which samples."""
    out: dict[int, list[int]] = {}
    for t in range(seconds):
        if t in wanted:
            reel.want(t + wanted[t])
        offer = reel.offer(Held(float(t), t, 10, float(t)), always=t in hours)
        if offer.goes:
            out[t] = [held.value for held in offer.goes]
        assert offer.begins == (bool(offer.goes) and t - 1 not in out)
        assert offer.ends == (not offer.goes and t - 1 in out)
    return out


def test_around_an_event_what_came_before_goes_along() -> None:
    got = run(Reel(before_s=3), {10: 5}, 30)
    assert got[10] == [7, 8, 9, 10]
    assert list(got) == [10, 11, 12, 13, 14, 15]  # up to 15, which is wanted still
    assert [each for at in list(got)[1:] for each in got[at]] == [11, 12, 13, 14, 15]


def test_a_second_event_prolongs_it_and_nothing_goes_twice() -> None:
    got = run(Reel(before_s=3), {10: 5, 14: 5, 24: 2}, 40)
    every = [each for goes in got.values() for each in goes]
    assert every == [*range(7, 20), *range(21, 27)]
    assert len(set(every)) == len(every)


def test_set_hours_take_all_and_nothing_is_held_that_is_not_asked_for() -> None:
    got = run(Reel(), {}, 20, hours=range(5, 9))
    assert got == {5: [5], 6: [6], 7: [7], 8: [8]}


def test_what_is_held_is_bounded_in_bytes() -> None:
    reel = Reel(before_s=1000, most=55)
    for t in range(20):
        reel.offer(Held(float(t), t, 10, float(t)))
    assert [held.value for held in reel.ring] == [15, 16, 17, 18, 19]
    assert reel.held == 50
    reel.want(20.0)
    assert [held.value for held in reel.offer(Held(20.0, 20, 10, 20.0)).goes] == [15, 16, 17, 18, 19, 20]
    assert reel.held == 0


def test_what_is_held_longer_goes_along_only_where_it_is_wanted() -> None:
    """One holder wants two seconds before, another as much as is held: the longer wish counts, once."""
    reel = Reel(before_s=6)
    got = {}
    for t in range(20):
        if t in (10, 18):
            reel.want(t + 1, back_s=2)
        if t == 10:
            reel.want(t + 1, back_s=4)
        got[t] = [held.value for held in reel.offer(Held(float(t), t, 10, float(t))).goes]
    assert got[10] == [6, 7, 8, 9, 10]
    assert got[18] == [16, 17, 18]
