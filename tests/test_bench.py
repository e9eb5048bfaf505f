"""Every measurement that needs no running program runs to its end."""

from __future__ import annotations

from measurements import OF_A_PROGRAM, figures_of


def test_each_measurement_runs_to_its_end() -> None:
    from bench.__main__ import ALL

    alone = tuple(name for name in ALL if name not in OF_A_PROGRAM)
    figures = figures_of(alone)
    assert tuple(figures) == alone
    assert sum(map(len, figures.values())) > 40
