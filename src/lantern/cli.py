"""The command line. Exit codes: 0 done, 1 a finding or a failed run, 2 bad input (its faults on standard error)."""

from __future__ import annotations

import csv
import os
import sys
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path
from typing import Annotated, Any

import orjson
import typer

from lantern.core.faults import LanternError, Refused

app = typer.Typer(add_completion=False, no_args_is_help=True, pretty_exceptions_enable=False)

DetectorFile = Annotated[Path, typer.Option("--detector", help="A lantern-detector/1 file")]
TakePath = Annotated[Path, typer.Option("--take", help="A take: folder, zip, or data file with its sidecar")]
MarksFile = Annotated[Path, typer.Option("--marks", help="Marks: CSV start_s,end_s,label,detector,note")]


@contextmanager
def _told() -> Iterator[None]:
    """Bad input ends with exit code 2 and every fault on a line of its own."""
    try:
        yield
    except Refused as error:
        for fault in error.faults:
            print(fault, file=sys.stderr)
        raise typer.Exit(2) from error
    except LanternError as error:
        print(error, file=sys.stderr)
        raise typer.Exit(1) from error
    except OSError as error:
        print(f"{error.filename or 'The machine'}: {error.strerror or error}", file=sys.stderr)
        raise typer.Exit(1) from error


def _line(document: Any) -> bytes:
    return orjson.dumps(document, option=orjson.OPT_APPEND_NEWLINE)


@app.command()
def evaluate(
    detector: DetectorFile,
    take: TakePath,
    out: Annotated[Path | None, typer.Option("--out", help="Write there instead of to standard output")] = None,
) -> None:
    """Print a JSON line for each event of a detector on a take."""
    with _told(), _subject(detector, take) as subject:
        lines = b"".join(_line(event.as_dict()) for event in subject.evaluated())
        if out is None:
            sys.stdout.buffer.write(lines)
        else:
            out.write_bytes(lines)


@app.command()
def score(
    detector: DetectorFile,
    take: TakePath,
    marks: MarksFile,
    early: Annotated[float, typer.Option(help="Seconds before a mark in which an event still hits it")] = 0.0,
    late: Annotated[float, typer.Option(help="Seconds after a mark in which an event still hits it")] = 0.0,
) -> None:
    """Print the score card of a detector on a take, as JSON; for counts against a CSV start_s,end_s,in,out the audit."""
    from lantern.core.objects.audit import audit

    with _told(), _subject(detector, take) as subject:
        if subject.detector.kind == "count" and (by_hand := _hand_counts(marks)) is not None:
            sys.stdout.buffer.write(_line(audit(subject.events(), by_hand)))
        else:
            sys.stdout.buffer.write(_line(subject.score(_marks(marks), _slack(early, late)).as_dict()))


@app.command()
def sweep(
    detector: DetectorFile,
    take: TakePath,
    marks: MarksFile,
    dial: Annotated[str, typer.Option(help="The dial's name")],
    low: Annotated[float | None, typer.Option("--from")] = None,
    high: Annotated[float | None, typer.Option("--to")] = None,
    step: Annotated[float | None, typer.Option("--step")] = None,
    early: Annotated[float, typer.Option()] = 0.0,
    late: Annotated[float, typer.Option()] = 0.0,
) -> None:
    """Print, as CSV, what each value of a dial would miss and raise falsely."""
    from lantern.core.tuning.sweep import COLUMNS

    with _told(), _subject(detector, take) as subject:
        rows = subject.sweep(dial, _marks(marks), low=low, high=high, step=step, slack=_slack(early, late))
        writer = csv.writer(sys.stdout, lineterminator="\n")
        writer.writerow(COLUMNS)
        writer.writerows(row.as_tuple() for row in rows)


@app.command()
def schema(what: Annotated[str, typer.Argument(help="site, detector or take")]) -> None:
    """Print the JSON Schema of a file format."""
    from lantern.core.events import Detector
    from lantern.core.faults import Fault
    from lantern.core.site import Site
    from lantern.formats.takes import TakeInfo

    models: dict[str, Any] = {"site": Site, "detector": Detector, "take": TakeInfo}
    with _told():
        if what not in models:
            raise Refused([Fault("schema", f"{what!r}", f"one of {', '.join(models)}")])
        document = models[what].model_json_schema()
        document["$schema"] = "https://json-schema.org/draft/2020-12/schema"
        sys.stdout.buffer.write(orjson.dumps(document, option=orjson.OPT_INDENT_2 | orjson.OPT_APPEND_NEWLINE))


def _marks(path: Path) -> Any:
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
    from lantern.core.tuning.scoring import Slack

    faults = [
        Fault(name, f"{value:g}", "0 or more seconds")
        for name, value in (("--early", early_s), ("--late", late_s))
        if not 0 <= value < float("inf")
    ]
    if faults:
        raise Refused(faults)
    return Slack(early_s, late_s)


@contextmanager
def _subject(detector: Path, take: Path) -> Iterator[Any]:
    from lantern.core.subjects import subject_of
    from lantern.formats.documents import read_detector
    from lantern.formats.takes import open_take
    from lantern.settings import settings

    with open_take(take, settings().limits) as opened:
        _say_left(opened.left)
        yield subject_of(read_detector(detector), opened.signal)


def _say_left(names: Sequence[str]) -> None:
    """What a file manager left beside the take, and was skipped."""
    for name in names:
        print(f"{name}: skipped, left there by a file manager", file=sys.stderr)


# ---- running the program ---------------------------------------------------------------------------------------------

STATE_DIR = Path(os.environ.get("LANTERN_STATE_DIR", ".lantern"))


@app.command()
def serve(
    demo: Annotated[
        bool, typer.Option("--demo", help="Seed Skerrow Basin if it is not there, and start the stand-ins")
    ] = False,
    port: Annotated[
        int | None,
        typer.Option(min=0, max=65_535, help="Port of the pages; by default 8420, or a free one if that is taken"),
    ] = None,
    host: Annotated[str, typer.Option(help="Address to listen on")] = "127.0.0.1",
    certificate: Annotated[Path | None, typer.Option(help="PEM file: the pages come encrypted (with --key)")] = None,
    key: Annotated[Path | None, typer.Option(help="PEM file of the certificate's private key")] = None,
) -> None:
    """Start database, web, worker, engine (and stand-ins), and keep them running; Ctrl-C stops all of them."""
    from lantern.supervisor import Supervisor

    with _told():
        supervisor = Supervisor(STATE_DIR, host=host, port=port, demo=demo, certificate=certificate, key=key)
        raise typer.Exit(supervisor.serve())


@app.command()
def stop() -> None:
    """Stop what runs from this folder."""
    from lantern.supervisor import stop as end

    print("Stopped." if end(STATE_DIR) else "Nothing runs from this folder.")


@app.command()
def reset(yes: Annotated[bool, typer.Option("--yes", help="Do not ask")] = False) -> None:
    """Delete this folder's database with all its takes, detectors and events."""
    from lantern.supervisor import reset as delete

    if not yes:
        typer.confirm("Delete the database in .lantern/ with everything in it?", abort=True)
    with _told():
        delete(STATE_DIR)
    print("Deleted.")


@app.command()
def backup(target: Annotated[Path, typer.Argument(help="The file to write")]) -> None:
    """Write everything this folder's program holds to one file, and read it back to check it. It may run meanwhile."""
    from lantern.db.backup import back_up
    from lantern.supervisor import database_of

    with _told(), database_of(STATE_DIR) as address:
        size = back_up(address, target)
    print(f"{target}: {size / 2**20:.1f} MiB, written and read back.")


@app.command()
def restore(
    source: Annotated[Path, typer.Argument(help="A file that lantern backup wrote")],
    overwrite: Annotated[bool, typer.Option("--overwrite", help="Replace what is there")] = False,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask")] = False,
) -> None:
    """Put a backup in the place of this folder's data. The program must be stopped."""
    from lantern.db.backup import BackupError, holds_data, schema_in
    from lantern.db.backup import restore as put_back
    from lantern.supervisor import stopped_cluster

    with _told():
        schema = schema_in(source)
        with stopped_cluster(STATE_DIR) as cluster:
            if holds_data(cluster):
                if not overwrite:
                    raise BackupError("There is data already: --overwrite replaces all of it. Nothing was changed.")
                if not yes:
                    typer.confirm("Replace all sites, takes, detectors, events and people by the backup?", abort=True)
            put_back(cluster, source)
    print(f"{source} is in place (schema {schema}). Everybody logs in anew.")


@app.command()
def service(
    user: Annotated[str, typer.Option(help="The account it runs as")] = "",
    options: Annotated[str, typer.Option(help="What follows ./lantern up, such as '--port 443'")] = "",
) -> None:
    """Print a systemd unit that starts the program at boot and again when it ends."""
    from lantern.service import unit

    with _told():
        sys.stdout.write(unit(Path.cwd(), user=user, options=options))


@app.command(name="import")
def import_take(
    take: Annotated[Path, typer.Argument(help="A take: folder, zip, or data file with its sidecar")],
    marks: Annotated[Path | None, typer.Option("--marks", help="Marks for it")] = None,
    site: Annotated[str, typer.Option("--site", help="The site's name, where there are several")] = "",
) -> None:
    """Store a take of a device of the site; the program must be running (LANTERN_DATABASE_URL is read from it)."""
    from rich.progress import Progress

    from lantern.settings import settings
    from lantern.supervisor import running_database

    with _told():
        os.environ |= running_database(STATE_DIR)
        settings.cache_clear()
        from lantern.db.base import transaction
        from lantern.survey.actions import only_site
        from lantern.takes.actions import import_marks, import_path
        from lantern.takes.tables import TakeRow
        from lantern.tune.studies import judge_again, run_study

        read = _marks(marks) if marks is not None else []
        with transaction() as session:
            site_id = only_site(session, site).id
        with Progress(transient=True) as progress:
            bar = progress.add_task("Reading", total=None)
            take_id = import_path(
                take,
                site_id=site_id,
                progress=lambda done, total: progress.update(bar, completed=done, total=total),
                skipped=_say_left,
            )
        with transaction() as session:
            row = session.get_one(TakeRow, take_id)
            added = import_marks(session, row, read)
            print(f"Take {take_id}: {row.name}, {row.samples} samples, {row.length_s:g} s, {added} marks.")
        for study_id in judge_again(take_id):
            run_study(study_id)


if __name__ == "__main__":
    app()
