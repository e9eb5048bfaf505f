"""The inputs of the modules: read again and again, debounced, and what they cause stored with its effects.

A module that does not answer has inputs of unknown state: what stood stands, and nothing is taken for idle.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import Awaitable, Callable, Mapping, Sequence
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import structlog

from lantern.core.linking.arming import Armed
from lantern.core.linking.inputs import Debounced, Input, State
from lantern.devices.modbus import DeviceUnreachableError, RelayModule
from lantern.live.recorder import InputTurn, known_inputs
from lantern.live.tasks import Patience, end
from lantern.register.tables import DeviceRow

log = structlog.get_logger()
LONGEST_POLL_S, SHORTEST_POLL_S = 0.05, 0.01
Store = Callable[[InputTurn, Sequence[Armed]], Awaitable[None]]


@dataclass
class Watched:
    """One input: what was read of it last, and what counts."""

    input: Input
    held: Debounced
    raw: State = "unknown"
    told: str = "not read yet"
    reading: float | None = None
    since: float = field(default_factory=time.time)

    def as_dict(self) -> dict[str, Any]:
        return {
            "name": self.input.name,
            "state": self.held.settled,
            "told": self.told,
            "reading": None if self.reading is None else round(self.reading, 4),
            "since": self.since,
            "supervised": self.input.supervised is not None,
            "wired": self.input.wired,
        }


@dataclass
class Panel:
    """The inputs of one module, over a connection of their own: a switching never waits for a look, nor a look for it."""

    device_id: int
    site_id: int
    code: str
    module: RelayModule
    watched: list[Watched]
    source: tuple[Any, ...]  # what it was made of
    error: str = ""

    @property
    def poll_s(self) -> float:
        """Twice in the shortest time that a state must hold."""
        holds = [each.held.hold_s for each in self.watched if each.input.wired]
        return max(min(LONGEST_POLL_S, min(holds, default=LONGEST_POLL_S) / 2), SHORTEST_POLL_S)


class Inputs:
    """The inputs of all modules. `store` keeps what turned, however long the store is away; `on_change` tells whoever
    looks; `clock` says when it turned.
    """

    def __init__(self, store: Store, on_change: Callable[[], None], clock: Callable[[], datetime]) -> None:
        self._clock = clock
        self.panels: dict[int, Panel] = {}
        self.armed: Mapping[tuple[int, str], list[Armed]] = {}
        self._store, self._on_change = store, on_change
        self._tasks: dict[int, asyncio.Task[None]] = {}

    async def adopt(self, devices: Sequence[DeviceRow], armed: Mapping[tuple[int, str], list[Armed]]) -> None:
        """Take up the modules that have wired inputs; one that changed is taken up anew, with what it was last known to be."""
        self.armed = armed
        there = {device.id: device for device in devices if any(each.wired for each in device.input_models)}
        for gone in self.panels.keys() - there.keys():
            await self._let_go(gone)
        for device in there.values():
            source = (device.code, repr(device.address), repr(device.extras.get("inputs")))
            known = self.panels.get(device.id)
            if known is not None and known.source == source:
                continue
            if known is not None:
                await self._let_go(device.id)
            panel = await _panel(device, source)
            self.panels[device.id] = panel
            self._tasks[device.id] = asyncio.create_task(self._watch(panel))

    async def _let_go(self, device_id: int) -> None:
        del self.panels[device_id]
        await end([self._tasks.pop(device_id)])

    async def stop(self) -> None:
        await end(self._tasks.values())

    def as_dict(self, device_id: int) -> list[dict[str, Any]]:
        panel = self.panels.get(device_id)
        return [] if panel is None else [each.as_dict() for each in panel.watched]

    async def _watch(self, panel: Panel) -> None:
        patience = Patience()
        try:
            while True:
                pause_s = panel.poll_s
                try:
                    read = await _read(panel)
                    panel.error = ""
                    patience.rest()
                except DeviceUnreachableError as error:
                    read, panel.error = {}, str(error)
                    pause_s = patience.lose()
                try:
                    await self._take(panel, read)
                except Exception:
                    log.exception("an input's turn could not be taken; the others go on", module=panel.code)
                    pause_s = patience.lose()
                await asyncio.sleep(pause_s)
        finally:
            await panel.module.close()

    async def _take(self, panel: Panel, read: Mapping[str, tuple[State, str, float]]) -> None:
        now = time.monotonic()
        for each in panel.watched:
            silent = ("unknown", panel.error or "not wired: give its address", None)
            state, told, reading = read.get(each.input.name, silent)
            changed = (state, told) != (each.raw, each.told)
            each.raw, each.told, each.reading = state, told, reading  # type: ignore[assignment] # a literal in a tuple
            before = each.held.known
            settled = each.held.step(now, each.raw)
            if settled is not None:
                each.since = time.time()
                log.info("input", module=panel.code, input=each.input.name, state=settled, told=told)
                if settled != "unknown":
                    await self._turned(panel, each, before)
            if settled is not None or changed:
                self._on_change()

    async def _turned(self, panel: Panel, each: Watched, before: State | None) -> None:
        name = each.input.name
        turn = InputTurn(
            site_id=panel.site_id,
            device_id=panel.device_id,
            input=name,
            before=before,
            state=each.held.settled,
            told=each.told,
            reading=each.reading or 0.0,
            at=self._clock(),
        )
        await self._store(turn, self.armed.get((panel.site_id, name), []))


async def _panel(device: DeviceRow, source: tuple[Any, ...]) -> Panel:
    known = await asyncio.to_thread(known_inputs, device.id)
    watched = [
        Watched(each, Debounced(each.debounce_ms / 1000, known=known.get(each.name)))  # type: ignore[arg-type] # as stored
        for each in device.input_models
    ]
    host, port = str(device.address.get("host", "")), int(device.address.get("port", 0) or 0)
    module = RelayModule(host, port, device_id=int(device.address.get("unit", 1)))
    return Panel(device.id, device.site_id, device.code, module, watched, source)


async def _read(panel: Panel) -> dict[str, tuple[State, str, float]]:
    """Return what each wired input says now. Raises `DeviceUnreachableError`."""
    bits = [each.input.discrete for each in panel.watched if each.input.discrete is not None]
    registers = [each.input.supervised.register_address for each in panel.watched if each.input.supervised is not None]
    closed = await panel.module.read_discrete_inputs(bits) if bits else {}
    values = await panel.module.read_input_registers(registers) if registers else {}
    out: dict[str, tuple[State, str, float]] = {}
    for each in panel.watched:
        loop = each.input.supervised
        if each.input.discrete is not None:
            on = closed[each.input.discrete]
            out[each.input.name] = each.input.of_bit(on), "closed" if on else "open", float(on)
        elif loop is not None:
            ratio = values[loop.register_address] / loop.full_scale
            state, told = loop.state(ratio)
            out[each.input.name] = state, told or f"ratio {ratio:.3f}", ratio
    return out
