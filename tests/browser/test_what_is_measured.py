"""Measurements of a running program run to their end. Last of the browser's tests, for one of them kills the program's parts."""

from __future__ import annotations

from pathlib import Path

import pytest

from measurements import OF_A_PROGRAM, figures_of


@pytest.mark.plays
def test_each_measurement_of_a_program_runs_to_its_end(program: str, program_folder: Path) -> None:
    figures = figures_of(OF_A_PROGRAM, LANTERN_BENCH_PROGRAM=f"{program} {program_folder}")
    assert tuple(figures) == OF_A_PROGRAM
    assert sum(map(len, figures.values())) > 20
