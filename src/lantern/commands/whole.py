"""The rehearsal of a whole site by its files: no database, no running program."""

from __future__ import annotations

import sys
from datetime import datetime
from pathlib import Path
from typing import Annotated

import typer

from lantern.commands.told import line, told

app = typer.Typer()


@app.command()
def rehearse(
    site: Annotated[Path, typer.Option("--site", help="A lantern-site/1 file")],
    events: Annotated[Path, typer.Option("--events", help="Events, a JSON line each, as evaluate prints them")],
    start: Annotated[
        str | None, typer.Option("--start", help="When second 0 is, ISO 8601; else 2026-01-05T00:00:00 on the site")
    ] = None,
    until: Annotated[float | None, typer.Option("--until", help="Seconds from which on nothing more is raised")] = None,
) -> None:
    """Print, a JSON line each and in order of time, what a site's compounds raise and its links order over given events."""
    from lantern.core.faults import Fault, Refused
    from lantern.core.linking.whole import rehearsed
    from lantern.formats.whole_sites import read_events, read_rules

    with told():
        try:
            begins = None if start is None else datetime.fromisoformat(start)
        except ValueError as error:
            raise Refused(
                [Fault("--start", repr(start)[:60], "ISO 8601, such as 2026-01-05T00:00:00+01:00")]
            ) from error
        held, rules = read_rules(site, begins)
        for said in rehearsed(rules, read_events(events, held), until_s=until):
            sys.stdout.buffer.write(line(said))
