"""What is tuned need not be a detector: a made-up dolly that follows a mark has dials and takes, and no detector's row."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import Any, NamedTuple, Self

import pytest

from lantern.core.dials import Dials, dial, read_dials
from lantern.core.faults import Refused
from lantern.core.scoring.marks import Mark, Slack
from lantern.core.tunable import Tunable
from lantern.core.tuning.measures import AnyYardstick, Card, Figures, Measure, Plain
from lantern.core.tuning.rows import Row
from lantern.core.units import CELSIUS
from lantern.db.base import transaction
from lantern.revisions import RevisionRow
from lantern.takes.tables import TakeRow, marks_of, takes_by_id
from lantern.tune import tuned
from lantern.tune.evidence import Held, strips
from lantern.tune.studies import begin_study, run_study
from lantern.tune.tables import StudyRow, latest_studies
from seeded import Small

DOLLY = 7  # its number


class DollyDials(Dials):
    """It sees what lasts at least `slow_s`, and holds on for `hold_s`."""

    slow_s: float = dial(1.0, unit="s", low=0, high=60, step=0.5, meaning="What is shorter is not followed")
    hold_s: float = dial(0.0, unit="s", low=0, high=60, step=0.5, meaning="So long it looks where something was")


class Lost(NamedTuple):
    lost_s: float


LOSING = Plain(measures=(Measure(name="lost_s", label="seconds lost", form="{} s lost"),))


@dataclass(frozen=True)
class Dolly(Tunable):
    """Loses the seconds of each mark that it sees too late, or not at all."""

    dials: DollyDials
    take_s: float

    @property
    def yardstick(self) -> AnyYardstick:
        return LOSING

    @property
    def length_s(self) -> float:
        return self.take_s

    def with_dials(self, **changes: Any) -> Self:
        return replace(self, dials=read_dials(DollyDials, self.dials.model_dump() | changes))

    def result(self, marks: Sequence[Mark], slack: Slack = Slack()) -> Lost:
        lasts = [mark.end_s - mark.start_s for mark in marks]
        return Lost(sum(min(each, self.dials.slow_s) for each in lasts))

    def exact_dials(self) -> Collection[str]:
        return ()

    def rows_exact(self, *args: Any, **named: Any) -> list[Row]:
        raise NotImplementedError


class TunedDolly(tuned.Tuned):
    sort = "dolly"

    def __init__(self, site_id: int) -> None:
        self.id, self.site_id, self.revision = DOLLY, site_id, 1

    @property
    def yardstick(self) -> AnyYardstick:
        return LOSING

    def reads(self, take: TakeRow) -> bool:
        return True

    def takes(self, session: Any) -> list[TakeRow]:
        return list(session.query(TakeRow))

    def held(self, session: Any, state: Mapping[str, Any], takes: Sequence[TakeRow]) -> list[Held]:
        dials = read_dials(DollyDials, state)
        return [
            Held(Dolly(dials, take.length_s), [row.as_mark() for row in marks_of(session, take.id)]) for take in takes
        ]

    def card(self, session: Any, state: Mapping[str, Any], take: TakeRow) -> Card:
        [held] = self.held(session, state, [take])
        return Figures(LOSING.measures, LOSING.values(held.subject.result(held.marks)))


@pytest.fixture
def dolly(small: Small, monkeypatch: pytest.MonkeyPatch) -> TunedDolly:
    monkeypatch.setitem(tuned.TUNED, "dolly", lambda session, number: TunedDolly(small.site))
    tuned._sorts.cache_clear()
    return TunedDolly(small.site)


def test_it_has_strips_and_a_map_by_its_own_measure(small: Small, dolly: TunedDolly) -> None:
    with transaction() as session:
        held = dolly.held(session, {"slow_s": 1.0}, takes_by_id(session, [small.take]))
        lasts = [mark.end_s - mark.start_s for mark in held[0].marks]
        found = strips(held, None, None, CELSIUS)
        assert set(found) == {"slow_s", "hold_s"}
        assert found["slow_s"]["pieces"][0][2] == 0  # whatever it sees at once it does not lose
        assert found["slow_s"]["pieces"][-1][2] == pytest.approx(sum(lasts))
        asked = {"detector": {}, "takes": [small.take], "wishes": {}, "dial_x": "slow_s", "dial_y": "hold_s"}
        study_id = begin_study(session, dolly, "map", asked).id
    run_study(study_id)
    with transaction() as session:
        study = latest_studies(session, "dolly", DOLLY)["map"]
        assert (study.state, study.site_id) == ("done", small.site)
        assert study.result["values"]["lost_s"][0][0] == 0
        assert latest_studies(session, "detector", DOLLY) == {}
        with pytest.raises(Refused, match="one of map, rejudge"):
            begin_study(session, dolly, "advice", asked)


def test_its_revisions_are_judged_again(small: Small, dolly: TunedDolly) -> None:
    with transaction() as session:
        kept = [{"take": small.take, "name": "T", "card": {"lost_s": 0.0}}]
        said = {"site_id": small.site, "what": "dolly", "subject_id": DOLLY, "name": "Dolly", "reason": "first"}
        session.add(RevisionRow(number=1, body={"slow_s": 2.0}, facts={"scores": kept}, **said))
        session.flush()
        study_id = begin_study(session, dolly, "rejudge", {"take": small.take}).id
    run_study(study_id)
    with transaction() as session:
        study = session.get_one(StudyRow, study_id)
        assert study.state == "done", study.faults
        [line] = study.result["lines"]
        assert line["number"] == 1
        assert line["worse"]  # it loses seconds here, and lost none when it was saved
        assert line["text"].endswith("0 s lost when it was saved")


def test_a_sort_that_there_is_not(small: Small) -> None:
    with transaction() as session, pytest.raises(Refused, match="there is no sort 'kite'"):
        tuned.tuned_of(session, "kite", 1)
