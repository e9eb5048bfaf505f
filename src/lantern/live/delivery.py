"""The outbox to the outputs: due effects are written to their module, read back, retried with back-off, or expire.

An effect is marked delivered only after the module said so; a process that dies in between writes the same coil to the
same value again, which switches nothing twice. An output that cannot be reached delays its own effects only.
"""

from __future__ import annotations

import asyncio
import time
from contextlib import suppress
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from typing import Any

import structlog
from sqlalchemy import select, update
from sqlalchemy.dialects.postgresql import distinct_on

from lantern.core.linking.links import Output
from lantern.db.base import transaction
from lantern.devices.modbus import DeviceUnreachableError, RelayModule
from lantern.live.tables import EffectRow
from lantern.live.tasks import end
from lantern.survey.tables import DeviceRow

log = structlog.get_logger()
IDLE_S = 0.2
PROBE_S = 1.0
FIRST_RETRY_S = 0.25
LONGEST_RETRY_S = 4.0
LATE_S = 0.5


@dataclass
class Module:
    """One I/O module: its port, its outputs, and how it stands."""

    device_id: int
    code: str
    relay: RelayModule
    outputs: dict[str, Output]
    reachable: bool = False
    since: float = field(default_factory=time.time)
    error: str = "not tried yet"
    coils: dict[str, bool] = field(default_factory=dict)
    delivered: int = 0

    def as_dict(self) -> dict[str, Any]:
        active = {
            name: self.coils[name] == out.coil_for(True) for name, out in self.outputs.items() if name in self.coils
        }
        return {
            "code": self.code,
            "reachable": self.reachable,
            "since": self.since,
            "error": self.error,
            "coils": self.coils,
            "active": active,
            "delivered": self.delivered,
        }


class Delivery:
    """Delivers for all modules; `wake()` after new effects were stored."""

    def __init__(self, on_change: Any) -> None:
        self.modules: dict[int, Module] = {}
        self._on_change = on_change
        self._wake = asyncio.Event()
        self._tasks: dict[int, asyncio.Task[None]] = {}

    def wake(self) -> None:
        self._wake.set()
        self._wake = asyncio.Event()

    def adopt(self, devices: list[DeviceRow]) -> None:
        """Take up the site's modules; one whose address changed is taken up anew."""
        for device in devices:
            host, port = str(device.address.get("host", "")), int(device.address.get("port", 0) or 0)
            known = self.modules.get(device.id)
            outputs = {output.name: output for output in device.output_models}
            if known is not None and (known.relay.host, known.relay.port) == (host, port):
                known.outputs = outputs
                continue
            if known is not None:
                self._tasks.pop(device.id).cancel()
            module = Module(device.id, device.code, RelayModule(host, port), outputs)
            self.modules[device.id] = module
            self._tasks[device.id] = asyncio.create_task(self._serve(module))

    async def stop(self) -> None:
        await end(self._tasks.values())

    async def _serve(self, module: Module) -> None:
        """One module's own loop, until another takes its place: what is due, then now and then a look at its coils."""
        try:
            await self._serve_on(module)
        finally:
            await module.relay.close()

    async def _serve_on(self, module: Module) -> None:
        probed = 0.0
        while self.modules[module.device_id] is module:
            wake = self._wake
            try:
                due, wait_s = await asyncio.to_thread(due_effects, module.device_id)
                for effect in due:
                    if not await self._deliver(module, effect):
                        break
                if time.monotonic() - probed > PROBE_S:
                    probed = time.monotonic()
                    await self._probe(module)
            except asyncio.CancelledError:
                raise
            except Exception:
                log.exception("delivery failed", module=module.code)
                wait_s = IDLE_S
            with suppress(TimeoutError):
                async with asyncio.timeout(min(wait_s, IDLE_S)):
                    await wake.wait()

    async def _deliver(self, module: Module, effect: Due) -> bool:
        """Write it and read it back; gives whether the rest of what was due still is as it was."""
        output = module.outputs.get(effect.output)
        if output is None:
            await asyncio.to_thread(drop, effect.id, "this output is no longer on the module")
            return True
        wanted = output.coil_for(effect.active)
        try:
            read_back = await module.relay.write_coil(output.coil, wanted)
        except DeviceUnreachableError as error:
            self._stands(module, False, str(error))
            await asyncio.to_thread(postpone, effect.id, effect.attempts, str(error))
            return False
        if read_back != wanted:
            await asyncio.to_thread(postpone, effect.id, effect.attempts, "the module read back another state")
            return False
        module.coils[effect.output] = read_back
        module.delivered += 1
        self._stands(module, True, "", changed=True)
        return not await asyncio.to_thread(delivered, effect.id)

    async def _probe(self, module: Module) -> None:
        """Are the coils as they should be? A module that lost them (a power cut) gets them again."""
        if not module.outputs:
            return
        count = max(output.coil for output in module.outputs.values()) + 1
        try:
            coils = await module.relay.read_coils(0, count)
            active = await asyncio.to_thread(active_outputs, module.device_id)
            for name, output in module.outputs.items():
                wanted = output.coil_for(name in active)
                if coils[output.coil] != wanted and not await asyncio.to_thread(in_flight, module.device_id, name):
                    coils[output.coil] = await module.relay.write_coil(output.coil, wanted)
        except DeviceUnreachableError as error:
            self._stands(module, False, str(error))
            return
        if not module.reachable:
            await asyncio.to_thread(retry_now, module.device_id)
        now = {name: coils[output.coil] for name, output in module.outputs.items()}
        changed, module.coils = now != module.coils, now
        self._stands(module, True, "", changed=changed)

    def _stands(self, module: Module, reachable: bool, error: str, *, changed: bool = False) -> None:
        if reachable != module.reachable or module.error == "not tried yet":
            module.reachable, module.since = reachable, time.time()
            changed = True
            log.info("module", code=module.code, reachable=reachable, error=error)
        module.error = error
        if changed:
            self._on_change()


# ---- the outbox in the store -----------------------------------------------------------------------------------------


@dataclass(frozen=True)
class Due:
    id: int
    output: str
    active: bool
    attempts: int


def due_effects(device_id: int) -> tuple[list[Due], float]:
    """What is to be written now, in order, and how long until the next is due. What is too late expires here."""
    at = datetime.now(UTC)
    with transaction() as session:
        waiting = select(EffectRow).where(EffectRow.device_id == device_id, EffectRow.state == "waiting")
        for row in session.scalars(waiting.where(EffectRow.expires_at < at)):
            row.state, row.note = "expired", "not delivered in time"
            offs = select(EffectRow).where(EffectRow.event_id == row.event_id, EffectRow.output == row.output)
            for off in session.scalars(offs.where(EffectRow.active.is_(False), EffectRow.state == "waiting")):
                off.state, off.note = "dropped", "its switching on expired"
        session.flush()
        due: list[Due] = []
        held_back: set[str] = set()  # an effect waits for the one before it on its output, however long that is retried
        for row in session.scalars(waiting.where(EffectRow.due_at <= at).order_by(EffectRow.due_at, EffectRow.id)):
            if row.next_try_at > at:
                held_back.add(row.output)
            elif row.output not in held_back:
                due.append(Due(row.id, row.output, row.active, row.attempts))
        soonest = session.scalar(
            waiting.with_only_columns(EffectRow.due_at).where(EffectRow.due_at > at).order_by(EffectRow.due_at).limit(1)
        )
    return due, IDLE_S if soonest is None else max((soonest - at).total_seconds(), 0.0)


def delivered(effect_id: int) -> bool:
    """Mark it; a pulse that began late keeps its length. Gives whether others were put off by that."""
    at = datetime.now(UTC)
    with transaction() as session:
        row = session.get_one(EffectRow, effect_id)
        row.state, row.delivered_at, row.attempts, row.note = "delivered", at, row.attempts + 1, ""
        late = at - row.due_at
        began_late = row.active and late > timedelta(seconds=LATE_S)
        if began_late:
            session.execute(
                update(EffectRow)
                .where(
                    EffectRow.event_id == row.event_id,
                    EffectRow.output == row.output,
                    EffectRow.active.is_(False),
                    EffectRow.state == "waiting",
                )
                .values(due_at=EffectRow.due_at + late, next_try_at=EffectRow.due_at + late)
            )
        return began_late


def postpone(effect_id: int, attempts: int, note: str) -> None:
    wait_s = min(FIRST_RETRY_S * 2**attempts, LONGEST_RETRY_S)
    with transaction() as session:
        row = session.get_one(EffectRow, effect_id)
        row.attempts, row.note = attempts + 1, note
        row.next_try_at = datetime.now(UTC) + timedelta(seconds=wait_s)


def drop(effect_id: int, note: str) -> None:
    with transaction() as session:
        row = session.get_one(EffectRow, effect_id)
        row.state, row.note = "dropped", note


def retry_now(device_id: int) -> None:
    """A module that came back need not wait out its back-off."""
    with transaction() as session:
        session.execute(
            update(EffectRow)
            .where(EffectRow.device_id == device_id, EffectRow.state == "waiting")
            .values(next_try_at=EffectRow.due_at)
        )


def active_outputs(device_id: int) -> set[str]:
    """Outputs whose last delivered effect switched them on."""
    with transaction() as session:
        query = (
            select(EffectRow.output, EffectRow.active)
            .where(EffectRow.device_id == device_id, EffectRow.state == "delivered")
            .ext(distinct_on(EffectRow.output))
            .order_by(EffectRow.output, EffectRow.delivered_at.desc(), EffectRow.id.desc())
        )
        return {output for output, active in session.execute(query) if active}


def in_flight(device_id: int, output: str) -> bool:
    """Is an effect of this output due and not yet delivered? Then its own delivery settles the coil."""
    with transaction() as session:
        query = select(EffectRow.id).where(
            EffectRow.device_id == device_id,
            EffectRow.output == output,
            EffectRow.state == "waiting",
            EffectRow.due_at <= datetime.now(UTC),
        )
        return session.scalar(query.limit(1)) is not None
