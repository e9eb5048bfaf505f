"""What a site is expected to do, as sentences that a rehearsal keeps, breaks, or does not show."""

from __future__ import annotations

from bisect import bisect_right
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Annotated, Any, Literal, Self

from pydantic import Field, model_validator

from lantern.core.linking.whole import Line, Shown
from lantern.core.modelled import Strict
from lantern.core.rule import TIME_TOLERANCE_S

Name = Annotated[str, Field(min_length=1, max_length=200)]
Word = Literal["kept", "broken", "not shown"]


class When(Strict):
    """Events of one cause, raised from `from_s` to `to_s` (of the take, or of the rehearsal where `take` is null); both null: all."""

    detector: Name | None = None
    compound: Name | None = None
    input: Name | None = None
    take: Name | None = None
    from_s: float | None = None
    to_s: float | None = None

    @model_validator(mode="after")
    def _of_one(self) -> Self:
        if sum(each is not None for each in (self.detector, self.compound, self.input)) != 1:
            raise ValueError("give detector, compound or input, and one of them")
        if self.from_s is not None and self.to_s is not None and self.to_s < self.from_s:
            raise ValueError(f"to_s {self.to_s:g} is before from_s {self.from_s:g}")
        return self

    @property
    def of(self) -> tuple[str, str]:
        """What sort of cause, and its name."""
        for what in ("detector", "compound", "input"):
            name = getattr(self, what)
            if name is not None:
                return what, name
        raise AssertionError("one of them is there")


class Must(Strict):
    """An order of that sort on that thing, that starts within so long after the event is raised."""

    do: Name = "switch"
    on: Name
    within_s: float = Field(ge=0)


class Expectation(Strict):
    name: Name
    when: When
    must: tuple[Must, ...] = ()
    must_not: tuple[Must, ...] = ()

    @model_validator(mode="after")
    def _says_something(self) -> Self:
        if not self.must and not self.must_not:
            raise ValueError("give must, or must_not: it expects nothing")
        return self


@dataclass(frozen=True)
class Outcome:
    name: str
    result: Word
    because: str

    def as_dict(self) -> dict[str, Any]:
        return {"expectation": self.name, "result": self.result, "because": self.because}


def judged(
    expectations: Sequence[Expectation], lines: Sequence[Line], takes: Mapping[str, Sequence[float]]
) -> list[Outcome]:
    """Return what became of each. `takes`: when each take begins, s of the rehearsal; several times, rising, where it is played again."""
    by_event: dict[tuple[str, str], list[Shown]] = {}
    orders: dict[tuple[Any, ...], list[Line]] = {}
    for line in lines:
        if line.shown is not None:
            by_event.setdefault((line.shown.what, line.shown.name), []).append(line.shown)
        if line.ordered_by is not None:
            orders.setdefault(line.ordered_by, []).append(line)
    return [_judged(each, by_event.get(each.when.of, []), orders, takes) for each in expectations]


def _judged(
    expected: Expectation,
    events: Sequence[Shown],
    orders: Mapping[tuple[Any, ...], Sequence[Line]],
    takes: Mapping[str, Sequence[float]],
) -> Outcome:
    shown = [each for each in events if _meant(expected.when, each, takes)]
    if not shown:
        return Outcome(expected.name, "not shown", f"No such event: nothing of {expected.when.of[1]} was raised then.")
    for each in shown:
        own = orders.get(each.place, ())
        for must in expected.must:
            if not any(_does(must, line, each) for line in own):
                return Outcome(expected.name, "broken", _why(must, each, own))
        for must in expected.must_not:
            if any(_does(must, line, each) for line in own):
                because = f"{must.do} on {must.on} came of what was raised at {each.raised_s:g} s, which it must not."
                return Outcome(expected.name, "broken", because)
    words = "of the one event" if len(shown) == 1 else f"of each of {len(shown)} events"
    return Outcome(expected.name, "kept", f"All that is expected came {words}.")


def _meant(when: When, each: Shown, takes: Mapping[str, Sequence[float]]) -> bool:
    if when.take is not None and each.take != when.take:
        return False
    t = each.raised_s
    if when.take is not None:
        began = takes.get(when.take, (0.0,))
        t -= began[max(bisect_right(began, t + TIME_TOLERANCE_S) - 1, 0)]
    after = when.from_s is None or t >= when.from_s - TIME_TOLERANCE_S
    return after and (when.to_s is None or t <= when.to_s + TIME_TOLERANCE_S)


def _does(must: Must, line: Line, each: Shown) -> bool:
    said = line.said
    if said["do"] != must.do or said["on"] != must.on or said["from_s"] is None:
        return False
    return bool(said["from_s"] - each.raised_s <= must.within_s + TIME_TOLERANCE_S)


def _why(must: Must, each: Shown, own: Sequence[Line]) -> str:
    """Return at which station it was lost."""
    begins = (
        f"{must.do} on {must.on} did not start within {must.within_s:g} s of what was raised at {each.raised_s:g} s: "
    )
    of_it = [line.said for line in own if line.said["do"] == must.do and line.said["on"] == must.on]
    late = next((said for said in of_it if said["from_s"] is not None), None)
    if late is not None:
        return begins + f"it started {late['from_s'] - each.raised_s:g} s after it."
    if of_it:
        return begins + f"{of_it[0]['result']}: {of_it[0]['because']}"
    asleep = "it was asleep by its own timetable." if each.asleep else "no link orders it, or the link was asleep."
    return begins + asleep
