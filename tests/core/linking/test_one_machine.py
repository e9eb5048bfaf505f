"""Orders taken one by one as they come, with restarts, against the rehearsal of all of them and against a plain reading."""

from __future__ import annotations

from copy import deepcopy
from datetime import timedelta

from hypothesis import given, settings
from hypothesis import strategies as st

from lantern.core.linking.orders import Order, Standing
from lantern.core.linking.switch import Switch
from lantern.core.reasons import Reason
from lantern.core.rehearsal import Rehearsal, rehearse
from plans import SIZE, START, Came, Plan, came_of, coils_of, plan_of

END_S = 200.0
PLANS = 3_000


def rehearsed(plan: Plan) -> Rehearsal:
    return rehearse(
        plan.events, lambda mark: Reason("", "", {}), [], plan.links, start=START, length_s=60.0, during=plan.during
    )


def switched(done: Rehearsal, output: str) -> list[tuple[float, bool]]:
    stretches = [active for active in done.effects if active.output == output]
    instants = [(active.on_s, True) for active in stretches]
    instants += [(active.off_s, False) for active in stretches if active.off_s is not None]
    return sorted(instants)


def live(
    plan: Plan, orders: list[tuple[float, Order]], output: str
) -> tuple[list[tuple[float, bool]], dict[int, Standing]]:
    """One output as it runs: each order is taken when its event comes, the clock goes on to what is next, now and then all is
    started anew from what was kept.
    """
    switch, coil = Switch(), []
    kept: dict[int, Standing] = {}
    happens = [t for t, _ in orders] + [*plan.restarts_s, *plan.during.instants(output)]
    t = -1.0
    while (
        t := min((each for each in (switch.next_s, *happens) if each is not None and each > t), default=END_S)
    ) < END_S:
        for raised_s, order in orders:
            if raised_s == t and order.thing == output:
                kept[order.key] = switch.order(order)
        if t in plan.restarts_s:
            kept = deepcopy(kept)
            switch = Switch([each for each in kept.values() if each.stage != "over"], on=switch.on)
        switch.advance(t)
        if (t, output) in plan.during.acknowledged:
            switch.acknowledge(t)
        wanted = switch.wanted
        if wanted is not None and not plan.during.is_away(output, t):
            if wanted != switch.on:
                coil.append((t, wanted))
            switch.confirm(t, wanted)
    return coil, kept


def what_came(standing: Standing) -> Came:
    return Came(str(standing.result), standing.from_s, standing.to_s)


@settings(max_examples=PLANS, deadline=None)
@given(st.binary(min_size=SIZE, max_size=SIZE))
def test_live_is_what_was_rehearsed(data: bytes) -> None:
    plan = plan_of(data)
    done = rehearsed(plan)
    orders = [(plan.events[ordered.event].raised_s, ordered.standing.order) for ordered in done.orders]
    for output in ("lamp", "stop"):
        mine = [ordered.standing for ordered in done.orders if ordered.standing.order.thing == output]
        plain = [came_of(standing.order, plan.during) for standing in mine]
        assert [what_came(standing) for standing in mine] == plain
        assert switched(done, output) == coils_of(output, plain, plan.during)
        coil, kept = live(plan, orders, output)
        assert coil == switched(done, output)
        assert [what_came(kept[standing.order.key]) for standing in mine] == plain


@settings(max_examples=500, deadline=None)
@given(st.binary(min_size=SIZE, max_size=SIZE))
def test_what_fires_is_what_listens_and_is_armed(data: bytes) -> None:
    """Held against the words of the contract, link by link and event by event."""
    plan = plan_of(data)
    done = rehearsed(plan)
    expected = [
        (index, armed.link.name, effect.output, event.raised_s + armed.link.delay_s)
        for index, event in enumerate(plan.events)
        for armed in plan.links
        if armed.timetable is None
        or START + timedelta(seconds=event.raised_s) >= START.replace(hour=12, minute=0, second=0)
        if armed.link.on_repeat or not event.repeat
        for effect in armed.link.effects
    ]
    found = [(o.event, o.link, o.standing.order.thing, o.standing.order.at_s) for o in done.orders]
    assert found == expected
    assert [outcome.code == "fired" for outcome in done.outcomes] == [
        any(index == number for number, *_ in expected) for index in range(len(plan.events))
    ]
