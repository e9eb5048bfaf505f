"""Every reader, fed with damaged files: each is refused with a fault list, or believed and within the limits; nothing else.

The mutations, and what must hold, are those of `python -m bench fuzz`, which tries a million of them.
"""

from __future__ import annotations

import random
import tempfile
from pathlib import Path

import pytest
from bench.fuzz import CPU_S, drive, mutated, one, seeds
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st

from lantern.core.faults import Refused

quick = settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.too_slow])


def refused_or_believed(reader: str, files: dict[str, bytes]) -> None:
    with tempfile.TemporaryDirectory() as folder:
        try:
            drive(reader, files, Path(folder))
        except Refused as error:
            assert error.faults
            for fault in error.faults:
                assert all((fault.where, fault.what, fault.expected)), fault


@pytest.mark.parametrize("reader", list(seeds()))
def test_undamaged_files_are_believed(reader: str, tmp_path: Path) -> None:
    drive(reader, dict(seeds()[reader]), tmp_path)


@pytest.mark.filterwarnings("ignore")  # of arithmetic on numbers that nobody means
@pytest.mark.parametrize("reader", list(seeds()))
@quick
@given(rng=st.randoms(use_true_random=False))
def test_damaged_files_are_refused_or_harmless(reader: str, rng: random.Random) -> None:
    refused_or_believed(reader, mutated(rng, dict(seeds()[reader])))


@pytest.mark.filterwarnings("ignore")
@pytest.mark.parametrize("reader", list(seeds()))
@quick
@given(data=st.binary(max_size=300), at=st.integers(0, 10))
def test_any_bytes_at_all(reader: str, data: bytes, at: int) -> None:
    files = dict(seeds()[reader])
    names = [name for name, content in files.items() if content]
    refused_or_believed(reader, files | {names[at % len(names)]: data})


def test_a_mutation_is_told_by_its_seed_and_number_alone(tmp_path: Path) -> None:
    first = [one(3, number, tmp_path) for number in range(30)]
    again = [one(3, number, tmp_path) for number in range(30)]
    assert [each[:2] for each in first] == [each[:2] for each in again]
    assert {came for _, came, _ in first} <= {"refused", "believed"}
    assert max(took_s for *_, took_s in first) < CPU_S
