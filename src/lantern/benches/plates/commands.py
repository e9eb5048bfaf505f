"""Commands of this family alone."""

from __future__ import annotations

import sys

import typer

from lantern.commands.judge import DetectorGiven, SiteFile, TakePath, judged_file
from lantern.commands.told import line, told

app = typer.Typer()


@app.command()
def reads(detector: DetectorGiven, take: TakePath, site: SiteFile = None) -> None:
    """Print a JSON line for each passage of a plate reader's take: the vote over all its reads, its list, and whether it is right."""
    from lantern.core.faults import Fault, Refused
    from lantern.core.plates.subject import PlateSubject

    with told(), judged_file(detector, take, site) as subject:
        if not isinstance(subject, PlateSubject):
            raise Refused([Fault("detector: kind", f"a {subject.kind.name} detector has no passages", "kind plate")])
        sys.stdout.buffer.write(b"".join(line(each) for each in subject.passage_lines()))
