"""What a thing does that does one thing at a time (a speaker, a PTZ): who begins, who waits, who gives way.

At one instant first ends what ends then, then begins what waits, then come the new orders, the more urgent first, of equals
the one whose key is less.
"""

from __future__ import annotations

from collections.abc import Iterable
from heapq import heappop, heappush

from lantern.core.linking import outcomes
from lantern.core.linking.orders import COINCIDE_S, Order, Standing, reached


class OneAtATime:
    """Every order has a length. Ask `running` after each `advance`."""

    def __init__(self, standings: Iterable[Standing] = ()) -> None:
        """Go on with orders that are not over, as an earlier one left them."""
        self.running: Standing | None = None
        self._ordered: list[tuple[float, int, int, Standing]] = []
        self._waiting: list[Standing] = []
        for standing in standings:
            if standing.stage == "running":
                self.running = standing
            elif standing.stage == "waiting":
                self._waiting.append(standing)
            else:
                self._expect(standing)

    def _expect(self, standing: Standing) -> None:
        order = standing.order
        heappush(self._ordered, (order.at_s, order.priority, order.key, standing))

    def order(self, order: Order) -> Standing:
        """Take an order; returns how it stands, now and later. Raises `ValueError` for one without a length."""
        if order.length_s is None:
            raise ValueError(f"order {order.key} has no length: {order.thing} does one thing at a time")
        standing = Standing(order)
        self._expect(standing)
        return standing

    @property
    def next_s(self) -> float | None:
        """The instant at which to ask again; None: not before something is ordered."""
        instants = [self._ordered[0][0]] if self._ordered else []
        if self.running is not None and self.running.to_s is not None:
            instants.append(self.running.to_s)
        instants += [standing.order.last_s + 2 * COINCIDE_S for standing in self._waiting]
        return min(instants, default=None)

    def advance(self, t: float) -> None:
        """Let it be `t`, instant by instant."""
        while (instant_s := self.next_s) is not None and reached(instant_s, t):
            self._end(instant_s)
            self._expire(instant_s)
            self._begin_waiting(instant_s, t)
            while self._ordered and reached(self._ordered[0][0], instant_s):
                self._meet(heappop(self._ordered)[-1], t)

    def _end(self, instant_s: float) -> None:
        running = self.running
        if running is not None and running.to_s is not None and reached(running.to_s, instant_s):
            running.end("done", outcomes.LASTED, running.to_s)
            self.running = None

    def _expire(self, instant_s: float) -> None:
        for standing in self._waiting:
            if instant_s > standing.order.last_s + COINCIDE_S:
                standing.end("expired", outcomes.too_late(standing.order))
        self._waiting = [standing for standing in self._waiting if standing.stage == "waiting"]

    def _begin_waiting(self, instant_s: float, t: float) -> None:
        if self.running is None and self._waiting:
            first = min(self._waiting, key=lambda standing: standing.order.place)
            self._waiting.remove(first)
            self._begin(first, instant_s, t)

    def _meet(self, new: Standing, t: float) -> None:
        """A new order meets what runs."""
        order, running = new.order, self.running
        if running is None:
            self._begin(new, order.at_s, t)
            return
        held = running.order
        if order.priority < held.priority or (order.priority == held.priority and order.when_busy == "replace"):
            running.end("cut", outcomes.gave_way(order), max(order.at_s, running.from_s or 0.0))
            self._begin(new, order.at_s, t)
        elif order.when_busy == "wait":
            new.stage = "waiting"
            self._waiting.append(new)
        else:
            new.end("busy", outcomes.found_busy(held))

    def _begin(self, standing: Standing, instant_s: float, t: float) -> None:
        standing.begin(instant_s, t)
        self.running = standing
