"""10,000 passages of 8 reads against 5,000 entries: votes, matches and an exact sweep, against a plain loop over the contract."""

from __future__ import annotations

import math
import time
from collections.abc import Iterator
from dataclasses import replace
from typing import Any

import numpy as np

from bench.figures import Figure, seconds, sized
from lantern.core.kinds import detector_of, judge
from lantern.core.plates.keys import ALPHABET, CONFUSABLE, codes_of
from lantern.core.plates.reads import Reads
from lantern.core.plates.subject import PlateSubject
from lantern.core.scoring.marks import Mark

PASSAGES, READS, ENTRIES, EVERY_S = sized(10_000, 200), 8, sized(5_000, 100), 6.0
SHARE = sized(0.01, 0.1)  # of the passages that the plain loop does
DIALS = {"min_reads": 3, "min_vote": 0.8, "tempering": 0.4, "tolerance": 0.6, "runner_up": 0.3, "rearm_s": 10.0}


def plate(rng: np.random.Generator) -> str:
    letters, digits = list("ABCDEFGHJKLMNPRSTUVWXY"), list("0123456789")
    return "".join([*rng.choice(letters, 2), *rng.choice(digits, 2), *rng.choice(letters, 3)])


def gate() -> tuple[Reads, list[str]]:
    """Half of the vehicles are listed; a tenth of the characters are misread, most of them as one that looks alike."""
    rng = np.random.default_rng(11)
    entries = [plate(rng) for _ in range(ENTRIES)]
    true = [entries[int(rng.integers(ENTRIES))] if rng.random() < 0.5 else plate(rng) for _ in range(PASSAGES)]
    text, chars = [], []
    for key in true:
        codes = codes_of(key)
        for _ in range(READS):
            said = list(codes)
            for place in np.flatnonzero(rng.random(7) < 0.1).tolist():
                alike = np.flatnonzero(CONFUSABLE[codes[place]])
                said[place] = int(rng.choice(alike)) if alike.size else int(rng.integers(36))
            text.append("".join(ALPHABET[code] for code in said))
            chars.append(tuple(np.round(rng.uniform(0.5, 0.99, 7), 3).tolist()))
    n = PASSAGES * READS
    nothing = np.full((n, 4), np.nan)
    t_s = np.repeat(np.arange(PASSAGES) * EVERY_S, READS) + np.tile(np.arange(READS) / 4, PASSAGES)
    vehicle = tuple(f"v{number}" for number in range(PASSAGES) for _ in range(READS))
    sure = np.array([math.prod(q) ** (1 / 7) for q in chars])
    return Reads(t_s, vehicle, tuple(text), sure, tuple(chars), nothing, nothing, ("",) * n), entries


def held(reads: Reads, entries: list[str]) -> PlateSubject:
    """On reads that remember nothing from an earlier look."""
    lists = [{"name": "all", "entries": [{"text": text} for text in entries]}]
    made = judge(detector_of({"name": "d", "kind": "plate", "dials": DIALS, "lists": lists}), "plates", replace(reads))
    assert isinstance(made, PlateSubject)
    return made


def run() -> Iterator[Figure]:
    reads, entries = gate()
    marks = [Mark(t, t + 3, "expect") for t in range(0, int(PASSAGES * EVERY_S), 60)]
    whole = seconds(lambda: held(reads, entries).events())
    yield Figure(f"{PASSAGES:,} passages of {READS} reads voted and matched against {ENTRIES:,}", whole, "s", 2)
    known = held(reads, entries)
    known.events()
    vote = seconds(lambda: known.rows_exact("min_vote", marks, 0, 1, whole=True))
    yield Figure("  exact sweep of the least vote", vote, "s", 1)
    values = iter(np.linspace(0.5, 0.99, 20).tolist())
    step = seconds(lambda: known.with_dials(min_vote=next(values)).events())
    yield Figure("  events after a step of the least vote", step, "s")
    began = time.perf_counter()
    raised = _plainly(reads, entries, int(PASSAGES * SHARE))
    plain = (time.perf_counter() - began) / SHARE
    yield Figure(f"  a plain loop ({raised} raises in a hundredth of it), scaled", plain, "s")
    yield Figure("  votes and matches, as a share of the plain loop", whole / plain, "x")


def _plainly(reads: Reads, entries: list[str], passages: int) -> int:
    """Read by read, symbol by symbol, entry by entry."""
    raised = 0
    for number in range(passages):
        scores: list[dict[str, float]] = [dict.fromkeys(ALPHABET, 0.0) for _ in range(7)]
        for k in range(READS):
            row = number * READS + k
            for place, (symbol, q) in enumerate(zip(reads.text[row], reads.chars[row], strict=True)):
                for each in ALPHABET:
                    scores[place][each] += DIALS["tempering"] * math.log(q if each == symbol else (1 - q) / 35)
            text = "".join(max(score, key=score.__getitem__) for score in scores)
            top = [max(score.values()) for score in scores]
            share = math.prod(
                1 / sum(math.exp(s - t) for s in score.values()) for score, t in zip(scores, top, strict=True)
            )
            if k + 1 >= DIALS["min_reads"] and share >= DIALS["min_vote"] and _matches(text, entries):
                raised += 1
                break
    return raised


def _matches(text: str, entries: list[str]) -> bool:
    far = sorted(_apart(text, entry) for entry in entries)
    return far[0] == 0 or (far[0] <= DIALS["tolerance"] and far[1] - far[0] >= DIALS["runner_up"])


def _apart(one: str, other: str) -> float:
    """By characters in their places: all that the tolerance lets near."""
    total: Any = 0.0
    for a, b in zip(one, other, strict=True):
        if a != b:
            total += 0.3 if CONFUSABLE[ALPHABET.index(a), ALPHABET.index(b)] else 1.0
            if total > 0.9:
                return 9.0
    return float(total)
