"""Commands on heads that turn: no database, no running program, nothing that moves."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from lantern.commands.told import line, told

app = typer.Typer()


@app.command()
def aim(
    ptz: Annotated[Path, typer.Option("--ptz", help="Where it stands, how fast it turns, its lens, its limits: JSON")],
    at: Annotated[str, typer.Option("--at", help="x,y,z in m: what it looks at")],
    height_m: Annotated[float, typer.Option("--height-m", help="How tall the target is")] = 1.8,
    share: Annotated[float, typer.Option("--share", help="Of the picture's height that it fills")] = 0.5,
    come_from: Annotated[
        str | None, typer.Option("--from", help="pan,tilt in degrees of the site: where it looks now")
    ] = None,
) -> None:
    """Print, as JSON, where a head must point and how far it must zoom to look at a place, and how long that takes."""
    from lantern.core.faults import FaultList
    from lantern.core.ptz.pointing import aimed
    from lantern.formats.heads import direction_of, place_of, read_head

    with told():
        faults = FaultList()
        head, place = read_head(ptz), place_of(at, faults, where="--at")
        before = None if come_from is None else direction_of(come_from, faults, where="--from")
        for where, value, most in (("--height-m", height_m, 1000.0), ("--share", share, 1.0)):
            if not 0 < value <= most:
                faults.add(where, f"is {value:g}", f"above 0, {most:g} at most")
        faults.refuse_if_any()
        sys.stdout.buffer.write(line(aimed(head, place, height_m=height_m, share=share, come_from=before)))


@app.command()
def duty(
    plan: Annotated[Path, typer.Option("--plan", help="Who may move it when: calls, timetable, by hand, ranks: JSON")],
) -> None:
    """Print a JSON line for each stretch with who moves a head then, and one for each call that was dropped."""
    from lantern.core.ptz.duty import Plan
    from lantern.core.ptz.duty import duty as worked_out
    from lantern.formats.documents import read_bytes, read_json, read_model

    with told():
        held = read_model(Plan, read_json(read_bytes(plan), where=plan.name), where=plan.name)
        for each in worked_out(held).lines():
            sys.stdout.buffer.write(line(each))
