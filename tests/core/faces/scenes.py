"""Made-up looks for tests: a list's members and strangers, with scores of one person and of two."""

from __future__ import annotations

from collections.abc import Sequence
from typing import Any

import numpy as np

from lantern.core.faces.detector import FaceDetector
from lantern.core.faces.family import FACE
from lantern.core.faces.looks import Column, Look, Looks
from lantern.core.faces.subject import FaceSubject, judge

Row = tuple[float, str, Sequence[tuple[str, float]]]  # time, probe, (candidate, score) each


def looks_of(rows: Sequence[Row], mated: Sequence[int] | None = None, **more: Any) -> Looks:
    """Looks as they are written, in order of time."""
    pairs = [pair for _, _, own in rows for pair in own]
    return Looks(
        t_s=np.array([t for t, _, _ in rows], dtype=np.float64),
        probe=tuple(probe for _, probe, _ in rows),
        first=np.concatenate(([0], np.cumsum([len(own) for _, _, own in rows]))).astype(np.intp),
        score=np.array([score for _, score in pairs], dtype=np.float64),
        candidate=Column.of([name for name, _ in pairs]),
        mated=np.array([-1] * len(pairs) if mated is None else mated, dtype=np.int8),
        **more,
    )


def one_by_one(looks: Looks) -> list[tuple[float, Look]]:
    """The same as a device sends them."""
    out = []
    for at in range(len(looks)):
        rows = range(int(looks.first[at]), int(looks.first[at + 1]))
        pairs = tuple((looks.candidate.at(row), float(looks.score[row])) for row in rows)
        out.append((float(looks.t_s[at]), Look(looks.probe[at], pairs, looks.group_of(at))))
    return out


def detector(lists: Sequence[tuple[str, float | None, Sequence[str]]], **dials: Any) -> FaceDetector:
    held = [{"name": name, "threshold": threshold, "members": list(members)} for name, threshold, members in lists]
    return FaceDetector.model_validate({"name": "door", "kind": "face", "lists": held, "dials": dials})


def subject(rows: Sequence[Row], lists: Sequence[tuple[str, float | None, Sequence[str]]], **dials: Any) -> FaceSubject:
    return judge(detector(lists, **dials), FACE, looks_of(rows))


def seen(times: Sequence[float], name: str = "ada", score: float = 90.0) -> list[Row]:
    """The same face again and again, alike each time."""
    return [(t, f"p{at}", [(name, score)]) for at, t in enumerate(times)]


def wandering(rng: np.random.Generator, count: int = 80) -> Looks:
    """Random looks with equal scores, equal times, and looks without a member."""
    names = [f"c{n}" for n in range(5)]
    t_s = np.sort(rng.integers(0, 200, count) / 2.0)
    rows = []
    for at, t in enumerate(t_s.tolist()):
        own = rng.choice(names, rng.integers(1, 5), replace=False).tolist()
        rows.append((t, f"p{at}", [(name, float(rng.integers(40, 100))) for name in own]))
    words = [str(rng.choice(["worn", "none", ""])) for _ in rows]
    by_row = [word for word, (_, _, own) in zip(words, rows, strict=True) for _ in own]
    return looks_of(rows, groups={"mask": Column.of(by_row)})
