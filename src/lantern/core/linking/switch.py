"""What one output does: any number of orders at one time, and those that overlap are one activity.

The one place that arbitrates outputs. Rehearsal steps it through a take, confirming at once; the live outbox steps the same,
and confirms when the module has said so. Delays, lengths, latches, lateness, expiry and acknowledgements are all here.
"""

from __future__ import annotations

from collections.abc import Iterable
from heapq import heappop, heappush

from lantern.core.linking import outcomes
from lantern.core.linking.orders import COINCIDE_S, Order, Standing, reached

Heap = list[tuple[float, int, Standing]]


class Switch:
    """`on`: what its device last confirmed. Ask `wanted` after each `advance`, and say with `confirm` what was written."""

    def __init__(self, standings: Iterable[Standing] = (), *, on: bool = False) -> None:
        """Go on with orders that are not over, as an earlier one left them."""
        self.on = on
        self._ordered: Heap = []
        self._waiting: list[Standing] = []  # due, and their device has not said that it is on since
        self._running: Heap = []
        self._latched: list[Standing] = []
        for standing in standings:
            self._take(standing)

    def _take(self, standing: Standing) -> None:
        order = standing.order
        if standing.stage == "ordered":
            heappush(self._ordered, (order.at_s, order.key, standing))
        elif standing.stage == "waiting":
            self._waiting.append(standing)
        elif standing.to_s is None:
            self._latched.append(standing)
        else:
            heappush(self._running, (standing.to_s, order.key, standing))

    def order(self, order: Order) -> Standing:
        """Take an order; returns how it stands, now and later."""
        standing = Standing(order)
        self._take(standing)
        return standing

    def advance(self, t: float) -> None:
        """Let it be `t`: pulses end, orders fall due, those that waited too long expire."""
        while self._running and reached(self._running[0][0], t):
            to_s, _, standing = heappop(self._running)
            standing.end("done", outcomes.LASTED, to_s)
        while self._ordered and reached(self._ordered[0][0], t):
            standing = heappop(self._ordered)[2]
            standing.stage = "waiting"
            self._waiting.append(standing)
        for standing in self._waiting:
            if t > standing.order.last_s + COINCIDE_S:
                standing.end("expired", outcomes.too_late(standing.order))
        self._waiting = [standing for standing in self._waiting if standing.stage == "waiting"]

    @property
    def wanted(self) -> bool | None:
        """Return what is to be written to the device; None: nothing. An order that is due is written even to an output
        that is on.
        """
        if self._waiting:
            return True
        wanted = bool(self._running or self._latched)
        return wanted if wanted != self.on else None

    def confirm(self, t: float, on: bool) -> list[Standing]:
        """The device said at `t` what it is now. Returns the orders that have begun with that: all that were due."""
        self.on = on
        if not on:
            return []
        begun, self._waiting = self._waiting, []
        for standing in begun:
            standing.begin(standing.order.at_s, t)
            self._take(standing)
        return begun

    @property
    def latched(self) -> int:
        """Return how many orders hold it on, or will once they are delivered, until somebody acknowledges them."""
        return len(self._latched) + sum(standing.order.latched for standing in self._waiting)

    def acknowledge(self, t: float) -> int:
        """Let go of all that latches and is due by `t`; returns how many those were. Pulses go on."""
        held = self.latched
        for standing in self._latched:
            standing.end("done", outcomes.ACKNOWLEDGED, t)
        for standing in self._waiting:
            if standing.order.latched:
                standing.end("dropped", outcomes.ACKNOWLEDGED_UNSEEN)
        self._latched = []
        self._waiting = [standing for standing in self._waiting if standing.stage == "waiting"]
        return held

    def cut(self, t: float, because: str) -> None:
        """End the pulses that run; what latches, and what has not begun, stays."""
        for _, _, standing in self._running:
            standing.end("cut", because, t)
        self._running = []

    @property
    def next_s(self) -> float | None:
        """The instant at which to ask again; None: not before something is ordered."""
        instants = [heap[0][0] for heap in (self._ordered, self._running) if heap]
        # at its last instant an order may still begin: it expires after it
        instants += [standing.order.last_s + 2 * COINCIDE_S for standing in self._waiting]
        return min(instants, default=None)
