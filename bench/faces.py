"""10,000,000 scores to an exact curve with intervals, a threshold dragged over 1,000,000, looks as they come live, to the coil; against
scikit-learn's curve with one plain bootstrap.
"""

from __future__ import annotations

import resource
import time
from collections.abc import Iterator
from dataclasses import replace

import numpy as np

from bench.door import at_the_door
from bench.figures import Figure, seconds, sized
from lantern.core.faces.alarms import traffic_of, wished
from lantern.core.faces.detector import FaceDetector
from lantern.core.faces.family import FACE
from lantern.core.faces.list_size import growth, missed
from lantern.core.faces.looks import NON_MATED, Column, Look, Looks
from lantern.core.faces.resampling import band
from lantern.core.faces.scores import scores_of
from lantern.core.faces.subject import judge
from lantern.core.faces.watch import FaceWatch
from lantern.core.watch import Sample

MANY, SOME = sized((10_000, 1000), (200, 50)), sized((40_000, 25), (400, 5))  # looks, and candidates of each
THRESHOLDS, RESAMPLES = sized(2000, 50), sized(200, 20)
LIVE_LOOKS, LIVE_CANDIDATES = sized(5000, 100), 29
MIB = 2**20


def looks_of(count: int, candidates: int, seed: int = 5) -> Looks:
    """Every look is held against all candidates; a twentieth are of one of them, and five looks are of one person."""
    rng = np.random.default_rng(seed)
    score = rng.normal(40, 12, (count, candidates))
    who = np.where(rng.random(count) < 0.05, rng.integers(0, candidates, count), -1)
    known = np.flatnonzero(who >= 0)
    score[known, who[known]] = rng.normal(85, 6, known.size)
    mated = np.zeros((count, candidates), dtype=np.int8)
    mated[known, who[known]] = 1
    subject = np.arange(count, dtype=np.int32) // 5
    return Looks(
        t_s=np.arange(count) * (86_400 / count),
        probe=tuple(f"p{at}" for at in range(count)),
        first=np.arange(0, count * candidates + 1, candidates),
        score=np.round(score.ravel(), 3),
        candidate=Column(
            np.tile(np.arange(candidates, dtype=np.int32), count), tuple(f"m{at}" for at in range(candidates))
        ),
        mated=mated.ravel(),
        groups={
            "subject": Column(np.repeat(subject, candidates), tuple(f"s{at}" for at in range(int(subject.max()) + 1)))
        },
        scale=(-100.0, 200.0),
    )


def plain(looks: Looks) -> None:
    """What a general library does: its curve, and the curve of one draw of single comparisons."""
    from sklearn.metrics import det_curve  # 90 MiB, which other measurements of memory must not see

    det_curve(looks.mated, looks.score)
    rows = np.random.default_rng(1).integers(0, looks.score.size, looks.score.size)
    det_curve(looks.mated[rows], looks.score[rows])


def exact_with_intervals(looks: Looks) -> None:
    scores = scores_of(looks)
    assert scores.curve[0].size
    thresholds = np.linspace(40.0, 99.0, THRESHOLDS)
    assert band(looks, NON_MATED, thresholds, errors_above=True, resamples=RESAMPLES) is not None


def drag(looks: Looks, members: tuple[str, ...], threshold: float) -> None:
    """All that follows a threshold that is dragged: raises, rates, a wish, growth with the list."""
    lists = [{"name": "all", "members": members}]
    own = FaceDetector.model_validate({"name": "d", "kind": "face", "lists": lists, "dials": {"threshold": threshold}})
    judge(own, FACE, looks).result([])
    scores, traffic = scores_of(looks), traffic_of(looks)
    assert scores.fmr(threshold) is not None
    assert scores.fnmr(threshold) is not None
    assert traffic is not None
    wished(scores, traffic, 0.5, len(members))
    sizes = np.unique(np.round(np.geomspace(1, 1000, 31)))
    growth(looks, threshold, sizes)
    missed(looks, threshold, sizes)


def live(count: int) -> list[float]:
    """Milliseconds that each look takes in the decision."""
    members = [f"m{at}" for at in range(LIVE_CANDIDATES)]
    own = FaceDetector.model_validate({"name": "d", "kind": "face", "lists": [{"name": "all", "members": members}]})
    watch, rng, out = FaceWatch(own, FACE, {}), np.random.default_rng(2), []
    for at in range(count):
        scores = rng.normal(50, 15, LIVE_CANDIDATES).tolist()
        look = Look(f"p{at}", tuple(zip(members, scores, strict=True)))
        began = time.perf_counter()
        list(watch.step(Sample("faces", at * 0.012, [look]), 0.012))
        out.append((time.perf_counter() - began) * 1000)
    return out


def run() -> Iterator[Figure]:
    some = looks_of(*SOME)
    members = some.candidate.words
    drag(some, members, 80.0)  # sorted once, as on the page
    times = [seconds(lambda value=value: drag(some, members, value)) for value in np.linspace(60, 95, 15).tolist()]
    yield Figure(f"a threshold dragged over {some.score.size} scores, median", 1000 * float(np.median(times)), "ms", 50)
    taken = np.sort(live(LIVE_LOOKS))
    yield Figure("a live look in the decision, p99", float(taken[int(0.99 * taken.size)]), "ms", 10)
    yield from at_the_door()
    many = looks_of(*MANY)
    own_s = seconds(lambda: exact_with_intervals(replace(many)))  # which remembers nothing
    yield Figure(f"{many.score.size} scores, intervals at {THRESHOLDS} thresholds", own_s, "s", 10)
    yield Figure("memory at most", resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024, "MiB", 1500)
    plain_s = seconds(lambda: plain(many))
    yield Figure("scikit-learn's curve with one plain bootstrap", plain_s, "s")
    yield Figure(f"curve and {RESAMPLES} resamples by people, of that", own_s / plain_s, "times")
