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
    events: Annotated[
        Path | None, typer.Option("--events", help="Events, a JSON line each, as evaluate prints them")
    ] = None,
    takes: Annotated[Path | None, typer.Option("--takes", help="A folder of takes of the site's devices")] = None,
    start: Annotated[
        str | None,
        typer.Option("--start", help="When second 0 is, ISO 8601; else the earliest take, or 2026-01-05T00:00:00"),
    ] = None,
    until: Annotated[float | None, typer.Option("--until", help="Seconds from which on nothing more is raised")] = None,
    expect: Annotated[bool, typer.Option("--expect", help="Say, last, which expectations are kept")] = False,
) -> None:
    """Print, a JSON line each and in order of time, what a site's detectors and compounds raise and its links order."""
    from lantern.core.faults import Fault, Refused
    from lantern.core.linking.expectations import judged
    from lantern.core.linking.whole import rehearsed
    from lantern.formats.whole_sites import read_events, read_whole
    from lantern.settings import settings
    from lantern.signals.rehearsed import rehearsed_takes

    with told():
        if (events is None) == (takes is None):
            raise Refused([Fault("rehearse", "needs --events or --takes, and not both", "one of them")])
        whole = read_whole(site)
        begins = _moment(start)
        if begins is not None:
            begins = whole.begins(begins)
        clocks: dict[str, float] = {}
        if takes is not None:
            found = rehearsed_takes(takes, whole.site, begins, settings().limits)
            begins, given, clocks = found.begins, list(found.events), found.takes
        else:
            assert events is not None
            given = read_events(events, whole.site)
        lines = rehearsed(whole.rules(whole.begins(begins)), given, until_s=until)
        for each in lines:
            sys.stdout.buffer.write(line(each.said))
        if not expect:
            return
        outcomes = judged(whole.expectations, lines, clocks)
        for outcome in outcomes:
            sys.stdout.buffer.write(line(outcome.as_dict()))
        sys.stdout.buffer.flush()
        if any(outcome.result != "kept" for outcome in outcomes):
            raise typer.Exit(1)


def _moment(text: str | None) -> datetime | None:
    from lantern.core.faults import Fault, Refused

    try:
        return None if text is None else datetime.fromisoformat(text)
    except ValueError as error:
        raise Refused([Fault("--start", repr(text)[:60], "ISO 8601, such as 2026-01-05T00:00:00+01:00")]) from error
