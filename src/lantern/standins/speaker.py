"""A speaker that plays what is posted to it in its own time, and keeps what it played as WAV: cut where it was stopped."""

from __future__ import annotations

import time
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path

import structlog
from starlette.applications import Starlette
from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Route

from lantern.core.faults import Refused
from lantern.core.spoken import Sound
from lantern.formats.sounds import read_sound, write_wav

log = structlog.get_logger()
MOST_BYTES = 64 * 2**20
KEPT_KEYS = 100


@dataclass
class SpeakerStandIn:
    """`folder`: where what it played is kept, a file each; None: nowhere."""

    folder: Path | None = None
    clock: Callable[[], float] = time.monotonic
    dead: bool = False  # its amplifier fails: it answers 503
    played: list[Sound] = field(default_factory=list)
    _playing: tuple[Sound, float] | None = None
    _keys: list[str] = field(default_factory=list)

    def play(self, sound: Sound) -> None:
        self.stop()
        self._playing = sound, self.clock()

    def stop(self) -> bool:
        """Stop what plays; what was heard of it is kept. Returns whether anything did."""
        if self._playing is None:
            return False
        sound, began = self._playing
        self._playing = None
        heard = Sound(sound.samples[: max(round((self.clock() - began) * sound.rate_hz), 0)], sound.rate_hz)
        self.played.append(heard)
        if self.folder is not None:
            path = self.folder / f"{len(self.played):04}.wav"
            path.write_bytes(write_wav(heard))
            log.info("speaker stand-in played", file=path.name, seconds=round(heard.length_s, 2))
        return True

    def look(self) -> None:
        """What has come to its end is kept."""
        if self._playing is not None and self.clock() - self._playing[1] >= self._playing[0].length_s:
            self.stop()

    def routes(self) -> list[Route]:
        async def play(request: Request) -> Response:
            self.look()
            if self.dead:
                return JSONResponse({"message": "the amplifier gives no sound"}, 503)
            key = request.headers.get("idempotency-key", "")
            if key and key in self._keys:
                return JSONResponse({"again": True})
            data = await request.body()
            if len(data) > MOST_BYTES:
                return JSONResponse({"message": "too much"}, 413)
            try:
                sound = read_sound(data, where="what is to be played")
            except Refused as refused:
                return JSONResponse({"message": str(refused)}, 415)
            self._keys = [*self._keys[1 - KEPT_KEYS :], key]
            self.play(sound)
            return JSONResponse({"plays_s": round(sound.length_s, 3)})

        async def stop(request: Request) -> Response:
            self.look()
            return JSONResponse({"stopped": self.stop()})

        async def state(request: Request) -> Response:
            self.look()
            return JSONResponse({"playing": self._playing is not None, "played": len(self.played)})

        return [Route("/play", play, methods=["POST"]), Route("/stop", stop, methods=["POST"]), Route("/", state)]


def make_app(speaker: SpeakerStandIn) -> Starlette:
    return Starlette(routes=speaker.routes())
