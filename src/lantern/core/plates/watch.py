"""A live detector of plates: the same vote, vehicle and lists as on a take, one read at a time."""

from __future__ import annotations

from collections import deque
from collections.abc import Collection, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import date, datetime
from typing import Any
from zoneinfo import ZoneInfo

import numpy as np

from lantern.core.decide import Change
from lantern.core.plates.approach import Approach
from lantern.core.plates.attachment import Attachment
from lantern.core.plates.ballots import Ballots
from lantern.core.plates.deciding import first_raises, listed, why
from lantern.core.plates.decision import NAMED
from lantern.core.plates.detector import PlateDetector
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.filters import accepted, places_of
from lantern.core.plates.history import History, as_sure
from lantern.core.plates.keys import codes_of, key_of, texts_of
from lantern.core.plates.kind import PlateKind
from lantern.core.plates.lists import Nearest, Rolls
from lantern.core.plates.reads import NOTHING, Read
from lantern.core.plates.syntax import Syntax
from lantern.core.plates.verdicts import refusal
from lantern.core.rearm import rearmed
from lantern.core.rule import TIME_TOLERANCE_S
from lantern.core.signals import Floats
from lantern.core.watch import AnyWatch, Sample, Standing, Turn, Watch

LONGEST = 32  # characters of a text, as a take may have them
ONE = np.zeros(1, dtype=np.intp)
REFUSED = 8  # of the last passages that did not raise, with why
UNREAD = "None of its reads counts."


@dataclass
class Passage:
    """One vehicle that is passing. `raised`: the region that its raise was in; None: it has not raised."""

    last_s: float
    ballots: Ballots = field(default_factory=lambda: Ballots(1, LONGEST))
    attachment: Attachment = field(default_factory=lambda: Attachment(1))
    approach: Approach = field(default_factory=lambda: Approach(1))
    counted: int = 0
    began_s: float = 0.0  # its first accepted read
    done: bool = False
    raised: str | None = None
    history: History | None = None  # as it was after its last accepted read


@dataclass(frozen=True, slots=True)
class Remembered:
    """What outlives a restart: (vehicle, text, t, the region that it raised in, None where it was dropped) of the last passages."""

    raises: tuple[tuple[str, str, float, str | None], ...]


class PlateWatch(Watch[Sequence[Read]]):
    """A sample is all that a reader said at one moment (a sequence of `Read`)."""

    detector: PlateDetector
    kind: PlateKind

    def __init__(self, detector: PlateDetector, kind: PlateKind, facts: Mapping[str, Any]) -> None:
        super().__init__(detector, kind)
        self.dials: PlateDials = kind.read_dials(detector)
        self.rolls, self.syntax = Rolls(detector.known_lists), Syntax(self.dials.syntaxes)
        self.zone = ZoneInfo(str(facts.get("zone", "UTC")))
        self.passing: dict[str, Passage] = {}
        self.last: dict[str, float] = {}  # text: when it last raised
        self.recent: list[tuple[str, str, float, str | None]] = []
        self.said: dict[str, Any] = {}
        self.refused: deque[dict[str, Any]] = deque(maxlen=REFUSED)

    def day(self, t: float) -> date:
        return datetime.fromtimestamp(t, self.zone).date()

    def step(self, sample: Sample[Sequence[Read]], interval_s: float) -> Iterator[Turn]:
        for vehicle in [name for name, going in self.passing.items() if self._over(going, sample.t)]:
            yield from self._left(vehicle)
        for read in sample.value:
            yield from self._read(read, sample.t)

    def _over(self, going: Passage, t: float) -> bool:
        return t - going.last_s > self.dials.gap_s + TIME_TOLERANCE_S

    def _left(self, vehicle: str) -> Iterator[Turn]:
        """Nobody has read it for too long: what it raised ends with its last read."""
        going = self.passing.pop(vehicle)
        if not going.done:
            self.refused.append(self._refusal(going, vehicle))
        if going.raised is not None:
            change = Change("clear", going.last_s, "lost")
            yield Turn(going.raised, (change,), None, 0.0, {}, vehicle)

    def _refusal(self, going: Passage, vehicle: str) -> dict[str, Any]:
        """Return why a passage that is over did not raise, by its last read that counts."""
        history = going.history
        if history is None:
            return {"at": going.last_s, "vehicle": vehicle, "text": "", "code": "unread", "said": UNREAD}
        why_not = refusal(history, 0, self._near(history), self.rolls, self.day, self.dials)
        text = history.text[0]
        return {"at": going.last_s, "vehicle": vehicle, "text": text, "code": why_not.code, "said": why_not.text}

    def _near(self, history: History) -> Nearest:
        reach = max(self.dials.tolerance + self.dials.runner_up, NAMED)
        return self.rolls.on(self.day(float(history.t_s[0]))).nearest(history.text[0], reach)

    def _read(self, read: Read, t: float) -> Iterator[Turn]:
        going = self.passing.setdefault(read.vehicle, Passage(t))
        going.last_s = t
        key = key_of(read.text)
        plate, car = (np.array([box or NOTHING]) for box in (read.plate, read.car))
        length = np.array([min(len(key), LONGEST)], dtype=np.int8)
        counts = accepted(length, np.array([read.confidence]), plate, self.detector.regions, self.dials)
        if not counts[0] or len(key) > LONGEST:
            return
        going.counted += 1
        if going.counted == 1:
            going.began_s = t
        codes, sure = np.zeros((1, LONGEST), dtype=np.int8), np.ones((1, LONGEST))
        codes[0, : len(key)] = codes_of(key)
        own = read.chars if len(read.chars) == len(key) else read.confidence ** (1 / len(key))
        sure[0, : len(key)] = own
        going.ballots.add(ONE, codes, length, as_sure(sure, self.dials))
        going.attachment.add(ONE, plate, car)
        going.approach.add(ONE, np.array([t]), plate[:, 3])
        history = going.history = self._history(going, t)
        self.said = {"vehicle": read.vehicle, "text": history.text[0], "vote": round(float(history.confidence[0]), 4)}
        if going.done or read.late:
            return
        near = self.rolls.on(self.day(t)).nearest(history.text[0], self.dials.tolerance + self.dials.runner_up)
        if first_raises(history, lambda row: near, self.dials):
            going.done = True
            yield from self._raised(going, read.vehicle, history, near, plate)

    def _history(self, going: Passage, t: float) -> History:
        """Return what is known of the passage now: the one row that a take's history has here."""
        leading = going.ballots.leaders(ONE, self.dials.tempering, self.syntax)
        at: Floats = np.array([t])
        return History(
            read=ONE,
            passage=ONE,
            count=np.array([going.counted]),
            t_s=at,
            text=tuple(texts_of(leading.codes, leading.length)),
            confidence=leading.confidence,
            syntax=leading.syntax,
            seen=going.attachment.seen(ONE),
            way=going.approach.ways(ONE),
            since_s=at - going.began_s,
        )

    def _raised(self, going: Passage, vehicle: str, history: History, near: Nearest, plate: Floats) -> Iterator[Turn]:
        """The passage raises, unless its text did not long ago; either way it raises no more."""
        t, text = float(history.t_s[0]), history.text[0]
        dropped = not rearmed(t, self.last.get(text), self.dials.rearm_s)
        if not dropped:
            self.last[text] = t
        self.recent = [each for each in self.recent if t - each[2] <= max(self.dials.rearm_s, self.dials.gap_s) + 60]
        place = int(places_of(plate, self.detector.regions)[0])
        region = self.detector.regions[place].name if place >= 0 else ""
        self.recent.append((vehicle, text, t, None if dropped else region))
        if dropped:
            return
        going.raised = region
        match = near.listed if listed(near, self.dials) else None
        told = {"text": text, "match": match.entry.text if match else None, "list": match.list if match else None}
        reasons = {"device_t": t} | why(history, 0, near, self.dials)
        memory = Remembered(tuple(self.recent))
        peak = float(history.confidence[0])
        yield Turn(region, (Change("raise", t),), memory, peak, reasons, vehicle, own=told)

    # ---- over a restart ----

    def resume(self, remembered: Mapping[str, dict[str, Any]], outdated: Collection[str]) -> bool:
        """One opening a vehicle, and the re-arm time, hold over a restart; the votes begin anew."""
        self.last, self.recent = {}, []
        every = {tuple(each) for fields in remembered.values() for each in fields.get("raises", ())}
        for vehicle, text, t, region in sorted(every, key=lambda each: each[2]):
            self.recent.append((vehicle, text, t, region))
            if region is not None:
                self.last[text] = t
            self.passing[vehicle] = Passage(t, done=True, raised=region)
        return any(going.raised is not None for going in self.passing.values())

    def inherit(self, held: AnyWatch) -> None:
        if isinstance(held, PlateWatch):
            self.passing, self.last, self.recent, self.said = held.passing, held.last, held.recent, held.said
            self.refused = held.refused

    def shift(self, seconds: float) -> None:
        for going in self.passing.values():
            going.last_s += seconds
            going.began_s += seconds
        self.last = {text: t + seconds for text, t in self.last.items()}
        self.recent = [(vehicle, text, t + seconds, region) for vehicle, text, t, region in self.recent]

    def standing(self, *, trouble: str = "") -> Standing:
        names: Sequence[str] = self.kind.sources(self.detector)
        up = {going.raised for going in self.passing.values()}
        states = {
            name: ("unknown", trouble) if trouble else ("raised" if name in up else "clear", "") for name in names
        }
        readings = {"vote": self.said["vote"]} if self.said else {}
        return Standing(
            readings=readings, unit="", states=states, also={"last": self.said, "passing": len(self.passing)}
        )
