"""A link has a speaker say something, live on the stand-in: it plays what was laid out, gives way, and says why it was silent."""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from typing import Any

import numpy as np
from sqlalchemy import select

from lantern.cluster import free_port
from lantern.core.linking.arming import Firing
from lantern.core.linking.links import LinkRule
from lantern.core.site import Device, Place, Site
from lantern.core.spoken import Sound, measured, tone
from lantern.db.base import now, transaction
from lantern.formats.sounds import write_wav
from lantern.links.sounds import VOICE, has_voice, keep_sound
from lantern.links.tables import lengths_of
from lantern.live.engine import Engine
from lantern.live.outbox import place
from lantern.live.tables import EventRow, OrderRow
from lantern.register.tables import device_by_code
from lantern.serving import server
from lantern.sites.actions import add_site
from lantern.standins.speaker import SpeakerStandIn, make_app
from loops import in_a_loop


class Quay:
    """A site with one speaker and two messages; `order` has it say one."""

    def __init__(self, url: str) -> None:
        speaker = Device(code="L1", name="Horn", kind="speaker", address={"url": url}, ability={"sound": "mu-law"})
        with transaction() as session:
            site = add_site(session, Site(name="Quay", places=(Place(name="Edge", devices=(speaker,)),)))
            held = device_by_code(session, site.id, "L1")
            assert held is not None
            self.site, self.speaker = site.id, held.id
            for name, hertz, length_s in (("low", 440.0, 1.5), ("high", 1760.0, 0.6)):
                sound = tone(hertz, length_s, level_dbfs=-12.0)
                keep_sound(session, site.id, name, f"{name}.wav", write_wav(sound), "audio/wav", sound, None)

    def order(self, message: str, **more: Any) -> None:
        effect = {"do": "say", "devices": ["L1"], "message": message, **more}
        link = LinkRule.model_validate({"name": f"say {message}", "detector": "d", "effects": [effect]})
        with transaction() as session:
            event = EventRow(
                site_id=self.site, compound="c", revision=0, region="", raised_at=now(), repeat=False, reading=0, why={},
                outcome="fired",
            )  # fmt: skip
            session.add(event)
            session.flush()
            lasts = link.effects[0].lasts_s(lengths_of(session, self.site))
            firing = Firing(link.name, link.effects[0], 0.0, "L1", lasts)
            place(session, event.id, self.speaker, firing, event.raised_at, {"place": "Edge"})


def orders() -> list[OrderRow]:
    with transaction() as session:
        return list(session.scalars(select(OrderRow).order_by(OrderRow.id)))


async def until(what: Callable[[], bool], within_s: float = 20.0) -> None:
    end = time.monotonic() + within_s
    while not what():
        assert time.monotonic() < end, [(row.stage, row.result, row.because) for row in orders()]
        await asyncio.sleep(0.05)


def pitch(sound: Sound) -> float:
    spectrum = np.abs(np.fft.rfft(sound.samples[:, 0]))
    return float(np.argmax(spectrum) * sound.rate_hz / len(sound.samples))


def test_it_says_gives_way_waits_and_tells_why_it_was_silent(database: str) -> None:
    speaker, port = SpeakerStandIn(), free_port()

    async def run() -> None:
        quay = Quay(f"http://127.0.0.1:{port}")
        serving = server(make_app(speaker), "127.0.0.1", port)
        task = asyncio.create_task(serving.serve())
        engine = Engine()
        await engine.start()
        try:
            quay.order("low", repeats=2, gain_db=6.0)
            await until(lambda: speaker._playing is not None)
            await until(lambda: orders()[0].stage == "over")
            await until(lambda: (speaker.look(), speaker._playing is None)[1])
            quay.order("low", length_s=0.3)
            quay.order("high", when_busy="wait")
            await until(lambda: [row.stage for row in orders()] == ["over"] * 3)
            await until(lambda: (speaker.look(), speaker._playing is None)[1])
            first, short, second = speaker.played
            assert (round(pitch(first)), round(pitch(second))) == (440, 1760)
            assert first.length_s == 3.0  # twice 1.5 s, to its end
            assert abs(measured(first).peak_dbfs - -6.0) < 0.3  # 6 dB louder than -12 dBFS

            assert short.length_s < 1.5  # it is stopped, and not played to its end

            quay.order("low", repeats=9)
            await until(lambda: speaker._playing is not None)
            quay.order("high", priority=1)  # the more urgent one cuts it
            await until(lambda: [row.stage for row in orders()[3:]] == ["over", "over"])
            assert [row.result for row in orders()] == ["done", "done", "done", "cut", "done"]
            await until(lambda: (speaker.look(), len(speaker.played) == 5)[1])
            assert speaker.played[3].length_s < 5.0
            assert round(pitch(speaker.played[4])) == 1760

            speaker.dead = True
            quay.order("high")
            await until(lambda: orders()[5].stage == "over")
            assert (orders()[5].result, len(speaker.played)) == ("dropped", 5)
            assert "answered 503" in orders()[5].because
        finally:
            await engine.stop()
            serving.should_exit = True
            await task

    in_a_loop(run)


def test_what_cannot_be_said_at_all_is_dropped_with_its_reason(database: str) -> None:
    async def run() -> None:
        quay = Quay("http://127.0.0.1:9")
        from lantern.links.compounds import save_message

        with transaction() as session:
            save_message(session, quay.site, {"name": "halt", "text": "Halt at {place}", "length_s": 1.0})
            save_message(session, quay.site, {"name": "file", "file": "gone.wav", "length_s": 1.0})
        engine = Engine()
        await engine.start()
        try:
            quay.order("file")
            if not has_voice():
                quay.order("halt")
            await until(lambda: all(row.stage == "over" for row in orders()))
        finally:
            await engine.stop()

    in_a_loop(run)
    told = {row.link: (row.result, row.because) for row in orders()}
    assert told["say file"][0] == "dropped"
    assert "nobody has brought gone.wav yet" in told["say file"][1]
    if not has_voice():
        assert told["say halt"][0] == "dropped"
        assert VOICE in told["say halt"][1]
