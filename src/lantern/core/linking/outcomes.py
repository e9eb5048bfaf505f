"""What comes of events and of orders, in words: the one register, for rehearsal, live engine, pages and files."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from lantern.core.linking.orders import Order
from lantern.core.logic.timetable import Timetable
from lantern.core.reasons import Reason

# ---- of an event: what its links made of it ----

OF_EVENT = {
    "fired": "fired",
    "no_link": "no link",
    "other_region": "no link listens",
    "outside_timetable": "outside the timetable",
    "repeat": "a repeat",
    "held_back": "held back",
    "no_effect": "no effect",
}  # by code, as a list shows it; the sentence is the reason's


def fired(outputs: Iterable[str], after_s: float) -> Reason:
    """It ordered something of these outputs, of the first so long after the raise."""
    named = sorted(set(outputs))
    return Reason("fired", f"Fired {', '.join(named)}.", {"outputs": named, "after_s": after_s})


def no_link() -> Reason:
    return Reason("no_link", "No link: this detector is tied to no output.", {})


def other_region(region: str, listed: str | None) -> Reason:
    """There are links, and none listens to the region, or to the list that was matched."""
    what = " of ".join(part for part in (region, f"list {listed}" if listed else "") if part)
    return Reason("other_region", f"No link listens to {what or 'it'}.", {})


def outside_own_hours(hours: Timetable) -> Reason:
    """It came outside the own hours of what raised it: a detector, an input or a compound."""
    text = f"Outside its own timetable: {hours.name}, {hours.summary}."
    return Reason("outside_timetable", text, {"timetable": hours.name})


def outside_hours(links: Sequence[tuple[str, Timetable]]) -> Reason:
    """Every link that listens slept; by link, with its timetable."""
    told = [f"{name} (timetable {hours.name}, {hours.summary})" for name, hours in links]
    return Reason("outside_timetable", f"Outside the timetable: {'; '.join(told)}.", {"links": told})


def held_back(links: Sequence[tuple[str, int, float]]) -> Reason:
    """Every link that listens and is awake has fired as often as it may; by link, with its limit."""
    told = [f"{name} (at most {burst} at once, then one in {refill_s:g} s)" for name, burst, refill_s in links]
    return Reason("held_back", f"Held back: {'; '.join(told)}.", {"links": [name for name, _, _ in links]})


def repeat() -> Reason:
    return Reason("repeat", "A repeat, and the link does not fire on repeats.", {})


def no_effect() -> Reason:
    return Reason("no_effect", "The link has no effect in it.", {})


def without_outputs(outputs: Sequence[str]) -> str:
    """Return what is added where the site has lost outputs that a link names."""
    return f"; the site has no output {', '.join(outputs)} any more" if outputs else ""


# ---- of an order ----

OF_ORDER: dict[str | None, str] = {
    "done": "done",
    "cut": "cut short",
    "busy": "busy",
    "expired": "expired",
    "dropped": "dropped",
    "asleep": "asleep",
}  # by result
DELIVERED = "It was delivered."
LASTED = "It lasted as long as ordered."
ACKNOWLEDGED = "It was acknowledged."
ACKNOWLEDGED_UNSEEN = "It was acknowledged before it was delivered."
STOPPED = "The program was stopped."
NO_OUTPUT = "This output is no longer on the module."


def output_asleep(hours: Timetable) -> str:
    return f"The timetable {hours.name} of the output is off then ({hours.summary})."


def too_late(order: Order) -> str:
    return f"It could not begin within {order.expire_s:g} s."


def gave_way(to: Order) -> str:
    return f"An order of priority {to.priority} took its place."


def found_busy(running: Order) -> str:
    return f"An order of priority {running.priority} was running."
