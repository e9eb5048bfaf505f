"""How often a reader is right, by vehicles, plates and characters, from passages whose truth somebody said.

Whether a vehicle was captured and whether a captured one was read right are two figures, never one. Characters of one plate err
together, so their interval comes from a bootstrap over plates, not over characters.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from lantern.core.scoring.intervals import wilson

RESAMPLES = 2000
SEED = 7
LEAST_PASSAGES = 2  # of a plate that is called always misread
CONFIDENT = (2.5, 97.5)  # percentiles of the bootstrap: 95 %


@dataclass(frozen=True)
class Told:
    """A passage: what the vote says (None: no read counts), what it truly was (None: nobody said), in which light."""

    number: int
    text: str | None
    truth: str | None
    light: str = ""
    agreed: bool = False  # somebody only agreed to what was read: it confirms itself, and counts in no rate


@dataclass(frozen=True)
class Share:
    """k of n with its interval, 95 %."""

    k: int
    n: int
    low: float | None
    high: float | None

    def as_dict(self) -> dict[str, Any]:
        return {"k": self.k, "n": self.n, "low": self.low, "high": self.high}


def share(k: int, n: int) -> Share:
    """Return the share with its Wilson score interval."""
    found = wilson(k, n)
    return Share(k, n, *(found or (None, None)))


def capture_rate(passages: Sequence[Told], never_read: int) -> Share:
    """Vehicles of which at least one read counts, of all; `never_read`: those that a mark says were there, and no read."""
    captured = sum(each.text is not None for each in passages)
    return share(captured, len(passages) + never_read)


def reading_rate(passages: Sequence[Told]) -> Share:
    """Captured vehicles that were read right, of those whose truth somebody said for themselves."""
    known = [each for each in passages if each.text is not None and each.truth is not None and not each.agreed]
    return share(sum(each.text == each.truth for each in known), len(known))


def character_rate(passages: Sequence[Told]) -> Share:
    """Right characters of texts as long as the truth; the interval by resampling plates (percentile bootstrap, seeded). Where all are
    right or none is, resampling says nothing: the interval is then that of the plates (Wilson).
    """
    pairs = list(_same_length(passages))
    right = np.array([sum(a == b for a, b in zip(text, truth, strict=True)) for text, truth in pairs], dtype=np.float64)
    many = np.array([len(truth) for _, truth in pairs], dtype=np.float64)
    if not many.size:
        return Share(0, 0, None, None)
    if (right == many).all() or not right.any():
        plates = wilson(int((right == many).sum()), many.size)
        assert plates is not None
        return Share(int(right.sum()), int(many.sum()), *plates)
    which = np.random.default_rng(SEED).integers(0, many.size, (RESAMPLES, many.size))
    rates = right[which].sum(axis=1) / many[which].sum(axis=1)
    low, high = np.percentile(rates, CONFIDENT)
    return Share(int(right.sum()), int(many.sum()), float(low), float(high))


def _same_length(passages: Sequence[Told]) -> Iterator[tuple[str, str]]:
    for each in passages:
        if each.text is not None and each.truth is not None and not each.agreed and len(each.text) == len(each.truth):
            yield each.text, each.truth


def confusions(pairs: Sequence[tuple[str, str]]) -> list[dict[str, Any]]:
    """(read, truth) of equal length: which glyph was read as which, the most frequent first, right ones left out."""
    seen: Counter[tuple[str, str]] = Counter()
    total: Counter[str] = Counter()
    for text, truth in pairs:
        total.update(truth)
        seen.update((t, r) for r, t in zip(text, truth, strict=True) if r != t)
    ranked = sorted(seen.items(), key=lambda item: (-item[1], item[0]))
    return [{"truth": t, "read": r, "n": n, "of": total[t]} for (t, r), n in ranked]


def always_misread(passages: Sequence[Told]) -> list[dict[str, Any]]:
    """Plates that came at least twice and were never read right, with how they were read most often."""
    by_truth: dict[str, list[Told]] = defaultdict(list)
    for each in passages:
        if each.truth is not None and each.text is not None:
            by_truth[each.truth].append(each)
    out = []
    for truth, own in sorted(by_truth.items()):
        if len(own) >= LEAST_PASSAGES and all(each.text != truth for each in own):
            text, n = Counter(str(each.text) for each in own).most_common(1)[0]
            out.append({"truth": truth, "read": text, "n": n, "of": len(own), "glyphs": _glyphs(truth, text)})
    return out


def lights_disagree(passages: Sequence[Told], other: Sequence[Told]) -> list[dict[str, Any]]:
    """Plates that are read right in one light and never in the other, with the glyph that does it: decoration, dirt, a reflection."""
    by_truth: dict[str, dict[str, list[str]]] = defaultdict(lambda: defaultdict(list))
    for each in (*passages, *other):
        if each.truth is not None and each.text is not None and each.light:
            by_truth[each.truth][each.light].append(each.text)
    out = []
    for truth, lights in sorted(by_truth.items()):
        right = [light for light, texts in lights.items() if truth in texts]
        for light, texts in sorted(lights.items()):
            if right and truth not in texts:
                text = Counter(texts).most_common(1)[0][0]
                row = {"truth": truth, "right": right[0], "wrong": light, "read": text, "n": len(texts)}
                out.append(row | {"glyphs": _glyphs(truth, text)})
    return out


def _glyphs(truth: str, text: str) -> str:
    """Return where a text differs from the truth, in words."""
    if len(truth) != len(text):
        return f"{len(text)} characters instead of {len(truth)}"
    return ", ".join(f"{r} for {t} at place {n}" for n, (r, t) in enumerate(zip(text, truth, strict=True), 1) if r != t)
