"""Commands that judge files: no database, no running program."""

from __future__ import annotations

import csv
import sys
from collections.abc import Iterator
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, Any

import orjson
import typer

from lantern.commands.told import line, say_left, told
from lantern.core.faults import Refused

app = typer.Typer()

DetectorGiven = Annotated[
    str, typer.Option("--detector", help="A lantern-detector/1 file; with --site a detector's name")
]
SiteFile = Annotated[Path | None, typer.Option("--site", help="A lantern-site/1 file that has the detector")]
TakePath = Annotated[Path, typer.Option("--take", help="A take: folder, zip, or data file with its sidecar")]
MarksFile = Annotated[Path, typer.Option("--marks", help="Marks: CSV start_s,end_s,label,detector,note")]


@app.command()
def evaluate(
    detector: DetectorGiven,
    take: TakePath,
    out: Annotated[Path | None, typer.Option("--out", help="Write there instead of to standard output")] = None,
    site: SiteFile = None,
) -> None:
    """Print a JSON line for each event of a detector on a take."""
    from lantern.core.faults import Fault
    from lantern.core.raising import Raising

    with told(), judged_file(detector, take, site) as subject:
        if not isinstance(subject, Raising):
            name = subject.kind.name
            raise Refused(
                [Fault("--detector", f"a {name} detector raises nothing", "score or sweep, which measure it")]
            )
        lines = b"".join(line(event.as_dict()) for event in subject.evaluated())
        if out is None:
            sys.stdout.buffer.write(lines)
        else:
            out.write_bytes(lines)


@app.command()
def score(
    detector: DetectorGiven,
    take: TakePath,
    marks: MarksFile,
    early: Annotated[float, typer.Option(help="Seconds before a mark in which an event still hits it")] = 0.0,
    late: Annotated[float, typer.Option(help="Seconds after a mark in which an event still hits it")] = 0.0,
    site: SiteFile = None,
) -> None:
    """Print the score card of a detector on a take, as JSON; for counts against a CSV start_s,end_s,in,out the audit."""
    with told(), judged_file(detector, take, site) as subject:
        if (by_hand := _hand_counts(marks)) is not None:
            sys.stdout.buffer.write(line(subject.against("counts", by_hand)))
        else:
            sys.stdout.buffer.write(line(subject.card(read_marks_file(marks), _slack(early, late)).as_dict()))


@app.command()
def sweep(
    detector: DetectorGiven,
    take: TakePath,
    marks: MarksFile,
    dial: Annotated[str, typer.Option(help="The dial's name")],
    low: Annotated[float | None, typer.Option("--from")] = None,
    high: Annotated[float | None, typer.Option("--to")] = None,
    step: Annotated[float | None, typer.Option("--step")] = None,
    early: Annotated[float, typer.Option()] = 0.0,
    late: Annotated[float, typer.Option()] = 0.0,
    site: SiteFile = None,
) -> None:
    """Print, as CSV, what each value of a dial would miss and raise falsely."""
    with told(), judged_file(detector, take, site) as subject:
        rows = subject.sweep(dial, read_marks_file(marks), low=low, high=high, step=step, slack=_slack(early, late))
        writer = csv.writer(sys.stdout, lineterminator="\n")
        writer.writerow(("from", "to", "value", *subject.sweep_columns))
        writer.writerows(row.printed(subject.sweep_columns) for row in rows)


@app.command()
def schema(what: Annotated[str, typer.Argument(help="site, detector, take or type")]) -> None:
    """Print the JSON Schema of a file format."""
    from lantern.core.faults import Fault
    from lantern.core.kinds import detector_schema
    from lantern.core.register.device_type import type_schema
    from lantern.core.site import Site
    from lantern.signals.takes import take_schema

    models: dict[str, Any] = {
        "site": Site.model_json_schema,
        "detector": detector_schema,
        "take": take_schema,
        "type": type_schema,
    }
    with told():
        if what not in models:
            raise Refused([Fault("schema", f"{what!r}", f"one of {', '.join(models)}")])
        document = models[what]()
        document["$schema"] = "https://json-schema.org/draft/2020-12/schema"
        sys.stdout.buffer.write(orjson.dumps(document, option=orjson.OPT_INDENT_2 | orjson.OPT_APPEND_NEWLINE))


def read_marks_file(path: Path) -> Any:
    from lantern.formats.border import border
    from lantern.formats.tables import read_marks

    with border(path.name):
        return read_marks(path, where=path.name)


def _hand_counts(path: Path) -> Any:
    from lantern.formats.border import border
    from lantern.formats.tables import read_hand_counts

    with border(path.name):
        return read_hand_counts(path, where=path.name)


def _slack(early_s: float, late_s: float) -> Any:
    from lantern.core.faults import Fault
    from lantern.core.scoring.marks import Slack

    faults = [
        Fault(name, f"{value:g}", "0 or more seconds")
        for name, value in (("--early", early_s), ("--late", late_s))
        if not 0 <= value < float("inf")
    ]
    if faults:
        raise Refused(faults)
    return Slack(early_s, late_s)


@contextmanager
def judged_file(detector: str, take: Path, site: Path | None) -> Iterator[Any]:
    from lantern.core.kinds import judge
    from lantern.settings import settings
    from lantern.signals.takes import open_take

    with open_take(take, settings().limits) as opened:
        say_left(opened.left)
        yield judge(_detector(detector, site), opened.signal.name, opened.value)


def _detector(given: str, site: Path | None) -> Any:
    """The detector of a file, or of that name in a site's file."""
    from lantern.core.faults import Fault
    from lantern.core.kinds import kind_of
    from lantern.formats.documents import read_detector
    from lantern.formats.site_files import read_site

    if site is None:
        return read_detector(Path(given))
    whole = read_site(site)
    held = {detector.name: detector for detector in whole.detectors}
    if given not in held:
        known = ", ".join(held) or "none is in it"
        raise Refused([Fault("--detector", f"{site.name} has no detector {given!r}", f"one of its own: {known}")])
    plain = held[given].plain
    return kind_of(plain.kind).lists.filled(plain, whole.list_bodies)
