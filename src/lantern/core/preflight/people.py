"""What goes wrong with people and sites beside each other: nobody who may, one account for all, an output that two sites switch."""

from __future__ import annotations

from collections.abc import Iterator

from lantern.core.effects.switch.effect import Switch
from lantern.core.preflight.checked import Checked
from lantern.core.preflight.finding import Found, rule


@rule("Who did what cannot be told, and nobody can be shut out without shutting out all.")
def one_account(checked: Checked) -> Iterator[Found]:
    acting = [each for each in checked.accounts or () if each.acts]
    if checked.accounts is not None and len(acting) == 1:
        yield Found(
            "note", "", f"{acting[0].login} is the only account that may act here", "an account for each person"
        )


@rule("What is latched stays on until somebody acknowledges it.")
def nobody_acknowledges(checked: Checked) -> Iterator[Found]:
    if checked.accounts is None or any(each.acts for each in checked.accounts):
        return
    for link, effect in checked.effects:
        if isinstance(effect, Switch) and effect.mode == "latched":
            what = f"latches {effect.output}, and no account may acknowledge"
            yield Found("error", f"links[{link.name}]", what, "an operator")


@rule("A head that follows somebody has to be taken from it by somebody.")
def nobody_takes_over(checked: Checked) -> Iterator[Found]:
    if checked.accounts is None or any(each.acts for each in checked.accounts):
        return
    for device in checked.in_use:
        if device.duty is not None:
            yield Found("error", checked.device_at(device.code), "no account may take it by hand", "an operator")


@rule("Each site believes that it alone switches it.")
def output_of_two_sites(checked: Checked) -> Iterator[Found]:
    for name, other in (checked.taken or {}).items():
        if name in checked.switched:
            yield Found("error", checked.output_at(name), f"{other} switches the same coil", "one site for one coil")


RULES = (one_account, nobody_acknowledges, nobody_takes_over, output_of_two_sites)
