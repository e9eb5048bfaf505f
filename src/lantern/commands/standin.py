"""Stand-ins alone: one's own site can be tried with no hardware."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from lantern.commands.told import STATE_DIR, told
from lantern.core.faults import Fault, Refused

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
def ptz(
    port: Port,
    login: Annotated[str, typer.Option("--login", help="Who may ask it")] = "operator",
    password: Annotated[str, typer.Option("--password", help="With which password")] = "operator",  # noqa: S107 - a stand-in's
    fault: Annotated[
        list[str] | None, typer.Option("--fault", help="One that it has; may be given several times")
    ] = None,
) -> None:
    """A PTZ over a yard that speaks ONVIF, with a second body that does not turn."""
    from lantern.standins.alone import run_ptz
    from lantern.standins.ptz.device import FAULTS

    with told():
        wrong = [name for name in fault or () if name not in FAULTS]
        if wrong:
            raise Refused([Fault("--fault", repr(wrong[0])[:40], f"one of {', '.join(FAULTS)}")])
        run_ptz(port, login, password, fault or ())


@app.command()
def speaker(
    port: Port, folder: Annotated[Path, typer.Option("--folder", help="Where what it played is kept as WAV")]
) -> None:
    """A speaker that plays what is posted to it, and keeps what it played."""
    from lantern.standins.alone import run_speaker

    with told():
        if not folder.is_dir():
            raise Refused([Fault("--folder", f"{folder} is no folder", "one that is there")])
        run_speaker(port, folder)


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


@app.command()
def face(
    to: Annotated[str, typer.Option("--to", help="The address that the device's page shows, http://.../ingest/CODE")],
    token: Annotated[str, typer.Option("--token", help="The device's token")],
) -> None:
    """A face camera at a door that posts whom it sees, with pictures."""
    from lantern.standins.alone import run_door

    with told():
        run_door(to, token)


@app.command()
def radar(
    to: Annotated[str, typer.Option("--to", help="The address that the device's page shows, http://.../ingest/CODE")],
    token: Annotated[str, typer.Option("--token", help="The device's token")],
) -> None:
    """A radar at a quay that posts its returns."""
    from lantern.standins.alone import run_radar

    with told():
        run_radar(to, token)


@app.command()
def probe(
    to: Annotated[str, typer.Option("--to", help="The address that the device's page shows, http://.../ingest/CODE")],
    token: Annotated[str, typer.Option("--token", help="The device's token")],
    table: Annotated[
        Path | None, typer.Option("--table", exists=True, dir_okay=False, help="A CSV file to play")
    ] = None,
    times: Annotated[str | None, typer.Option("--times", help="Its column of times; else the first that rises")] = None,
    fps: Annotated[
        float | None, typer.Option("--fps", min=0.001, help="Rows a second, of a table without times")
    ] = None,
    unit: Annotated[
        list[str] | None, typer.Option("--unit", help="NAME=UNIT of a column; else its header says")
    ] = None,
    speed: Annotated[float, typer.Option("--speed", min=0.1, max=32, help="So many times as fast")] = 1.0,
) -> None:
    """A probe that posts readings: those of a table, or two temperatures of a kiln."""
    from lantern.standins.alone import run_probe
    from lantern.standins.probe import kiln, table_of

    with told():
        units = dict(_unit(text) for text in unit or ())
        run_probe(to, token, kiln() if table is None else table_of(table, times=times, fps=fps, units=units), speed)


def _unit(text: str) -> tuple[str, str]:
    name, parted, unit = text.rpartition("=")
    if not parted or not name:
        raise Refused([Fault("--unit", repr(text[:60]), "NAME=UNIT, such as Kiln=°C")])
    return name, unit
