"""Commands that start the program, stop it, and keep what it holds."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from lantern.commands.told import STATE_DIR, told

app = typer.Typer()


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

    with told():
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
    with told():
        delete(STATE_DIR)
    print("Deleted.")


@app.command()
def backup(target: Annotated[Path, typer.Argument(help="The file to write")]) -> None:
    """Write everything this folder's program holds to one file, and read it back to check it. It may run meanwhile."""
    from lantern.core.faults import Fault, Refused
    from lantern.db.backup import back_up
    from lantern.persons.keys import key_folder
    from lantern.supervisor import database_of

    with told():
        if key_folder().resolve() in target.resolve().parents:
            raise Refused([Fault(str(target), "lies beside the keys of persons", "another folder, best another disk")])
        with database_of(STATE_DIR) as address:
            size = back_up(address, target)
    print(f"{target}: {size / 2**20:.1f} MiB, written and read back.")
    print(f"The keys of persons are not in it: they lie in {key_folder()}. Never keep a copy of them beside a backup.")


@app.command()
def restore(
    source: Annotated[Path, typer.Argument(help="A file that lantern backup wrote")],
    overwrite: Annotated[bool, typer.Option("--overwrite", help="Replace what is there")] = False,
    yes: Annotated[bool, typer.Option("--yes", help="Do not ask")] = False,
) -> None:
    """Put a backup in the place of this folder's data. The program must be stopped."""
    from lantern.db.backup import BackupError, holds_data, schema_in
    from lantern.db.backup import restore as put_back
    from lantern.persons.erasing import replay_at as erase_again
    from lantern.supervisor import stopped_cluster

    with told():
        schema = schema_in(source)
        with stopped_cluster(STATE_DIR) as cluster:
            if holds_data(cluster):
                if not overwrite:
                    raise BackupError("There is data already: --overwrite replaces all of it. Nothing was changed.")
                if not yes:
                    typer.confirm("Replace all sites, takes, detectors, events and people by the backup?", abort=True)
            put_back(cluster, source, erase_again)
    print(f"{source} is in place (schema {schema}). Everybody logs in anew.")


@app.command()
def service(
    user: Annotated[str, typer.Option(help="The account it runs as")] = "",
    options: Annotated[str, typer.Option(help="What follows ./lantern up, such as '--port 443'")] = "",
) -> None:
    """Print a systemd unit that starts the program at boot and again when it ends."""
    from lantern.service import unit

    with told():
        sys.stdout.write(unit(Path.cwd(), user=user, options=options))
