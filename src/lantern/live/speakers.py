"""Speakers that links have say something: one message at a time for each, by the core's machine, as a sound that is posted to it."""

from __future__ import annotations

import asyncio
import math
import time
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import structlog

from lantern.core.faults import Refused
from lantern.devices.speaker import Speaker, SpeakerError
from lantern.links.sounds import sound_for
from lantern.live.stepped import Open, opened, ordered
from lantern.live.tables import OrderRow
from lantern.live.woken import Woken

log = structlog.get_logger()
SAYING = ("say",)
LOCK = 0x0D0D  # of the orders of speakers, among the database's advisory locks
AGAIN_S = 1.0  # one that does not answer is tried again, as long as its message lasts


@dataclass(frozen=True)
class Reached:
    """Where a speaker is, and how it takes its sounds."""

    site_id: int
    url: str
    ability: Mapping[str, Any]


@dataclass(frozen=True)
class Said:
    """An order that runs: what is said."""

    id: int
    body: Mapping[str, Any]
    names: Mapping[str, str]


@dataclass
class _Voice:
    """A speaker, as long as something is ordered of it. `said`: what it was made to say; `silent`: why it does not, by order."""

    said: int | None = None
    silent: dict[int, str] = field(default_factory=dict)
    next_try: float = 0.0


class Speakers(Woken):
    """Of all sites. `reached`: by device, as they are at that moment."""

    WHAT = "speakers"

    def __init__(
        self, reached: Callable[[], Mapping[int, Reached]], on_change: Callable[[], None], clock: Callable[[], datetime]
    ) -> None:
        super().__init__()
        self._reached, self._on_change, self._clock = reached, on_change, clock
        self._voices: dict[int, _Voice] = {}

    async def look(self) -> float:
        wanted = await asyncio.to_thread(ordered, SAYING)
        waits = [math.inf]
        for device_id in wanted | self._voices.keys():
            voice = self._voices.setdefault(device_id, _Voice())
            waits.append(await asyncio.to_thread(self._turn, device_id, voice))
            if voice.said is None and device_id not in wanted:
                del self._voices[device_id]
        return min(waits)

    def _turn(self, device_id: int, voice: _Voice) -> float:
        """Let it be now for one speaker; returns in how many seconds something is due again."""
        reached = self._reached().get(device_id)
        with opened(device_id, SAYING, LOCK, self._clock()) as held:
            held.refuse(lambda row: _impossible(row, reached))
            running = held.advance()
            for key, standing in held.standings.items():
                if standing.stage == "over" and key in voice.silent:
                    standing.end("dropped", voice.silent.pop(key))
            wait_s, ends_itself = held.next_s, _ends_itself(held, voice.said)
            now = None if running is None else Said(running.id, dict(running.body), dict(running.names))
        if reached is None:
            return wait_s
        speaker = Speaker(reached.url)
        if voice.said is not None and (now is None or now.id != voice.said):
            voice.said = None
            if now is None and not ends_itself:
                self._stop(speaker, reached)
        if now is not None and voice.said != now.id:
            return min(wait_s, self._say(speaker, reached, voice, now))
        return wait_s

    def _say(self, speaker: Speaker, reached: Reached, voice: _Voice, now: Said) -> float:
        left_s = voice.next_try - time.monotonic()
        if now.id in voice.silent and left_s > 0:
            return left_s
        try:
            wav = sound_for(reached.site_id, now.body, now.names, reached.ability)
            speaker.play(wav, f"{now.id}")
        except (SpeakerError, Refused) as error:
            if voice.silent.get(now.id) != str(error):
                log.warning("a speaker is silent", url=reached.url, error=str(error))
            voice.silent[now.id], voice.next_try = str(error), time.monotonic() + AGAIN_S
            self._on_change()
            return AGAIN_S
        voice.said = now.id
        voice.silent.pop(now.id, None)
        self._on_change()
        return math.inf

    @staticmethod
    def _stop(speaker: Speaker, reached: Reached) -> None:
        """Another message is posted in place of it anyway: that it does not answer now is said at the next."""
        try:
            speaker.stop()
        except SpeakerError as error:
            log.warning("a speaker was not stopped", url=reached.url, error=str(error))


def _ends_itself(held: Open, order_id: int | None) -> bool:
    """Return whether what was said comes to its end by itself: it began a moment late, and a stop would cut its last word off."""
    if order_id not in held.rows:
        return False
    return held.standings[order_id].result == "done" and held.rows[order_id].body.get("length_s") is None


def _impossible(row: OrderRow, reached: Reached | None) -> str:
    """Return why it cannot be done at all; empty: it can."""
    if reached is None or not reached.url:
        return f"{row.thing} has no address, or is in use no more."
    try:
        sound_for(reached.site_id, row.body, row.names, reached.ability)
    except Refused as refused:
        return str(refused)
    return ""
