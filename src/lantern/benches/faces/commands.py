"""Commands of this family alone."""

from __future__ import annotations

import sys
from typing import Annotated

import typer

from lantern.commands.judge import TakePath
from lantern.commands.told import line, say_left, told

app = typer.Typer()


@app.command()
def scores(
    take: TakePath,
    fmr: Annotated[float | None, typer.Option(help="A wish: the rate of false matches, of comparisons")] = None,
    false_a_day: Annotated[float | None, typer.Option(help="A wish: false alarms a day")] = None,
    passers: Annotated[float | None, typer.Option(help="Passers a day who are on no list")] = None,
    enrolled: Annotated[float | None, typer.Option(help="How many are on the list")] = None,
    looks: Annotated[float, typer.Option(help="Independent looks of each passer")] = 1.0,
    threshold: Annotated[float | None, typer.Option(help="Rates at this threshold")] = None,
) -> None:
    """Print, as JSON, what the scores of a take of faces say: mated and non-mated, thresholds for a wish, rates with their intervals."""
    from lantern.core.faces.looks import Looks
    from lantern.core.faces.report import Wish, report
    from lantern.core.faults import Fault, Refused
    from lantern.settings import settings
    from lantern.signals.takes import open_take

    with told(), open_take(take, settings().limits) as opened:
        say_left(opened.left)
        if not isinstance(opened.value, Looks):
            raise Refused(
                [Fault("take: kind", f"a take of {opened.signal.name} has no scores", "a take of kind faces")]
            )
        wish = Wish(fmr, false_a_day, passers, enrolled, looks)
        sys.stdout.buffer.write(line(report(opened.value, wish, threshold)))
