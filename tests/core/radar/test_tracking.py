"""Bare detections become targets: gains and gates by their formulas and another library, who is followed, what is dropped and why."""

from __future__ import annotations

import math
from datetime import datetime, timedelta

import numpy as np
import pytest
from scipy.stats import f as f_distribution

from checks import check
from lantern.core.faults import Refused
from lantern.core.radar.returns import Return, Returns
from lantern.core.radar.tracking.clutter import learnt
from lantern.core.radar.tracking.dials import Tracking
from lantern.core.radar.tracking.following import followed, mend
from lantern.core.radar.tracking.gates import cfar_factor, gate_of, squared_distance
from lantern.core.radar.tracking.tracker import FATES, Tracker
from lantern.core.smoothing import kalata

Seen = tuple[float, float, float, float, float]  # time, x, y, speed towards the radar, size


def bare(rows: list[Seen], snr_db: list[float] | None = None, noise_cells: int | None = None) -> Returns:
    order = sorted(range(len(rows)), key=lambda at: rows[at][0])
    t, x, y, speed, size = np.array([rows[at] for at in order], dtype=np.float64).T
    return Returns(
        t_s=t,
        target=np.zeros(t.size, dtype=np.intp),
        range_m=np.hypot(x, y),
        azimuth_deg=np.degrees(np.arctan2(x, y)),
        speed_mps=speed,
        rcs_dbsm=size,
        ids=("",),
        snr_db=None if snr_db is None else np.array([snr_db[at] for at in order], dtype=np.float64),
        noise_cells=noise_cells,
    )


def walker(
    rng: np.random.Generator, start: tuple[float, float], speed: tuple[float, float], times: np.ndarray
) -> list[Seen]:
    out = []
    for t in times.tolist():
        x, y = start[0] + speed[0] * t, start[1] + speed[1] * t
        away, aside = math.hypot(x, y) + rng.normal(0, 0.1), math.atan2(x, y) + math.radians(rng.normal(0, 0.7))
        radial = (x * speed[0] + y * speed[1]) / math.hypot(x, y)
        out.append((round(t, 3), away * math.sin(aside), away * math.cos(aside), radial + rng.normal(0, 0.05), 0.0))
    return out


def test_gains_and_gates_are_those_of_the_handbooks() -> None:
    inputs, expected = check("H09")
    found = [value for index in inputs["lambda"] for value in kalata(index)]
    assert found == expected
    assert gate_of(99) == check("G19")[1]


def test_a_gate_compares_the_distance_in_spreads() -> None:
    given, expected = check("G20")
    apart = squared_distance(tuple(given["nu_m"]), tuple(map(tuple, given["S"])))
    assert [apart, apart <= gate_of(99)] == expected


def test_the_threshold_over_noise_is_the_closed_formula_and_gives_that_many_false_alarms() -> None:
    given, expected = check("G16")
    assert cfar_factor(given["N"], given["Pfa"]) == expected
    for cells, probability in (
        (8, 1e-3),
        (16, 1e-4),
        (64, 1e-6),
    ):  # a cell over a mean of N cells goes by an F distribution
        assert f_distribution.sf(cfar_factor(cells, probability), 2, 2 * cells) == pytest.approx(probability)
    # noise of exponential power, its mean taken of 16 other cells: counted, not computed
    rng = np.random.default_rng(3)
    cells, noise = rng.exponential(1.0, 400_000), rng.exponential(1.0, (400_000, 16)).mean(axis=1)
    false = float((cells > cfar_factor(16, 1e-2) * noise).mean())
    assert false == pytest.approx(1e-2, rel=0.08)
    with pytest.raises(Refused):
        cfar_factor(0, 1e-3)


def test_two_who_cross_are_kept_apart_by_the_best_assignment_in_all() -> None:
    rng = np.random.default_rng(7)
    times = np.arange(0, 20, 0.2)
    one, other = walker(rng, (-12, 20), (1.2, 0.0), times), walker(rng, (12, 20.5), (-1.2, 0.0), times + 0.0)
    returns = bare(one + other)
    done = followed(returns, Tracking())
    assert len(done.returns.ids) == 2
    assert not done.breaks
    for target in (0, 1):
        mine = done.returns.target == target
        x = done.returns.places[0][mine]
        assert abs(x[-1] - x[0]) > 20  # each goes on to the other side
    assert done.counts["followed"] == len(returns) - 2 * 2  # but for the first two of each, before it is a target


def test_an_assignment_is_the_least_in_all_and_not_each_ones_nearest() -> None:
    """By hand: two tracks at 0 and 1 m, detections at 0.9 and 2.1 m: the nearest of both is 0.9; in all 0.9 to 0 and 2.1 to 1 is least."""
    tracker = Tracker(Tracking(range_sigma_m=1.0, azimuth_sigma_deg=3.0, acceleration_mps2=0.05, confirm_hits=1))
    for step in range(40):
        tracker.step(step / 10, [Return("", 20.0, 0.0, 0.0, 0.0), Return("", 21.0, 0.0, 0.0, 0.0)])
    out, _ = tracker.step(4.0, [Return("", 20.9, 0.0, 0.0, 0.0), Return("", 22.1, 0.0, 0.0, 0.0)])
    assert [each.target for each in out] == ["t1", "t2"]


def test_speeds_and_places_agree_with_another_librarys_model_of_range_rate() -> None:
    """A filter of stonesoup with its model of bearing, range and range rate, over the same detections: both end where the walker is."""
    from stonesoup.models.measurement.nonlinear import CartesianToBearingRangeRate2D
    from stonesoup.models.transition.linear import CombinedLinearGaussianTransitionModel, ConstantVelocity
    from stonesoup.predictor.kalman import ExtendedKalmanPredictor
    from stonesoup.types.detection import Detection
    from stonesoup.types.hypothesis import SingleHypothesis
    from stonesoup.types.state import GaussianState
    from stonesoup.updater.kalman import ExtendedKalmanUpdater

    rng = np.random.default_rng(11)
    times = np.arange(0, 15, 0.2)
    rows = walker(rng, (-9, 24), (1.1, -0.6), times)
    truth = (-9 + 1.1 * times[-1], 24 - 0.6 * times[-1])
    tracker = Tracker(Tracking(acceleration_mps2=0.3, range_sigma_m=0.1, azimuth_sigma_deg=0.7))
    began = datetime(2026, 3, 14, 6, 10)
    model = CartesianToBearingRangeRate2D(
        ndim_state=4,
        mapping=(0, 2),
        velocity_mapping=(1, 3),
        noise_covar=np.diag([math.radians(0.7) ** 2, 0.1**2, 0.05**2]),
    )
    steady = CombinedLinearGaussianTransitionModel([ConstantVelocity(0.05), ConstantVelocity(0.05)])
    predictor, updater = ExtendedKalmanPredictor(steady), ExtendedKalmanUpdater(model)
    x, y = rows[0][1], rows[0][2]
    state = GaussianState([[x], [0], [y], [0]], np.diag([0.3**2, 2.0, 0.3**2, 2.0]), timestamp=began)
    for t, x, y, radial, _ in rows:
        tracker.step(t, [Return("", math.hypot(x, y), math.degrees(math.atan2(x, y)), radial, 0.0)])
        moment = began + timedelta(seconds=t)
        measured = Detection(
            [[math.atan2(y, x)], [math.hypot(x, y)], [radial]], timestamp=moment, measurement_model=model
        )
        state = updater.update(SingleHypothesis(predictor.predict(state, timestamp=moment), measured))
    [track] = tracker.tracks
    theirs = [float(each) for each in state.state_vector]
    assert (theirs[0], theirs[2]) == pytest.approx(truth, abs=0.3)
    assert (track.x, track.y) == pytest.approx(truth, abs=0.3)
    assert (track.vx, track.vy) == pytest.approx((theirs[1], theirs[3]), abs=0.25)


def test_each_threshold_drops_what_it_says() -> None:
    rng = np.random.default_rng(5)
    times = np.arange(0, 12, 0.2)
    somebody = walker(rng, (-6, 18), (1.0, -0.4), times)
    noise = [
        (round(t, 3), *rng.uniform((-20, 5), (20, 40)), float(rng.normal()), 0.0)
        for t in times.tolist()
        for _ in range(2)
    ]
    snr = [20.0] * len(somebody) + [float(each) for each in rng.uniform(3, 11, len(noise))]
    returns = bare(somebody + noise, snr, noise_cells=16)
    everything = followed(returns, Tracking())
    assert everything.counts["weak"] == 0
    strong = followed(returns, Tracking(min_snr_db=12.0))
    assert strong.counts["weak"] == len(noise)
    assert strong.counts["followed"] == len(somebody) - 2
    by_rate = followed(returns, Tracking(false_alarm_exponent=6.0))
    least_db = 10 * math.log10(21.941979)  # G16
    assert by_rate.counts["weak"] == sum(each < least_db for each in snr)


def test_what_always_answers_is_learnt_and_told_from_who_walks_over_it() -> None:
    rng = np.random.default_rng(2)
    times = np.arange(0, 30, 0.2)
    fence = [
        (
            round(t, 3),
            4.0 + rng.normal(0, 0.05),
            15.0 + rng.normal(0, 0.1),
            0.3 * math.sin(t),
            -5.0 + rng.normal(0, 0.5),
        )
        for t in times.tolist()
    ]
    quiet = bare(fence)
    known = learnt(quiet, np.ones(len(quiet), dtype=np.bool_))
    assert known.moments == len(times)
    assert 1 <= len(known.cells) <= 4
    assert [level for *_, level in known.cells] == pytest.approx([-5.0] * len(known.cells), abs=1.0)
    once = bare([*fence, (10.0, -9.0, 21.0, 0.0, 3.0)])  # what answered in one moment of 150 is no clutter
    assert learnt(once, np.ones(len(once), dtype=np.bool_)).cells == known.cells
    somebody = [(t, x, y, v, 6.0) for t, x, y, v, _ in walker(rng, (-8, 15), (1.0, 0.0), times)]
    both = bare(fence + somebody)
    done = followed(both, Tracking(clutter_db=6.0), known)
    assert done.counts["clutter"] > 0.9 * len(fence)
    assert done.counts["followed"] == len(somebody) - 2
    assert not done.breaks
    without = followed(both, Tracking(), known)
    assert without.counts["clutter"] == 0
    # beneath somebody who was followed on their way the map stays as it was
    walked_over = learnt(both, np.ones(len(both), dtype=np.bool_), moving=np.flatnonzero(both.rcs_dbsm > 0).tolist())
    assert max(level for *_, level in walked_over.cells) < 0.0


def test_a_target_that_breaks_off_is_counted_and_the_dial_that_mends_it_is_said() -> None:
    rng = np.random.default_rng(1)
    times = np.array([t for t in np.arange(0, 20, 0.2) if not 8 < t < 9.6])  # behind a bollard for 1.6 s
    returns = bare(walker(rng, (-10, 20), (1.0, 0.0), times))
    broken = followed(returns, Tracking(give_up_s=1.0))
    assert [(each.target, each.again) for each in broken.breaks] == [("t1", "t2")]
    assert mend(returns, Tracking(give_up_s=1.0)) == ("give_up_s", 2.0, 0)
    whole = followed(returns, Tracking(give_up_s=2.0))
    assert not whole.breaks
    assert len(whole.returns.ids) == 1
    assert mend(returns, Tracking(give_up_s=2.0)) is None


def test_live_follows_as_on_takes() -> None:
    rng = np.random.default_rng(21)
    times = np.arange(0, 15, 0.2)
    rows = walker(rng, (-9, 24), (1.1, -0.6), times) + walker(rng, (9, 15), (-0.3, 0.9), times)
    rows += [(round(t, 3), *rng.uniform((-20, 5), (20, 40)), 0.0, 0.0) for t in times.tolist()]
    returns = bare(rows)
    done = followed(returns, Tracking())
    tracker, live = Tracker(Tracking()), []
    for t in np.unique(returns.t_s).tolist():
        at = np.flatnonzero(returns.t_s == t)
        scan = [
            Return(
                "",
                *(
                    float(column[i])
                    for column in (returns.range_m, returns.azimuth_deg, returns.speed_mps, returns.rcs_dbsm)
                ),
            )
            for i in at
        ]
        live += [(t, each.target, each.range_m) for each in tracker.step(t, scan)[0]]
    assert live == [
        (float(done.returns.t_s[i]), done.returns.ids[int(done.returns.target[i])], float(done.returns.range_m[i]))
        for i in range(len(done.returns))
    ]
    assert set(done.counts) == set(FATES)
