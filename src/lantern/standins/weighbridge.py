"""The weighbridge as a plate reader sees it: lorries and vans that come up to the barrier, seeded, with their truth.

Plates are made up. As a vehicle comes nearer its plate grows and its characters are read better; a dirty one is wrong from afar
and right by the fifth read or so. One has a bolt where it is always misread. Somebody holds a plate in a hand; a van's plate
is one letter from a lorry's; an entry ended the day before; one is barred; one that is all mud is never read.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from datetime import datetime
from typing import Any

import numpy as np

from lantern.core.plates.keys import ALPHABET, CONFUSABLE, codes_of
from lantern.core.plates.lists import Entry, PlateList
from lantern.core.plates.reads import Reads
from lantern.core.scoring.marks import Mark
from lantern.core.signals import Floats

FRAME = (1920, 1080)
FPS = 4.0
LETTERS, DIGITS = "ABCDEFGHJKLMNPRSTUVWXY", "0123456789"
PLATE_MM = (520.0, 111.0)
CREW, HAULIER = 34, 22  # plates on the two lists that open
LORRY, LOOKALIKE = "KD52XRT", "KO52XRT"  # the second is on no list
BOLT = ("BN80APS", "BN80ARS")  # what it is, and how the bolt makes it read
EXPIRED, BARRED, MUDDY, NIGHT_MISREAD = "SX93VLA", "TP60GWE", "LV17HMC", "RW18DKO"
NOTHING = (np.nan,) * 4


@dataclass(frozen=True)
class Passing:
    """One passage. `sort`: lorry, van, or a plate that somebody on foot holds up."""

    at_s: float
    plate: str
    sort: str
    dirt: float = 0.0  # of a character that is dirty: how likely it is misread from afar
    misread: str = ""  # how it reads, always
    stands_s: float = 0.0


def made_up(rng: np.random.Generator) -> str:
    """A plate of the form LLDDLLL."""
    return "".join(str(rng.choice(list(DIGITS if at in (2, 3) else LETTERS))) for at in range(7))


def plates() -> tuple[list[str], list[str]]:
    """(crews, hauliers): the same for every take."""
    rng = np.random.default_rng(1852)
    crews = [LORRY, NIGHT_MISREAD, *(made_up(rng) for _ in range(CREW - 2))]
    return crews, [BOLT[0], EXPIRED, MUDDY, *(made_up(rng) for _ in range(HAULIER - 3))]


def lists() -> tuple[PlateList, ...]:
    """The site's lists, in their order."""
    crews, hauliers = plates()
    ended = {EXPIRED: datetime(2026, 3, 3).date()}
    return (
        PlateList(
            name="crews",
            colour="green",
            purpose="Own lorries and vans of the basin",
            entries=tuple(Entry(text=text, id=f"crew-{n}") for n, text in enumerate(crews)),
        ),
        PlateList(
            name="hauliers",
            colour="blue",
            purpose="Lorries of the pellet contract",
            ends=datetime(2026, 12, 31).date(),
            entries=tuple(
                Entry(text=text, until=ended.get(text, datetime(2026, 12, 31).date()), id=f"haul-{n}")
                for n, text in enumerate(hauliers)
            ),
        ),
        PlateList(
            name="barred",
            colour="red",
            purpose="Not to be let in",
            entries=(Entry(text=BARRED, note="left without weighing out", id="bar-0"),),
        ),
    )


def morning() -> tuple[Reads, list[Mark]]:
    """80 minutes by day: some 200 passages."""
    rng = np.random.default_rng(2041)
    crews, hauliers = plates()
    times = np.sort(rng.uniform(20, 4780, 192))
    known = [p for p in (*crews, *hauliers) if p not in (BOLT[0], EXPIRED, MUDDY, LORRY)]
    passing = []
    for at in times.tolist():
        listed = rng.random() < 0.5
        plate = str(rng.choice(known)) if listed else made_up(rng)
        sort = "lorry" if rng.random() < 0.6 else "van"
        passing.append(Passing(at, plate, sort, dirt=0.75 if rng.random() < 0.14 else 0.0))
    passing += [
        Passing(665.0, LORRY, "lorry", dirt=0.85),
        Passing(1711.0, LORRY, "on foot"),
        Passing(2560.0, LOOKALIKE, "van"),
        Passing(905.0, BOLT[0], "lorry", misread=BOLT[1]),
        Passing(3316.0, BOLT[0], "lorry", misread=BOLT[1]),
        Passing(3829.0, EXPIRED, "lorry"),
        Passing(3050.0, BARRED, "lorry"),
        Passing(2100.0, LORRY, "lorry", stands_s=6.0),
    ]
    start = datetime.fromisoformat("2026-03-04T06:30:00+01:00")
    return _seen(passing, rng, start=start, dark=0.0, mud_at_s=2903.0)


def night() -> tuple[Reads, list[Mark]]:
    """Six hours of the night after: some 60 passages, duller reads."""
    rng = np.random.default_rng(2042)
    crews, hauliers = plates()
    known = [p for p in (*crews, *hauliers) if p not in (BOLT[0], EXPIRED, MUDDY)]
    passing = []
    for at in np.sort(rng.uniform(60, 21_500, 56)).tolist():
        plate = str(rng.choice(known)) if rng.random() < 0.7 else made_up(rng)
        passing.append(
            Passing(at, plate, "lorry" if rng.random() < 0.8 else "van", dirt=0.6 if rng.random() < 0.2 else 0.0)
        )
    passing += [
        Passing(5400.0, NIGHT_MISREAD, "lorry", misread=NIGHT_MISREAD.replace("O", "Q")),  # the frame's screw shines
        Passing(14_800.0, NIGHT_MISREAD, "lorry", misread=NIGHT_MISREAD.replace("O", "Q")),
        Passing(9050.0, BOLT[0], "lorry", misread=BOLT[1]),
        Passing(17_700.0, LOOKALIKE, "van"),
    ]
    start = datetime.fromisoformat("2026-03-04T22:00:00+01:00")
    return _seen(passing, rng, start=start, dark=1.0, mud_at_s=None)


def _seen(
    passing: Sequence[Passing], rng: np.random.Generator, *, start: datetime, dark: float, mud_at_s: float | None
) -> tuple[Reads, list[Mark]]:
    """The reads of all passages, and the marks of what the barrier should open for."""
    may = {e.text: e for held in lists()[:2] for e in held.entries}
    rows: list[tuple[Any, ...]] = []
    marks = []
    last = -60.0
    for number, one in enumerate(sorted(passing, key=lambda each: each.at_s)):
        at = max(one.at_s, last + 6.0)  # they queue
        reads = list(_reads(one, rng, dark))
        last = at + reads[-1][0]
        rows += [(at + t, f"v{number + 1}", *rest, one.plate, one.sort) for t, *rest in reads]
        entry = may.get(one.plate)
        if entry is not None and entry.holds(start.date()) and one.sort != "on foot":
            marks.append(Mark(round(at, 2), round(last + 1.0, 2), "expect", note=one.plate))
    if mud_at_s is not None:
        marks.append(Mark(mud_at_s, mud_at_s + 4, "expect", note=MUDDY))
    rows.sort(key=lambda row: row[0])
    t_s, vehicle, text, confidence, chars, plate, car, truth, sort = zip(*rows, strict=True)
    reads_made = Reads(
        t_s=np.round(np.array(t_s), 3),
        vehicle=vehicle,
        text=text,
        confidence=np.round(np.array(confidence), 4),
        chars=chars,
        plate=np.array(plate, dtype=np.float64),
        car=np.array(car, dtype=np.float64),
        truth=tuple("" for _ in truth),
        start=start,
        also={"vehicle_type": sort},
    )
    return reads_made, sorted(marks, key=lambda mark: mark.start_s)


def _reads(one: Passing, rng: np.random.Generator, dark: float) -> list[tuple[Any, ...]]:
    """(seconds from its first, text, confidence, character confidences, box of the plate, box of the vehicle) of each read."""
    many = int(rng.integers(6, 11)) + round(one.stands_s * FPS / 2)
    way = np.linspace(0, 1, many)
    dirty = int(rng.integers(7))
    out: list[tuple[Any, ...]] = []
    for n, near in enumerate(way.tolist()):
        t = n / FPS + (one.stands_s * n / many if n > 6 else 0.0)
        width = 70 + 95 * near if one.sort != "on foot" else 120 + rng.normal(0, 4)
        height = width * PLATE_MM[1] / PLATE_MM[0] * (1 + rng.normal(0, 0.012))
        sharp = 0.55 + 0.4 * near - 0.12 * dark
        text, sure = _characters(one, dirty, sharp, near, rng)
        car = _vehicle(one, near, rng)
        u, v = (0.5, 0.78) if one.sort != "on foot" else tuple(np.clip(rng.normal((0.5, 0.5), (0.11, 0.1)), 0.05, 0.95))
        middle = (car[0] + u * car[2] + rng.normal(0, 0.7), car[1] + v * car[3] + rng.normal(0, 0.7))
        plate = (middle[0] - width / 2, middle[1] - height / 2, width, height)
        whole = float(np.exp(np.log(sure).mean()))
        out.append(
            (t, text, whole, tuple(np.round(sure, 3).tolist()), tuple(np.round(plate, 1)), tuple(np.round(car, 1)))
        )
    return out


def _characters(one: Passing, dirty: int, sharp: float, near: float, rng: np.random.Generator) -> tuple[str, Floats]:
    true = codes_of(one.misread or one.plate)
    text, sure = [], np.zeros(len(true))
    for place, code in enumerate(true):
        wrong = 0.10 * (1 - sharp) * 2
        if place == dirty and one.dirt:
            wrong = one.dirt * (1 - near) ** 0.8
        if rng.random() < wrong:
            alike = np.flatnonzero(CONFUSABLE[code])
            code = int(rng.choice(alike)) if alike.size and rng.random() < 0.8 else int(rng.integers(len(ALPHABET)))
            sure[place] = np.clip(rng.normal(0.52, 0.13), 0.15, 0.9)
        else:
            sure[place] = np.clip(rng.normal(0.72 + 0.24 * sharp, 0.06), 0.3, 0.995)
        text.append(ALPHABET[code])
    return "".join(text), sure


def _vehicle(one: Passing, near: float, rng: np.random.Generator) -> tuple[float, float, float, float]:
    """A lorry's or van's box as it comes nearer; somebody on foot takes a few steps."""
    if one.sort == "on foot":
        return 820 + 260 * near + rng.normal(0, 3), 380.0, 210.0, 560.0
    width, height = (360, 420) if one.sort == "lorry" else (300, 300)
    grown = 1 + 0.75 * near
    middle_x, foot = 760 + 240 * near, 640 + 340 * near
    size = (width * grown, height * grown)
    return middle_x - size[0] / 2 + rng.normal(0, 1.5), foot - size[1] + rng.normal(0, 1.5), size[0], size[1]
