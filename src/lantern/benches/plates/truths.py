"""What a reader's takes say of it: how often it is right, how sure it should be, how well it captures, how often it opens falsely."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from typing import Any

import numpy as np
from sqlalchemy.orm import Session

from lantern.benches.bench import Trial
from lantern.benches.plates.light import lights_of
from lantern.benches.plates.passages import plates_of, truths_of
from lantern.core.faults import Fault, Refused
from lantern.core.plates import accuracy, capture, openings, reliability
from lantern.core.plates.accuracy import Told
from lantern.core.plates.detector import PlateDetector
from lantern.core.plates.forms import FORMS
from lantern.core.plates.history import own_reads
from lantern.core.plates.passages import keyed
from lantern.core.plates.subject import PlateSubject
from lantern.core.scoring.marks import Mark, judge
from lantern.core.sun import LIGHTS
from lantern.core.tuning.wanted import still_wanted
from lantern.takes.tables import TakeRow, takes_of_device
from lantern.tune.judging import marks, subject

MOST_SHOWN = 40
LARGEST_YEAR = 1e8
TOLERANCES = (0.0, 0.3, 0.6)  # steps of the costs below which a floor is told


def told_of(session: Session, take: TakeRow, held: PlateSubject) -> list[Told]:
    """The passages of a take with what is known of them."""
    truths, lights = truths_of(session, take, held), lights_of(take, held)
    lines = held.passage_lines()
    unknown = None, False
    return [
        Told(n, line["text"], truths.get(n, unknown)[0], lights[n], truths.get(n, unknown)[1])
        for n, line in enumerate(lines)
    ]


def truth_shown(trial: Trial[PlateDetector]) -> dict[str, Any]:
    """Return by vehicle, plate and character how often it is right; confusions; what is always misread, and in which
    light.
    """
    held = plates_of(trial)
    told = told_of(trial.session, trial.take, held)
    others = [
        each
        for take in takes_of_device(trial.session, trial.row.device_id)
        if take.id != trial.take.id and take.signal == trial.take.signal
        for each in told_of(trial.session, take, _other(trial, take))
    ]
    never = len(_never_read(held, marks(trial.session, trial.take.id)))
    read, q, right, plate = _characters(held, told)
    return {
        "capture": accuracy.capture_rate(told, never).as_dict(),
        "never_read": never,
        "reading": accuracy.reading_rate(told).as_dict(),
        "characters": accuracy.character_rate(told).as_dict(),
        "known": sum(each.truth is not None for each in told),
        "agreed": sum(each.agreed for each in told),
        "passages": len(told),
        "confusions": accuracy.confusions(read)[:MOST_SHOWN],
        "always": accuracy.always_misread([*told, *others]),
        "lights": accuracy.lights_disagree(told, others),
        "bins": [each.as_dict() for each in reliability.reliability(q, right)],
        "error": reliability.expected_error(q, right) if q.size else None,
        "mended": reliability.mended(q, right, plate) if q.size else None,
    }


def _other(trial: Trial[PlateDetector], take: TakeRow) -> PlateSubject:
    held = subject(trial.session, trial.detector, take)
    assert isinstance(held, PlateSubject)
    return held


def _never_read(held: PlateSubject, every: Sequence[Mark]) -> list[Mark]:
    """Marks of what should raise over which no vehicle was read."""
    first, last = held.passages.first_s, held.passages.last_s
    return [
        mark
        for mark in held.own(every)
        if mark.label == "expect" and not ((last >= mark.start_s - 1e-6) & (first <= mark.end_s + 1e-6)).any()
    ]


def _characters(held: PlateSubject, told: Sequence[Told]) -> tuple[list[tuple[str, str]], Any, Any, list[str]]:
    """Return, of reads that count and are as long as the truth, (read, truth) pairs; and for each character how sure,
    right, of which plate.
    """
    by_key, own = keyed(held.reads), own_reads(held.passages, held.counted(held.dials))
    pairs, q, right, plate = [], [], [], []
    for each in told:
        if each.truth is None or each.agreed:
            continue
        for at in own[each.number].tolist():
            key = by_key.keys[at]
            if len(key) == len(each.truth):
                pairs.append((key, each.truth))
                q += by_key.sure[at, : len(key)].tolist()
                right += [a == b for a, b in zip(key, each.truth, strict=True)]
                plate += [each.truth] * len(key)
    return pairs, np.array(q), np.array(right, dtype=np.bool_), plate


def forms_shown(trial: Trial[PlateDetector]) -> list[dict[str, Any]]:
    """Return for each country's form, and the one in use, how many passages fit it, and what it would mend and break on
    this take.
    """
    held = plates_of(trial)
    plain = held.with_dials(syntaxes=())
    truths = {number: text for number, (text, _) in truths_of(trial.session, trial.take, held).items()}
    without = [line["text"] for line in plain.passage_lines()]
    out = []
    for form in FORMS:
        still_wanted()
        texts = [line["text"] for line in plain.with_dials(syntaxes=form.templates).passage_lines()]
        changed = [n for n, (a, b) in enumerate(zip(without, texts, strict=True)) if a != b]
        flagged = [f"{text}: {form.never(text)}" for text in texts if text and form.fits(text) and form.never(text)]
        out.append(
            {
                "name": form.name,
                "says": form.says,
                "templates": form.templates,
                "fits": sum(text is not None and form.fits(text) for text in without),
                "passages": len(without),
                "changed": len(changed),
                "mended": sum(texts[n] == truths[n] != without[n] for n in changed if n in truths),
                "broken": sum(without[n] == truths[n] != texts[n] for n in changed if n in truths),
                "flagged": flagged[:MOST_SHOWN],
                "used": set(form.templates) <= set(held.dials.syntaxes),
            }
        )
    return out


def capture_shown(trial: Trial[PlateDetector]) -> dict[str, Any]:
    """Character height, reads a passage, angle and direction, over all passages and by light."""
    held = plates_of(trial)
    character_mm = _number(trial.draft.also, "character_mm", capture.CHARACTER_MM, 1, 1000)
    plate_mm = _number(trial.draft.also, "plate_mm", capture.PLATE_HEIGHT_MM, 1, 1000)
    focal_px = _focal_px(trial)
    counted, lights = held.counted(held.dials), np.array(lights_of(trial.take, held))
    ways = {"all": np.arange(len(held.passages))}
    ways |= {light: np.flatnonzero(lights == light) for light in LIGHTS if (lights == light).any()}
    return {
        "by": {
            name: capture.captured(
                held.reads,
                held.passages,
                counted,
                own,
                character_mm=character_mm,
                plate_mm=plate_mm,
                focal_px=focal_px,
            )
            for name, own in ways.items()
        },
        "character_mm": character_mm,
        "plate_mm": plate_mm,
        "focal_px": focal_px,
    }


def _focal_px(trial: Trial[PlateDetector]) -> float | None:
    """Return the focal length in pixels as it was typed, else from the lens that the device says it has; None: not
    known.
    """
    if trial.draft.also.get("focal_px") is not None:
        return _number(trial.draft.also, "focal_px", 0, 1, 1e6)
    ability = trial.take.device.ability
    pitch_um, focal_mm = ability.get("pitch_um"), ability.get("focal_mm")
    return float(focal_mm) * 1000 / float(pitch_um) if pitch_um and focal_mm else None


def year_shown(trial: Trial[PlateDetector]) -> dict[str, Any]:
    """False openings: the floor by the lists and forms, and what the takes showed, scaled to a year of strangers."""
    a_year = _number(trial.draft.also, "passages_a_year", 40_000, 1, LARGEST_YEAR)
    wish = _number(trial.draft.also, "wish_a_year", 1, 1e-6, LARGEST_YEAR)
    seen = strangers = 0
    length_h = 0.0
    for take in trial.tuned:
        held = _other(trial, take)
        own = held.own(marks(trial.session, take.id))
        kept = judge([each.t for each in held.kept], own)
        seen += sum(verdict == "false" for verdict in kept.verdicts)
        strangers += _strangers(held, own)
        length_h += held.length_s / 3600
    held = plates_of(trial)
    dials = held.dials
    roll = held.rolls.on(held.reads.day(0.0))
    floor = openings.floor(roll, dials.syntaxes, dials.tolerance, dials.runner_up) if dials.when == "listed" else None
    fits = None
    if floor is not None:
        floors = {t: openings.floor(roll, dials.syntaxes, t, dials.runner_up) for t in TOLERANCES}
        fits = max((t for t, each in floors.items() if each and each.a_vehicle * a_year <= wish), default=None)
    year = openings.year_of(seen, strangers, a_year)
    needed = openings.passages_for(wish, a_year)
    return {
        "floor": None if floor is None else floor.as_dict() | {"a_year": floor.a_vehicle * a_year},
        "year": None if year is None else year.as_dict(),
        "passages_a_year": a_year,
        "wish_a_year": wish,
        "passages_needed": needed,
        "tolerance_fits": fits,
        "hours_needed": needed * length_h / strangers if strangers else None,
        "entries": len(roll.by_key),
        "templates": len(dials.syntaxes),
    }


def _strangers(held: PlateSubject, own: Sequence[Mark]) -> int:
    """Passages that no mark expects anything of."""
    expected = [mark for mark in own if mark.label == "expect"]
    first, last = held.passages.first_s, held.passages.last_s
    meant = np.zeros(len(held.passages), dtype=np.bool_)
    for mark in expected:
        meant |= (last >= mark.start_s - 1e-6) & (first <= mark.end_s + 1e-6)
    return int((~meant).sum())


def _number(also: Mapping[str, Any], name: str, default: float, low: float, high: float) -> float:
    value = also.get(name, default)
    if not isinstance(value, int | float) or isinstance(value, bool) or not low <= value <= high:
        raise Refused([Fault(name, repr(value)[:40], f"a number from {low:g} to {high:g}")])
    return float(value)
