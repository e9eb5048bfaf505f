"""*Try it*: speak to a device and say what was heard. Only asked, never switched."""

from __future__ import annotations

import asyncio
import time
from contextlib import aclosing
from dataclasses import dataclass, field
from typing import Any

import httpx
import orjson

from lantern.core.devices import DEVICE_KINDS
from lantern.core.faults import LanternError
from lantern.core.wording import many
from lantern.devices.modbus import RelayModule
from lantern.devices.onvif.ptz import Profile, Ptz
from lantern.devices.onvif.wire import Connection
from lantern.devices.speaker import Speaker
from lantern.live.calls import ask_engine
from lantern.settings import settings
from lantern.signals.register import feed_of

HEAR_S = 10.0  # a device that is asked has sent something by then
LOOK_S = 0.25


@dataclass(frozen=True)
class Tried:
    """A device that is to be tried, with what is known of it; rows of the store do not outlive their session."""

    id: int
    code: str
    kind: str
    address: dict[str, Any]
    ability: dict[str, Any]
    outputs: list[dict[str, Any]]
    live: bool  # the engine runs its site, and it is not retired
    password: str = field(default="", repr=False)


@dataclass
class Heard:
    """The answer of a device that was tried: whether there was one, and what it said, a line each."""

    ok: bool
    lines: list[str] = field(default_factory=list)

    def as_dict(self) -> dict[str, Any]:
        return {"ok": self.ok, "lines": self.lines}


async def try_device(device: Tried) -> Heard:
    """Speak to it in its own way."""
    reached = DEVICE_KINDS[device.kind].reached
    try:
        if reached == "written":
            return await _ask_module(device)
        if reached == "asked":
            return await _listen(device)
        if reached == "played":
            return await asyncio.to_thread(_ask_speaker, device)
        if reached == "steered":
            return await asyncio.to_thread(_ask_head, device)
        return await _wait(device)
    except LanternError as error:
        return Heard(False, [str(error)])


def _ask_speaker(device: Tried) -> Heard:
    url = device.address.get("url")
    if not url:
        return Heard(False, ["It has no address yet: give its URL, and save."])
    playing = Speaker(str(url)).state()
    return Heard(True, [f"{url} answers: it {'plays' if playing else 'is silent'}. Nothing was played."])


async def _ask_module(device: Tried) -> Heard:
    host, port = device.address.get("host"), device.address.get("port")
    if not host or not port:
        return Heard(False, ["It has no address yet: give host and port, and save."])
    module = RelayModule(str(host), int(port), device_id=int(device.address.get("unit", 1)))
    began = time.perf_counter()
    try:
        async with asyncio.timeout(HEAR_S):
            coils = {o["name"]: (await module.read_coils(o["coil"], 1))[0] for o in device.outputs}
            if not device.outputs:
                await module.read_coils(0, 1)
    except TimeoutError:
        return Heard(False, [f"{host}:{port} did not answer within {HEAR_S:.0f} s."])
    finally:
        await module.close()
    took_ms = (time.perf_counter() - began) * 1000
    lines = [f"{host}:{port} answers over Modbus TCP ({took_ms:.0f} ms). Nothing was switched."]
    for output in device.outputs:
        on = coils[output["name"]]
        active = on == (output["contact"] == "normally_open")
        lines.append(
            f"Coil {output['coil']} is {'on' if on else 'off'}: {output['name']} is {'active' if active else 'idle'}."
        )
    return Heard(True, lines or ["It has no outputs yet: name them, and save."])


async def _listen(device: Tried) -> Heard:
    url = device.address.get("url")
    if not url:
        return Heard(False, ["It has no address yet: give the URL of its metadata, and save."])
    width, height = (int(device.ability.get(key) or 1) for key in ("width", "height"))
    feed = feed_of(DEVICE_KINDS[device.kind].signals)(device.code, device.id, frame_px=(width, height), where=str(url))
    began = time.perf_counter()
    try:
        async with asyncio.timeout(HEAR_S), aclosing(feed.bodies(str(url))) as bodies:
            async for body in bodies:
                frame = feed.read(body)
                break
            else:
                return Heard(False, [f"{url} ended its stream without a frame."])
    except TimeoutError:
        return Heard(False, [f"{url} sent no frame within {HEAR_S:.0f} s."])
    took_s = time.perf_counter() - began
    lines = [f"{url} sent a frame after {took_s:.1f} s: {frame.words()}."]
    behind_s = time.time() - frame.t
    if abs(behind_s) > 5:
        way = "behind" if behind_s > 0 else "ahead of"
        lines.append(f"Its clock is {abs(behind_s):.0f} s {way} this machine's: set it by a time server.")
    return Heard(True, lines)


def _ask_head(device: Tried) -> Heard:
    """Asked what it can; nothing moves."""
    url, login = device.address.get("url"), device.address.get("login")
    if not url or not login:
        return Heard(False, ["It has no address yet: give its URL and log-in, and save."])
    began = time.perf_counter()
    head = Ptz(Connection(str(url), str(login), device.password))
    found = head.abilities()
    took_ms = (time.perf_counter() - began) * 1000
    by = " ".join(each for each in (found.maker, found.model, found.firmware) if each)
    where = "in degrees" if any(each.in_degrees for each in found.spaces) else "in units of its own"
    position = head.status()
    lines = [
        f"{head.held.host} answers by ONVIF ({took_ms:.0f} ms): {by}. Nothing was moved.",
        f"It tells where it looks {where}: {position.pan:.3f}, {position.tilt:.3f}, zoom {position.zoom:.3f}.",
        f"Streams: {', '.join(_stream(each) for each in found.profiles)}.",
        f"{many(len(head.presets()), 'preset')} of {found.presets}; {'a home' if found.has_home else 'no home'}.",
        *(f"{each}." for each in found.cautions),
    ]
    return Heard(True, lines)


def _stream(held: Profile) -> str:
    size = f" {held.width} x {held.height}" if held.width and held.height else ""
    return f"{held.name}{size}{', which turns' if held.turns else ''}"


async def _wait(device: Tried) -> Heard:
    """The engine hears it, not we: wait until it has a frame that it did not have before."""
    if not device.live:
        return Heard(False, ["Its site is paused, or it is retired: nobody listens to it."])
    before = await _standing(device)
    deadline = time.monotonic() + settings().try_wait_s
    while time.monotonic() < deadline:
        now = await _standing(device)
        if now is not None and now["received"] > (before or {}).get("received", 0):
            lines = [f"It came: {now['words']}."]
            wanted = (device.ability.get("width"), device.ability.get("height"))
            if None not in wanted and (now.get("width"), now.get("height")) != wanted:
                lines.append(f"It should be {wanted[0]} x {wanted[1]}: mend the size here, or at the device.")
            return Heard(True, lines)
        if now is not None and now["unreadable"] > (before or {}).get("unreadable", 0):
            return Heard(False, [f"It sends, but what came cannot be read: {now['unreadable_why']}"])
        await asyncio.sleep(LOOK_S)
    held = settings()
    told = f"No frame came within {held.try_wait_s:.0f} s. It must send to {ingest_address(device.kind, device.code)}, with its token."
    return Heard(False, [told, f"The program listens on {held.ingest_host}, port {held.ingest_port}."])


async def _standing(device: Tried) -> dict[str, Any] | None:
    try:
        answer = await asyncio.to_thread(ask_engine, "GET", f"/state/{device.id}")
    except httpx.HTTPError as error:
        raise LanternError("The engine does not answer.") from error
    feed: dict[str, Any] | None = orjson.loads(answer.content)["feed"]
    return feed


def ingest_address(kind: str, code: str) -> str:
    """Return where a device that sends does so; of any other kind nothing."""
    if DEVICE_KINDS[kind].reached != "sends":
        return ""
    held = settings()
    safe = held.certificate is not None and held.ingest_host != "127.0.0.1"
    scheme = feed_of(DEVICE_KINDS[kind].signals).ways[0] + ("s" if safe else "")
    host = "THIS-MACHINE" if held.ingest_host == "0.0.0.0" else held.ingest_host  # noqa: S104 - compared, not bound
    return f"{scheme}://{host}:{held.ingest_port}/ingest/{code}"
