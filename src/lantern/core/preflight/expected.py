"""What goes wrong with what is expected of the site, and with findings that somebody lives with."""

from __future__ import annotations

from collections.abc import Iterator

from lantern.core.preflight.checked import Checked
from lantern.core.preflight.finding import Found, rule


@rule("An expectation of something that is not there is never shown.")
def expects_nobody(checked: Checked) -> Iterator[Found]:
    there = {
        "detector": set(checked.detectors),
        "compound": {each.name for each in checked.compounds},
        "input": {each.name for device in checked.site.devices for each in device.inputs},
    }
    for each in checked.expectations:
        what, name = each.when.of
        if name not in there[what]:
            yield Found("error", f"expectations[{each.name}]", f"there is no {what} {name!r}", "one that is there")


@rule("Nothing is ordered of it: the expectation is broken before anybody rehearses.")
def expects_what_no_link_does(checked: Checked) -> Iterator[Found]:
    ordered: dict[tuple[str, str], set[tuple[str, str]]] = {}
    for link, effect in checked.effects:
        cause = link.cause
        for what in ("detector", "compound", "input"):
            name = getattr(cause, what)
            if name:
                do = effect.do
                ordered.setdefault((what, name), set()).update((do, thing) for thing in effect.things)
    for each in checked.expectations:
        for must in each.must:
            if (must.do, must.on) not in ordered.get(each.when.of, set()):
                what = f"no link of {each.when.of[1]} does {must.do} on {must.on}"
                yield Found("error", f"expectations[{each.name}]", what, "a link, or another expectation")


RULES = (expects_nobody, expects_what_no_link_does)
