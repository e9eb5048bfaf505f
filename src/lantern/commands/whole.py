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
    from lantern.formats.site_files import read_site
    from lantern.formats.whole_sites import begin_of, read_events, rules_of
    from lantern.settings import settings
    from lantern.signals.rehearsed import rehearsed_takes

    with told():
        if (events is None) == (takes is None):
            raise Refused([Fault("rehearse", "needs --events or --takes, and not both", "one of them")])
        whole = read_site(site)
        begins = _moment(start)
        if begins is not None:
            begins = begin_of(whole, begins)
        clocks: dict[str, float] = {}
        if takes is not None:
            found = rehearsed_takes(takes, whole, begins, settings().limits)
            begins, given, clocks = found.begins, list(found.events), found.takes
        else:
            assert events is not None
            given = read_events(events, whole)
        lines = rehearsed(rules_of(whole, begin_of(whole, begins)), given, until_s=until)
        for each in lines:
            sys.stdout.buffer.write(line(each.said))
        if not expect:
            return
        outcomes = judged(whole.expectations, lines, {name: (began,) for name, began in clocks.items()})
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


@app.command()
def preflight(
    site: Annotated[Path, typer.Option("--site", help="A lantern-site/1 file")],
) -> None:
    """Print what is wrong with a site, or looks so, a JSON line a finding, the gravest first. Exit 1 with an error that nobody accepted."""
    from lantern.core.preflight.checked import Checked
    from lantern.core.preflight.rules import preflight as found_by
    from lantern.formats.device_types import shipped_types
    from lantern.formats.site_files import read_site

    with told():
        whole = read_site(site)
        found = found_by(Checked(whole, {**shipped_types(), **{each.name: each for each in whole.types}}))
    for each in found:
        sys.stdout.buffer.write(line(each.finding.as_dict(each.accepted)))
    sys.stdout.buffer.flush()
    if any(each.finding.severity == "error" and each.accepted is None for each in found):
        raise typer.Exit(1)
