"""Stand-ins alone: one's own site can be tried with no hardware."""

from __future__ import annotations

from typing import Annotated

import typer

from lantern.commands.told import STATE_DIR, told

app = typer.Typer(no_args_is_help=True, help="Run one stand-in device on this machine; Ctrl-C ends it.")
Port = Annotated[int, typer.Option("--port", min=1, max=65_535, help="Where it listens, on loopback")]


@app.command()
def relay(
    port: Port,
    panel: Annotated[int | None, typer.Option("--panel", help="A port for a page on which its inputs are set")] = None,
) -> None:
    """A module with eight relays, contacts and loops that speaks Modbus TCP, and says what is switched."""
    from lantern.standins.alone import run_relay

    with told():
        run_relay(port, panel)


@app.command()
def camera(port: Port) -> None:
    """A camera over a yard that sends what it sees as ONVIF metadata."""
    from lantern.standins.alone import run_tracker

    with told():
        run_tracker("camera", port, STATE_DIR / "standins")


@app.command()
def counter(port: Port) -> None:
    """An overhead counter at a gangway that sends people as ONVIF metadata."""
    from lantern.standins.alone import run_tracker

    with told():
        run_tracker("counter", port, STATE_DIR / "standins")


@app.command()
def thermal(
    to: Annotated[str, typer.Option("--to", help="The address that the device's page shows, ws://.../ingest/CODE")],
    token: Annotated[str, typer.Option("--token", help="The device's token")],
) -> None:
    """A thermal camera over a heap that sends its pictures, 384 x 288 pixels."""
    from lantern.standins.alone import run_camera

    with told():
        run_camera(to, token)


@app.command()
def reader(
    to: Annotated[str, typer.Option("--to", help="The address that the device's page shows, http://.../ingest/CODE")],
    token: Annotated[str, typer.Option("--token", help="The device's token")],
) -> None:
    """A plate reader at a barrier that posts what it reads."""
    from lantern.standins.alone import run_reader

    with told():
        run_reader(to, token)
