"""Passages as the bench shows them: what each read gave, what the vote was after it, what became of it, who voted what."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from lantern.benches.bench import Trial
from lantern.benches.plates.light import light_shown
from lantern.core.faults import Fault, Refused
from lantern.core.plates.ballots import Ballots
from lantern.core.plates.detector import PlateDetector
from lantern.core.plates.history import as_sure, own_reads
from lantern.core.plates.keys import ALPHABET, key_of
from lantern.core.plates.passages import keyed
from lantern.core.plates.subject import PlateSubject
from lantern.core.plates.verdicts import DOUBTFUL
from lantern.core.scoring.marks import Mark, judge
from lantern.takes.tables import TakeRow, truths_of_take
from lantern.tune.judging import marks, subject


def plates_of(trial: Trial[PlateDetector]) -> PlateSubject:
    held = subject(trial.session, trial.detector, trial.take)
    assert isinstance(held, PlateSubject)
    return held


def truths_of(session: Session, take: TakeRow, held: PlateSubject) -> dict[int, tuple[str, bool]]:
    """Return by passage what it truly was, as somebody said it, else as the take's file has it; and whether they only
    agreed to it.
    """
    passages, reads = held.passages, held.reads
    out = {}
    for number, own in enumerate(passages.reads):
        said = next((key for at in own.tolist() if (key := key_of(reads.truth[at]))), None)
        if said is not None:
            out[number] = said, False
    by_vehicle: dict[str, list[int]] = {}
    for number, vehicle in enumerate(passages.vehicle):
        by_vehicle.setdefault(vehicle, []).append(number)
    for row in truths_of_take(session, take.id):
        for number in by_vehicle.get(row.object, ()):
            if passages.first_s[number] - 1e-6 <= row.at_s <= passages.last_s[number] + 1e-6:
                out[number] = row.text, row.agreed  # empty: taken back, and nobody knows
    return {number: said for number, said in out.items() if said[0]}


def reads_shown(trial: Trial[PlateDetector]) -> dict[str, Any]:
    """Return for each passage what it is, and its reads: what of it no dial but the gap changes; and the light of the
    take.
    """
    held = plates_of(trial)
    reads, passages, by_key = held.reads, held.passages, keyed(held.reads)
    types = reads.also.get("vehicle_type", ())
    out = []
    for number, own in enumerate(passages.reads):
        rows = own.tolist()
        out.append(
            {
                "vehicle": passages.vehicle[number],
                "type": types[rows[0]] if types else "",
                "first_s": float(passages.first_s[number]),
                "last_s": float(passages.last_s[number]),
                "reads": [
                    [
                        by_key.keys[at],
                        np.round(by_key.sure[at, : len(by_key.keys[at])], 3).tolist(),
                        float(reads.t_s[at]),
                        _box(reads.plate[at]),
                        _box(reads.car[at]),
                    ]
                    for at in rows
                ],
            }
        )
    return {"passages": out, "light": light_shown(trial.take, held)}


def _box(box: Any) -> list[float] | None:
    return None if np.isnan(box[0]) else np.round(box, 1).tolist()


def passages_shown(trial: Trial[PlateDetector]) -> dict[str, Any]:
    """Return for each passage the vote after each of its reads, the read that decided, its result, and whether that is
    right.
    """
    held = plates_of(trial)
    own_marks = held.own(marks(trial.session, trial.take.id))
    truths = truths_of(trial.session, trial.take, held)
    history, passages = held.history, held.passages
    counted = held.counted(held.dials)
    decided = {each.passage: int(history.read[each.row]) for each in held.first}
    standing = _standing(held, own_marks)
    votes = {
        int(read): (text, round(float(sure), 4))
        for read, text, sure in zip(history.read, history.text, history.confidence, strict=True)
    }
    rows = []
    for number, (line, verdict) in enumerate(zip(held.passage_lines(), held.verdicts, strict=True)):
        truth, agreed = truths.get(number, (None, False))
        own = passages.reads[number].tolist()
        wander = history.seen.wander[history.last[number]] if number in history.last else np.nan
        rows.append(
            {
                **{key: line[key] for key in ("text", "confidence", "attached", "match", "list", "accepted")},
                "votes": [votes[at][1] if counted[at] else None for at in own],
                "decided": own.index(decided[number]) if number in decided else None,
                "code": verdict.code,
                "said": verdict.text,
                "figures": verdict.figures,
                "wander": None if np.isnan(wander) else round(float(wander), 4),
                "verdict": standing[number],
                "truth": truth,
                "agreed": agreed,
                "correct": None if truth is None else line["text"] == truth,
                "rank": _rank(standing[number], verdict.code, line["text"], truth),
            }
        )
    limits = {"vote": held.dials.min_vote, "vehicle": held.dials.vehicle}
    return {"rows": rows, **limits}


def _standing(held: PlateSubject, own_marks: Sequence[Mark]) -> dict[int, str]:
    """Return by passage how it stands against the marks: hit, false, repeat, ignored; miss where a mark over it was hit
    by nothing.
    """
    kept = held.kept
    judged = judge([each.t for each in kept], own_marks)
    out = dict.fromkeys(range(len(held.passages)), "")
    for at in judged.missed:
        mark = own_marks[at]
        there = (held.passages.last_s >= mark.start_s - 1e-6) & (held.passages.first_s <= mark.end_s + 1e-6)
        out |= dict.fromkeys(np.flatnonzero(there).tolist(), "miss")
    out |= {each.passage: verdict for each, verdict in zip(kept, judged.verdicts, strict=True)}
    return out


def _rank(standing: str, code: str, text: str | None, truth: str | None) -> int:
    """Return which rows come first: wrong ones, then misread, then unsure, then those that nobody has to look at."""
    if standing in ("false", "miss"):
        return 0
    if truth is not None and text != truth:
        return 1
    return 2 if code in DOUBTFUL else 3


def character_shown(trial: Trial[PlateDetector]) -> dict[str, Any]:
    """Return who voted what for one character of one passage, and why this one won."""
    held = plates_of(trial)
    number, place = _wanted(trial.draft.also, held)
    own = own_reads(held.passages, held.counted(held.dials))[number]
    if not own.size:
        return {"symbols": [], "text": "No read of this passage counts."}
    by_key, dials = keyed(held.reads), held.dials
    ballots = Ballots(1, max(by_key.longest, 1))
    one = np.zeros(1, dtype=np.intp)
    for at in own.tolist():
        ballots.add(
            one, by_key.codes[at : at + 1], by_key.length[at : at + 1], as_sure(by_key.sure[at : at + 1], dials)
        )
    scores, voting = ballots.scores(0)
    if place >= len(scores):
        raise Refused([Fault("character", str(place), f"0 to {len(scores) - 1}")])
    shares = np.exp(dials.tempering * (scores[place] - scores[place].max()))
    shares /= shares.sum()
    said: dict[str, list[list[float]]] = {}
    for n, at in enumerate(held.passages.reads[number].tolist()):
        if at in own and len(by_key.keys[at]) == len(scores):
            said.setdefault(by_key.keys[at][place], []).append([n, round(float(by_key.sure[at, place]), 3)])
    symbols = sorted(said, key=lambda symbol: -shares[ALPHABET.index(symbol)])
    text = held.history.text[held.history.last[number]]
    return {
        "symbols": [
            {"symbol": s, "share": float(shares[ALPHABET.index(s)]), "reads": said[s], "taken": s == text[place]}
            for s in symbols
        ],
        "text": _why_won(text[place], symbols, shares, voting, int(own.size), mended=text[place] not in said),
    }


def _wanted(also: Mapping[str, Any], held: PlateSubject) -> tuple[int, int]:
    number, place = also.get("passage"), also.get("place")
    if not isinstance(number, int) or not 0 <= number < len(held.passages):
        raise Refused([Fault("passage", repr(number)[:40], f"0 to {len(held.passages) - 1}")])
    if not isinstance(place, int) or place < 0:
        raise Refused([Fault("character", repr(place)[:40], "a place from 0")])
    return number, place


def _why_won(taken: str, symbols: Sequence[str], shares: Any, voting: int, own: int, *, mended: bool) -> str:
    if mended:
        return (
            f"{taken} was read by none: the template lets no {symbols[0]} stand here, and takes them for one another."
        )
    share = 100 * float(shares[ALPHABET.index(taken)])
    others = own - voting
    length = f" {others} of another length did not vote." if others else ""
    if len(symbols) == 1:
        return f"All {voting} reads that voted say {taken}: {share:.1f} %.{length}"
    second = next(symbol for symbol in symbols if symbol != taken)
    behind = 100 * float(shares[ALPHABET.index(second)])
    return f"{taken} has {share:.1f} % of the vote, {second} {behind:.1f} %: {voting} reads voted.{length}"
