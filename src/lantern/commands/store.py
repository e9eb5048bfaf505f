"""Commands on what the running program holds: takes, sites, people."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated, Any

import typer

from lantern.commands.told import line, running_store, say_left, told
from lantern.core.faults import Fault, LanternError, Refused

app = typer.Typer()
site = typer.Typer(no_args_is_help=True, help="Sites and their files.")
people = typer.Typer(no_args_is_help=True, help="Accounts.")
persons = typer.Typer(no_args_is_help=True, help="Who stands behind the names of devices.")
app.add_typer(site, name="site")
app.add_typer(people, name="people")
app.add_typer(persons, name="persons")

SiteName = Annotated[str, typer.Option("--site", help="The site's name, where there are several")]
SitePath = Annotated[Path, typer.Argument(help="A lantern-site/1 file")]


@app.command(name="import")
def import_take(
    take: Annotated[Path, typer.Argument(help="A take: folder, zip, or data file with its sidecar")],
    marks: Annotated[Path | None, typer.Option("--marks", help="Marks for it")] = None,
    site: SiteName = "",
) -> None:
    """Store a take of a device of the site; the program must be running."""
    from rich.progress import Progress

    with told():
        with running_store() as session:
            from lantern.sites.actions import only_site

            site_id = only_site(session, site).id
        from lantern.commands.judge import read_marks_file
        from lantern.db.base import transaction
        from lantern.takes.actions import import_path
        from lantern.takes.marking import import_marks
        from lantern.takes.tables import TakeRow
        from lantern.tune.studies import judge_again, run_study

        read = read_marks_file(marks) if marks is not None else []
        with Progress(transient=True) as progress:
            bar = progress.add_task("Reading", total=None)
            take_id = import_path(
                take,
                site_id=site_id,
                progress=lambda done, total: progress.update(bar, completed=done, total=total),
                skipped=say_left,
            )
        with transaction() as session:
            row = session.get_one(TakeRow, take_id)
            added = import_marks(session, row, read)
            print(f"Take {take_id}: {row.name}, {row.samples} samples, {row.length_s:g} s, {added} marks.")
        for study_id in judge_again(take_id):
            run_study(study_id)


@app.command(name="export")
def export_take_command(
    take: Annotated[int, typer.Argument(help="The take's number, as its addresses have it")],
    file: Annotated[Path, typer.Argument(help="The zip to write")],
) -> None:
    """Write a take of the running program as files: `lantern import` and `lantern evaluate --take` read them."""
    with told(), running_store() as session:
        from lantern.takes.export import export_take
        from lantern.takes.tables import TakeRow

        row = session.get(TakeRow, take)
        if row is None:
            raise Refused([Fault("take", f"there is none with number {take}", "a take that is there")])
        export_take(session, row, file)
        print(f"{file}: {row.name}, {row.samples} samples.")


# ---- persons --------------------------------------------------------------------------------------------------------


@persons.command("rotate-keys")
def rotate_keys() -> None:
    """Seal all that is known of persons by other keys, and destroy those there were: a copy of the old ones opens nothing new."""
    with told(), running_store():
        from lantern.persons.rotating import rotate_all

        count = rotate_all()
    print(f"{count} persons have another key. Pictures of looks of others have their own, and go after their time.")


# ---- sites -----------------------------------------------------------------------------------------------------------


@site.command("check")
def check_site(file: SitePath) -> None:
    """Say what is wrong with a site's file; exit code 2 if anything is. Nothing is stored."""
    from lantern.formats.site_files import read_site

    with told():
        read = read_site(file)
    devices, detectors = len(read.devices), len(read.detectors)
    print(f"{read.name}: {len(read.places)} places, {devices} devices, {detectors} detectors, {len(read.links)} links.")


@site.command("import")
def import_site(
    file: SitePath, name: Annotated[str, typer.Option("--name", help="Another name than the file's")] = ""
) -> None:
    """Make a site of a file, in the running program. An existing name is refused."""
    from lantern.formats.site_files import read_site_file

    with told():
        read, pictures = read_site_file(file)
        with running_store() as session:
            from lantern.people.roles import note_change
            from lantern.sites.actions import import_site as make

            read = read.model_copy(update={"name": name.strip() or read.name})
            row = make(session, read, user_id=None, pictures=pictures)
            note_change(session, user_id=None, site_id=row.id, what=f"imported the site {row.name} on the console")
            print(f"Site {row.id}: {row.name}. Takes come on their own; devices have new tokens.")


@site.command("export")
def export_site(
    file: Annotated[Path, typer.Argument(help="Where to write it; - for standard output")],
    name: Annotated[str, typer.Option("--name", help="The site's name, where there are several")] = "",
) -> None:
    """Write a site of the running program to a file: a JSON document, or a zip where the plan has a ground picture."""
    with told():
        document = _running(name)
        if str(file) == "-":
            sys.stdout.buffer.write(document)
            return
        file.write_bytes(document)
    from lantern.sites.actions import LEFT_OUT

    zipped = document.startswith(b"PK") and file.suffix.lower() != ".zip"
    if zipped:
        print(f"{file} is a zip: the plan's ground picture is in it.", file=sys.stderr)
    print(f"{file}: {len(document)} bytes. Not in it: {LEFT_OUT}.", file=sys.stderr)


@site.command("diff")
def differ(
    first: SitePath,
    second: Annotated[Path | None, typer.Argument(help="Another; without it the running site of that name")] = None,
) -> None:
    """Print a JSON line for each difference of two sites; exit code 1 if there are any."""
    from lantern.core.site import differences
    from lantern.formats.site_files import read_site, site_in

    with told():
        one = read_site(first)
        if second is None:
            other, _ = site_in(_running(one.name), where="the running site")
        else:
            other = read_site(second)
        found = differences(one, other)
        sys.stdout.buffer.write(b"".join(line(each) for each in found))
    raise typer.Exit(1 if found else 0)


def _running(name: str) -> bytes:
    with running_store() as session:
        from lantern.sites.actions import only_site, site_package

        return site_package(session, only_site(session, name))


# ---- people ----------------------------------------------------------------------------------------------------------


@people.command("list")
def list_people() -> None:
    """Print who has an account."""
    with told(), running_store() as session:
        from lantern.people.tables import all_users

        for user in all_users(session):
            standing = "disabled" if user.disabled else "administrator" if user.administrator else ""
            print(f"{user.login:<20} {user.name}{f' ({standing})' if standing else ''}")


@people.command("password")
def new_password(login: Annotated[str, typer.Argument(help="The log-in of the account")]) -> None:
    """Give an account a new password, asked for twice; all its log-ins end. A disabled account stays so."""
    with told():
        with running_store() as session:
            from lantern.people.accounts import user_by_login

            name = user_by_login(session, login).name
        password = _typed(f"New password of {name}")
        if _typed("The same again") != password:
            raise Refused([Fault("password", "was typed differently the second time", "the same twice")])
        with running_store() as session:
            from lantern.people.accounts import change_password
            from lantern.people.roles import note_change

            user = user_by_login(session, login)
            change_password(session, user, password)
            note_change(session, user_id=None, site_id=None, what=f"gave {user.login} a new password on the console")
    print(f"{login} has a new password, and is logged out everywhere.")


def _typed(what: str) -> str:
    """Return what somebody types, without an echo; from a pipe as a line."""
    if sys.stdin.isatty():
        answer: Any = typer.prompt(what, hide_input=True)
        return str(answer)
    text = sys.stdin.readline()
    if not text:
        raise LanternError(f"{what}: nothing was typed.")
    return text.rstrip("\n")
