"""Documents as models: each fault is told with its key as it was written, and a union's other branches are no faults."""

from __future__ import annotations

import pytest

from lantern.core.faults import Refused
from lantern.core.kinds import detector_of

PLATE = {"name": "a", "kind": "plate", "device": "P1", "regions": []}


def test_what_is_wrong_in_one_branch_of_a_union_is_all_that_is_told() -> None:
    """It told "lists.0.str: expected a valid string" beside the date that was wrong."""
    with pytest.raises(Refused) as told:
        detector_of(PLATE | {"lists": [{"name": "crew", "entries": [{"text": "AB12", "from": "x"}]}]})
    assert [fault.where for fault in told.value.faults] == ["detector: lists.0.entries.0.from"]


def test_what_fits_no_branch_is_told_of_each() -> None:
    with pytest.raises(Refused) as told:
        detector_of(PLATE | {"lists": [5]})
    assert len(told.value.faults) == 2
