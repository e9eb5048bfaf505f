"""What a face device gave: looks in order of time, each with candidates and scores."""

from __future__ import annotations

from collections.abc import Callable, Hashable, Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any, TypeVar

import numpy as np
from numpy.typing import NDArray

from lantern.core.signals import Floats
from lantern.core.watching import Indices

MATED, NON_MATED, UNKNOWN = 1, 0, -1
T = TypeVar("T")


@dataclass(frozen=True, eq=False)
class Column:
    """A column of words: `code` (m,) says which of `words` stands in each row. Two are equal whose rows read alike."""

    code: NDArray[np.int32]
    words: tuple[str, ...]

    @classmethod
    def of(cls, cells: Sequence[str]) -> Column:
        """Return it of its cells; words stand in the order in which they come first."""
        places: dict[str, int] = {}
        code = np.fromiter((places.setdefault(cell, len(places)) for cell in cells), dtype=np.int32, count=len(cells))
        return cls(code, tuple(places))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Column) and self.cells == other.cells

    __hash__ = None  # type: ignore[assignment] # its codes can be written to

    @property
    def cells(self) -> list[str]:
        return [self.words[code] for code in self.code.tolist()]

    def at(self, row: int) -> str:
        return self.words[int(self.code[row])]

    def rows(self, where: Indices) -> Column:
        """Return the column of these rows alone."""
        return Column(self.code[where], self.words)


@dataclass(frozen=True)
class Looks:
    """n looks with m rows, a row a candidate with its score.

    `t_s` (n,) s from the take's start, not falling; `probe` (n,) names; `first` (n + 1,): the rows of look i are `first[i]` up to
    `first[i + 1]`, in the order of the file. By row: `score` (m,) on the device's own scale, more is more alike; `candidate`;
    `mated` (m,) 1 of one person, 0 of two, -1 unknown; `groups`: further columns, by name. `scale`: the least and the greatest
    score that the device gives, where it is known. `told`: what a reader of the take must know.
    """

    t_s: Floats
    probe: tuple[str, ...]
    first: Indices
    score: Floats
    candidate: Column
    mated: NDArray[np.int8]
    groups: Mapping[str, Column] = field(default_factory=dict)
    scale: tuple[float, float] | None = None
    told: tuple[str, ...] = ()
    algorithm: str | None = None  # name and version, as the device says
    best: int | None = None  # the device tells the best so many candidates alone
    floor: float | None = None  # and no score below this
    not_acquired: int | None = None  # faces that it saw and could compare with nobody; None: nobody knows

    @property
    def cut(self) -> str:
        """Return how the device cuts its lists of candidates, in words; empty: it does not, as far as is known."""
        parts = [f"the best {self.best} candidates"] if self.best is not None else []
        parts += [f"scores from {self.floor:g}"] if self.floor is not None else []
        return " and ".join(parts)

    _kept: dict[Hashable, Any] = field(default_factory=dict, init=False, repr=False, compare=False)

    def __len__(self) -> int:
        return int(self.t_s.size)

    def remember(self, key: Hashable, make: Callable[[], T]) -> T:
        """`make()`, or what it gave before."""
        if key not in self._kept:
            self._kept[key] = make()
        found: T = self._kept[key]
        return found

    def against(self, members: frozenset[str]) -> Looks:
        """Return the looks as they were held against these candidates alone; looks that were not are left out."""
        return self.remember(members, lambda: self._against(members))

    def _against(self, members: frozenset[str]) -> Looks:
        on_it = np.array([word in members for word in self.candidate.words], dtype=np.bool_)
        rows = np.flatnonzero(on_it[self.candidate.code]) if on_it.size else np.zeros(0, dtype=np.intp)
        there, counts = np.unique(self.look[rows], return_counts=True)
        return replace(
            self,
            t_s=self.t_s[there],
            probe=tuple(self.probe[at] for at in there.tolist()),
            first=np.concatenate(([0], np.cumsum(counts, dtype=np.intp))),
            score=self.score[rows],
            candidate=self.candidate.rows(rows),
            mated=self.mated[rows],
            groups={name: column.rows(rows) for name, column in self.groups.items()},
        )

    @property
    def length_s(self) -> float:
        return float(self.t_s[-1]) if len(self) else 0.0

    @cached_property
    def look(self) -> Indices:
        """(m,): which look each row is of."""
        return np.repeat(np.arange(len(self)), np.diff(self.first))

    @cached_property
    def greatest(self) -> Floats:
        """(n,): the highest score of each look."""
        return np.maximum.reduceat(self.score, self.first[:-1]) if len(self) else np.zeros(0)

    @cached_property
    def range(self) -> tuple[float, float]:
        """Return the scale; where it is not known, the least and the greatest score there are."""
        if self.scale is not None:
            return self.scale
        return (float(self.score.min()), float(self.score.max())) if self.score.size else (0.0, 1.0)

    def of_class(self, column: str, word: str) -> Indices:
        """Return the looks in whose first row that word stands in that column; none where the take has no such column."""
        held = self.groups.get(column)
        if held is None or word not in held.words:
            return np.zeros(0, dtype=np.intp)
        return np.flatnonzero(held.code[self.first[:-1]] == held.words.index(word))

    def group_of(self, look: int) -> dict[str, str]:
        """Return what the further columns say of a look: of its first row."""
        return {name: column.at(int(self.first[look])) for name, column in self.groups.items()}


# ---- one at a time ----


@dataclass(frozen=True, slots=True)
class Look:
    """What a device says of one face at one moment. `late`: it came too long after it was seen to raise anything; `algorithm`:
    what makes the scores, where the device says.
    """

    probe: str
    candidates: tuple[tuple[str, float], ...]  # (candidate, score), as the device gave them
    groups: Mapping[str, str] = field(default_factory=dict)
    late: bool = False
    algorithm: str | None = None
