"""Run lengths of control charts against published figures and against charts that are run."""

from __future__ import annotations

import numpy as np
import pytest

from checks import check
from lantern.core.readings.heat.charts import cusum_run, drift_noticed, ewma_deviation, ewma_run, plain_run


def test_as_published() -> None:
    i, expected = check("D21")
    assert ewma_deviation(i["lam"], i["sigma"]) == expected
    i, expected = check("D22")
    assert [ewma_run(i["lam"], i["L"], shift) for shift in (0, 1)] == expected
    i, expected = check("D23")
    assert [cusum_run(i["k"], i["h"], shift) for shift in (0, 1)] == expected
    _, expected = check("D24")
    assert plain_run() == expected


def test_charts_that_are_run_last_as_long() -> None:
    """Two thousand seeded charts of a drift by one standard deviation; the mean within four standard errors."""
    rng = np.random.default_rng(7)
    x = rng.normal(1.0, 1.0, (2000, 400))
    z, s = np.zeros(2000), np.zeros(2000)
    ends_z, ends_s = np.zeros(2000), np.zeros(2000)
    limit = 2.962 * ewma_deviation(0.2)
    for i in range(400):
        z = 0.2 * x[:, i] + 0.8 * z
        s = np.maximum(0, s + x[:, i] - 0.5)
        ends_z[(ends_z == 0) & (np.abs(z) > limit)] = i + 1
        ends_s[(ends_s == 0) & (s > 5)] = i + 1
    assert (ends_z > 0).all() and (ends_s > 0).all()
    for ends, expected in ((ends_z, ewma_run(shift=1)), (ends_s, cusum_run(shift=1))):
        assert ends.mean() == pytest.approx(expected, abs=4 * ends.std() / np.sqrt(2000))


def test_a_chart_notices_sooner_and_is_false_more_seldom() -> None:
    found = drift_noticed()
    assert found.plain[0] > 4 * found.ewma[0]
    assert found.ewma[1] > found.plain[1]
    assert found.cusum[1] > found.plain[1]
