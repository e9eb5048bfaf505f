"""The meaning of the contract, read by read and symbol by symbol, with no thought of speed: what the program is held against."""

from __future__ import annotations

import math
import re
from collections import Counter
from dataclasses import dataclass, field
from datetime import date, timedelta
from typing import Any

from lantern.core.plates.keys import key_of
from lantern.core.plates.reads import Reads

ALPHABET = "ABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789"
GROUPS = ["0ODQ", "1ILT7", "8B", "5S", "2Z7", "6GC", "MNHW", "UV", "VY", "EF", "PR", "KX", "4A"]


def confusable(a: str, b: str) -> bool:
    return a != b and any(a in group and b in group for group in GROUPS)


def apart(a: str, b: str) -> float:
    """By recursion over prefixes."""
    known: dict[tuple[int, int], float] = {}

    def far(i: int, j: int) -> float:
        if i == 0 or j == 0:
            return 0.8 * (i + j)
        if (i, j) not in known:
            x, y = a[i - 1], b[j - 1]
            changed = 0.0 if x == y else 0.3 if confusable(x, y) else 1.0
            known[i, j] = min(far(i - 1, j - 1) + changed, far(i - 1, j) + 0.8, far(i, j - 1) + 0.8)
        return known[i, j]

    return far(len(a), len(b))


@dataclass
class Dials:
    when: str = "listed"
    min_confidence: float = 0.0
    min_height_px: float | None = None
    gap_s: float = 3.0
    min_reads: int = 1
    min_vote: float = 0.0
    tempering: float = 1.0
    syntaxes: list[str] = field(default_factory=list)
    tolerance: float = 0.0
    runner_up: float = 0.0
    vehicle: str = "any"
    wander: float = 0.05
    decide_after_s: float = 0.0
    rearm_s: float = 0.0


def fits(symbol: str, part: str) -> bool:
    if part == "L":
        return symbol.isalpha()
    if part == "D":
        return symbol.isdigit()
    return part == "?" or re.fullmatch(part, symbol) is not None


def vote(reads: Reads, rows: list[int], dials: Dials) -> tuple[str, float, str]:
    """(text, confidence, syntax) over these accepted reads."""
    keys = [key_of(reads.text[row]) for row in rows]
    counts = Counter(len(key) for key in keys)
    n = max(counts, key=lambda length: (counts[length], length))
    scored = [
        scores_at(position, [(row, key) for row, key in zip(rows, keys, strict=True) if len(key) == n], reads, dials)
        for position in range(n)
    ]
    text = "".join(best_of(score, ALPHABET) for score in scored)
    said, syntax = mended(text, scored, dials.syntaxes)
    shares = []
    for symbol, score in zip(said, scored, strict=True):
        top = max(score.values())
        shares.append(math.exp(score[symbol] - top) / sum(math.exp(s - top) for s in score.values()))
    return said, math.prod(shares), syntax


def scores_at(position: int, voting: list[tuple[int, str]], reads: Reads, dials: Dials) -> dict[str, float]:
    score = dict.fromkeys(ALPHABET, 0.0)
    for row, key in voting:
        given = reads.chars[row]
        q = given[position] if len(given) == len(key) else reads.confidence[row] ** (1 / len(key))
        q = min(max(q, 0.001), 0.999)
        for symbol in ALPHABET:
            score[symbol] += dials.tempering * math.log(q if key[position] == symbol else (1 - q) / 35)
    return score


def best_of(score: dict[str, float], among: str) -> str:
    best = max(score[symbol] for symbol in among)
    return next(symbol for symbol in among if score[symbol] >= best - 1e-9)


def mended(text: str, scored: list[dict[str, float]], syntaxes: list[str]) -> tuple[str, str]:
    parts = [re.findall(r"\[.*?\]|.", template) for template in syntaxes]
    if not parts or any(len(each) == len(text) and all(map(fits, text, each)) for each in parts):
        return text, ""
    possible = []
    for each in (each for each in parts if len(each) == len(text)):
        made = ""
        for symbol, part, score in zip(text, each, scored, strict=True):
            may = "".join(s for s in ALPHABET if fits(s, part) and confusable(s, symbol))
            made += symbol if fits(symbol, part) else best_of(score, may) if may else "-"
        if "-" not in made:
            possible.append((sum(a != b for a, b in zip(made, text, strict=True)), made))
    return (min(possible, key=lambda pair: pair[0])[1], "mended") if possible else (text, "none")


def attached(reads: Reads, rows: list[int], wander: float) -> str:
    if len(rows) < 5:
        return "undetermined"
    inside, uv, cars = 0, [], []
    for row in rows:
        plate, car = reads.plate[row].tolist(), reads.car[row].tolist()
        if math.isnan(plate[0]) or math.isnan(car[0]):
            continue
        x, y = plate[0] + plate[2] / 2, plate[1] + plate[3] / 2
        inside += car[0] <= x <= car[0] + car[2] and car[1] <= y <= car[1] + car[3]
        uv.append(((x - car[0]) / car[2], (y - car[1]) / car[3]))
        cars.append(car)
    if inside * 5 < 4 * len(rows):
        return "held"
    middles = [(c[0] + c[2] / 2, c[1] + c[3] / 2) for c in cars]
    way = math.dist(middles[0], middles[-1])
    if way < 0.25 * sum(c[2] for c in cars) / len(cars) - 1e-9:
        return "undetermined"
    mean = [sum(p[i] for p in uv) / len(uv) for i in (0, 1)]
    rms = math.sqrt(sum((p[0] - mean[0]) ** 2 + (p[1] - mean[1]) ** 2 for p in uv) / len(uv))
    return "held" if rms > wander + 1e-9 else "attached"


def match(text: str, day: date, lists: list[dict[str, Any]], dials: Dials) -> tuple[str, str] | None:
    near = []
    for held in lists:
        for entry in held["entries"]:
            since, until = (entry.get(key) and date.fromisoformat(entry[key]) for key in ("from", "until"))
            key = key_of(entry["text"])
            if key and (not since or since <= day) and (not until or day <= until):
                near.append((apart(text, key), key, entry["text"], held["name"]))
    if not near:
        return None
    best = min(far for far, *_ in near)
    first = next(each for each in near if each[0] <= best + 1e-9)
    if best > dials.tolerance + 1e-9:
        return None
    others = [far for far, key, *_ in near if key != first[1]]
    if best > 0 and others and min(others) - best < dials.runner_up - 1e-9:
        return None
    return first[2], first[3]


def run(reads: Reads, lists: list[dict[str, Any]], dials: Dials) -> tuple[list[dict[str, Any]], list[dict[str, Any]]]:
    """(events, passages), without regions."""
    passages: list[list[int]] = []
    going: dict[str, list[int]] = {}
    for row, (t, vehicle) in enumerate(zip(reads.t_s.tolist(), reads.vehicle, strict=True)):
        held = going.get(vehicle)
        if held is None or t - reads.t_s[held[-1]] > dials.gap_s + 1e-6:
            held = going[vehicle] = []
            passages.append(held)
        held.append(row)
    raises, lines = [], []
    for number, rows in enumerate(passages):
        own = [
            row
            for row in rows
            if key_of(reads.text[row])
            and reads.confidence[row] >= dials.min_confidence - 1e-9
            and (dials.min_height_px is None or reads.plate[row][3] >= dials.min_height_px - 1e-9)
        ]
        raised = False
        for k in range(1, len(own) + 1):
            so_far, t = own[:k], float(reads.t_s[own[k - 1]])
            text, sure, _ = vote(reads, so_far, dials)
            kind = attached(reads, so_far, dials.wander)
            found = match(text, (reads.start + timedelta(seconds=t)).date(), lists, dials)
            holds = k >= dials.min_reads and sure >= dials.min_vote - 1e-9
            holds &= dials.vehicle == "any" or (kind == "attached" if dials.vehicle == "attached" else kind != "held")
            if dials.when == "listed":
                holds &= found is not None
            if dials.when == "unlisted":
                holds &= found is None and t - reads.t_s[own[0]] >= dials.decide_after_s - 1e-6
            if holds and not raised:
                raised = True
                raises.append((t, number, text, sure, found, float(reads.t_s[rows[-1]]), reads.vehicle[rows[0]]))
        final = vote(reads, own, dials)[:2] if own else (None, 0.0)
        day = (reads.start + timedelta(seconds=float(reads.t_s[own[-1]]))).date() if own else None
        found = match(final[0], day, lists, dials) if own else None
        lines.append((len(rows), len(own), *final, attached(reads, own, dials.wander), found))
    last: dict[str, float] = {}
    events = []
    for t, _, text, sure, found, end, vehicle in sorted(raises, key=lambda each: each[:2]):
        if text in last and t - last[text] < dials.rearm_s - 1e-6:
            continue
        last[text] = t
        events.append({"t": t, "text": text, "peak": sure, "match": found, "cleared": end, "object": vehicle})
    return events, lines
