"""The outbox to the outputs: what is due is written to its module, read back, and tried again with back-off.

An order has begun only once the module said so; a process that dies in between writes the same coil to the same value
again, which switches nothing twice. An output that cannot be written delays its own orders only.
"""

from __future__ import annotations

import asyncio
import time
from collections.abc import Callable
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import datetime
from typing import Any

import structlog

from lantern.core.linking.outputs import Output, Watchdog
from lantern.db.base import now
from lantern.devices.modbus import DeviceUnreachableError, RelayModule
from lantern.live import outbox
from lantern.live.outbox import Due, Round
from lantern.live.tasks import LONGEST_S, SHORTEST_S, Patience, end
from lantern.register.tables import DeviceRow

log = structlog.get_logger()
PROBE_S = 1.0
WATCHDOG = "watchdog"  # among the errors by output
STEADY_S = 5.0  # so long a coil must stay as it was written before an error of its output is over
LONGEST_PAUSE_S = 1.0  # after an error of the program
KEEP_ALIVES = 3  # to a watchdog, in the time after which it acts
LAST_SWITCHINGS_S = 4.0


@dataclass
class Module:
    """One I/O module: its port, its outputs, and how it stands."""

    device_id: int
    site_id: int
    code: str
    relay: RelayModule
    outputs: dict[str, Output]
    watchdog: Watchdog | None
    reachable: bool = False
    since: float = field(default_factory=time.time)
    error: str = "not tried yet"
    coils: dict[str, bool] = field(default_factory=dict)
    errors: dict[str, str] = field(default_factory=dict)  # by output: it was written, and is not so
    unsteady: dict[str, datetime] = field(default_factory=dict)  # when a coil was last found otherwise than written
    delivered: int = 0
    probed: datetime | None = None

    @property
    def keep_alive_s(self) -> float:
        """The longest pause between two words to the module: its watchdog must not miss us."""
        return LONGEST_S if self.watchdog is None else min(LONGEST_S, self.watchdog.timeout_s / KEEP_ALIVES)

    def as_dict(self) -> dict[str, Any]:
        active = {
            name: self.coils[name] == out.coil_for(True) for name, out in self.outputs.items() if name in self.coils
        }
        return {
            "id": self.device_id,
            "code": self.code,
            "reachable": self.reachable,
            "since": self.since,
            "error": self.error or "; ".join(f"{name}: {error}" for name, error in self.errors.items()),
            "errors": self.errors,
            "slow": self.relay.pace.slow,
            "coils": self.coils,
            "active": active,
            "delivered": self.delivered,
            "watchdog_s": None if self.watchdog is None else self.watchdog.timeout_s,
        }


def _otherwise(coil: int, wanted: bool) -> str:
    return f"coil {coil} was written {_word(wanted)}, and read back {_word(not wanted)}"


def _moved(coil: int, wanted: bool) -> str:
    return f"coil {coil} did not stay {_word(wanted)} as it was written: it was read {_word(not wanted)}, and is written again"


def _word(on: bool) -> str:
    return "on" if on else "off"


class Delivery:
    """Delivers for all modules; `wake()` after new orders were stored. All of it goes by `clock`."""

    def __init__(self, on_change: Callable[[], None], clock: Callable[[], datetime] = now) -> None:
        self.modules: dict[int, Module] = {}
        self._on_change = on_change
        self._clock = clock
        self._wake = asyncio.Event()
        self._tasks: dict[int, asyncio.Task[None]] = {}

    def wake(self) -> None:
        self._wake.set()
        self._wake = asyncio.Event()

    def adopt(self, devices: list[DeviceRow]) -> None:
        """Take up the modules there are; one whose address changed is taken up anew, one that is gone is let go."""
        for gone in self.modules.keys() - {device.id for device in devices}:
            del self.modules[gone]
            self._tasks.pop(gone).cancel()
        for device in devices:
            host, port = str(device.address.get("host", "")), int(device.address.get("port", 0) or 0)
            unit = int(device.address.get("unit", 1))
            known = self.modules.get(device.id)
            outputs = {output.name: output for output in device.output_models}
            if known is not None and known.relay.address == (host, port, unit):
                known.outputs, known.watchdog = outputs, device.watchdog_model
                continue
            if known is not None:
                self._tasks.pop(device.id).cancel()
            relay = RelayModule(host, port, device_id=unit)
            module = Module(device.id, device.site_id, device.code, relay, outputs, device.watchdog_model)
            self.modules[device.id] = module
            self._tasks[device.id] = asyncio.create_task(self._serve(module))

    async def stop(self) -> None:
        """Stop delivering; pulses that are on end now, for nobody would be there to end them in time."""
        await end(self._tasks.values())
        with suppress(TimeoutError):
            async with asyncio.timeout(LAST_SWITCHINGS_S):
                await asyncio.gather(*(self._let_go(module) for module in self.modules.values()))

    async def _let_go(self, module: Module) -> None:
        relay = RelayModule(*module.relay.address[:2], device_id=module.relay.device_id)
        try:
            pulsing, stay = await asyncio.to_thread(outbox.outputs_on, module.device_id, self._clock())
            for name in pulsing:
                output = module.outputs.get(name)
                if output is not None:
                    wanted = output.coil_for(False)
                    if await relay.write_coil(output.coil, wanted) == wanted:
                        await asyncio.to_thread(outbox.end_pulses, module.device_id, name, self._clock())
            if stay:
                log.warning("outputs stay on: they are latched", module=module.code, outputs=stay)
        except Exception:
            log.exception("outputs could not be switched off", module=module.code)
        finally:
            await relay.close()

    async def _serve(self, module: Module) -> None:
        """One module's own loop, until another takes its place: what is due, then now and then a look at its coils."""
        keeping = asyncio.create_task(self._keep_alive(module))
        try:
            await self._serve_on(module)
        finally:
            await end([keeping])
            await module.relay.close()

    async def _serve_on(self, module: Module) -> None:
        patience = Patience(LONGEST_PAUSE_S)
        while self.modules.get(module.device_id) is module:
            wake = self._wake
            try:
                wait_s = await self.serve_once(module)
                patience.rest()
            except asyncio.CancelledError:
                raise
            except Exception as error:
                wait_s = patience.lose()
                log.error("delivery failed", module=module.code, error=repr(error), again_in_s=wait_s)
                module.error = (
                    f"effects cannot be looked up: {type(error).__name__}; it is tried again, and the log says more"
                )
            with suppress(TimeoutError):
                async with asyncio.timeout(min(wait_s, PROBE_S)):
                    await wake.wait()

    async def serve_once(self, module: Module) -> float:
        """Write what is due, and now and then look at the coils; returns in how many seconds something is due again."""
        todo = await asyncio.to_thread(outbox.look, module.device_id, self._clock())
        for due in todo.due:
            if not await self._deliver(module, due):
                break
        if module.probed is None or (self._clock() - module.probed).total_seconds() >= PROBE_S:
            module.probed = self._clock()
            await self._probe(module, todo if not todo.due else None)
        return 0.0 if todo.due else todo.wait_s  # what was written now may be due to end before anything else was

    async def _keep_alive(self, module: Module) -> None:
        """Tell the module's watchdog, if it has one, that somebody is there: on a connection of its own, so that it waits neither
        for the store nor for slow answers to something else.
        """
        relay = RelayModule(*module.relay.address[:2], device_id=module.relay.device_id)
        try:
            while True:
                began = time.monotonic()
                if module.watchdog is not None:
                    await self._kept_alive(module, relay, module.watchdog)
                await asyncio.sleep(max(module.keep_alive_s - (time.monotonic() - began), SHORTEST_S))
        finally:
            await relay.close()

    async def _kept_alive(self, module: Module, relay: RelayModule, dog: Watchdog) -> None:
        try:
            await relay.write_register(dog.register_address, dog.value)
        except DeviceUnreachableError as error:
            if module.reachable:  # else what is said of the module says it
                self._fails(module, WATCHDOG, str(error))
        else:
            if module.errors.pop(WATCHDOG, None) is not None:
                self._on_change()

    async def _deliver(self, module: Module, due: Due) -> bool:
        """Write it and read it back; returns whether the module can be asked for more."""
        output = module.outputs.get(due.output)
        if output is None:
            await asyncio.to_thread(outbox.drop, module.device_id, due.output)
            return True
        wanted = output.coil_for(due.active)
        try:
            read_back = await module.relay.write_coil(output.coil, wanted)
        except DeviceUnreachableError as error:
            self._stands(module, False, str(error))
            await asyncio.to_thread(outbox.postpone, module.device_id, due.output, self._clock(), str(error))
            return False
        if read_back != wanted:
            error_text = _otherwise(output.coil, wanted)
            self._fails(module, due.output, error_text)
            await asyncio.to_thread(outbox.postpone, module.device_id, due.output, self._clock(), error_text)
            return True
        if due.output not in module.unsteady:
            module.errors.pop(due.output, None)
        module.coils[due.output] = read_back
        module.delivered += 1
        await asyncio.to_thread(outbox.confirm, module.device_id, due.output, due.active, self._clock())
        await self._answers(module, changed=True)
        return True

    async def _probe(self, module: Module, held: Round | None) -> None:
        """Look whether the coils are as they should be. A module that lost them (a power cut) gets them again. `held`: what the
        store says; None: it has to be asked.
        """
        if not module.outputs:
            return
        count = max(output.coil for output in module.outputs.values()) + 1
        try:
            coils = await module.relay.read_coils(0, count)
            if held is None:
                held = await asyncio.to_thread(outbox.look, module.device_id, self._clock())
            for name, output in module.outputs.items():
                wanted = output.coil_for(name in held.active)
                if name in held.unsettled:
                    continue
                if coils[output.coil] == wanted:
                    self._holds(module, name)
                    continue
                if module.coils.get(name) == wanted:  # at first it is as somebody else left it
                    self._fails(module, name, _moved(output.coil, wanted), unsteady=True)
                coils[output.coil] = await module.relay.write_coil(output.coil, wanted)
                if coils[output.coil] != wanted:
                    self._fails(module, name, _otherwise(output.coil, wanted), unsteady=True)
        except DeviceUnreachableError as error:
            self._stands(module, False, str(error))
            return
        now = {name: coils[output.coil] for name, output in module.outputs.items()}
        changed, module.coils = now != module.coils, now
        await self._answers(module, changed=changed)

    def _fails(self, module: Module, output: str, error: str, *, unsteady: bool = False) -> None:
        """A coil is not as it was written: an error of its output."""
        if unsteady:
            module.unsteady[output] = self._clock()
        if module.errors.get(output) != error:
            module.errors[output] = error
            log.warning("output", code=module.code, output=output, error=error)
            self._on_change()

    def _holds(self, module: Module, output: str) -> None:
        """A coil is as it was written; if it has been so for a while, what was said of it is over."""
        last = module.unsteady.get(output)
        if last is None or (self._clock() - last).total_seconds() >= STEADY_S:
            module.unsteady.pop(output, None)
            if module.errors.pop(output, None) is not None:
                self._on_change()

    async def _answers(self, module: Module, *, changed: bool) -> None:
        """It is there. What waited for it need not wait out its back-off."""
        if not module.reachable:
            await asyncio.to_thread(outbox.retry_now, module.device_id)
            self.wake()
        self._stands(module, True, "", changed=changed)

    def _stands(self, module: Module, reachable: bool, error: str, *, changed: bool = False) -> None:
        if reachable != module.reachable or module.error == "not tried yet":
            module.reachable, module.since = reachable, time.time()
            changed = True
            log.info("module", code=module.code, reachable=reachable, error=error)
        module.error = error
        if changed:
            self._on_change()
