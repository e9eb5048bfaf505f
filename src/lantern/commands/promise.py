"""Commands on what geometry promises: no database, no running program, nothing mounted yet."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import Annotated

import typer

from lantern.commands.told import line, told

app = typer.Typer()


@app.command()
def predict(
    mount: Annotated[Path, typer.Option("--mount", help="Where the camera stands, where it looks, its lens: JSON")],
    at: Annotated[str, typer.Option("--at", help="x,y or x,y,z in m: the point")],
    plate_heading: Annotated[
        float | None, typer.Option(help="A plate there, whose face looks this way, ° from north")
    ] = None,
    char_mm: Annotated[float, typer.Option(help="Height of its characters in mm")] = 79.0,
    stroke_mm: Annotated[float, typer.Option(help="Width of their strokes in mm")] = 14.0,
    speed_kmh: Annotated[float | None, typer.Option(help="Its speed in km/h")] = None,
    shutter_s: Annotated[float | None, typer.Option(help="The exposure in s")] = None,
    fps: Annotated[float | None, typer.Option(help="Pictures a second")] = None,
    depth_m: Annotated[float | None, typer.Option(help="The stretch in m in which it can be read")] = None,
    face: Annotated[bool, typer.Option("--face", help="A face there")] = False,
    upright_m: Annotated[float, typer.Option(help="How tall who stands there is, in m")] = 1.8,
) -> None:
    """Print what a point is in a camera's picture, whether that is enough, and what would cure it: one JSON object."""
    from lantern.core.optics.curing import with_cures
    from lantern.core.optics.prediction import PlateTarget, Target
    from lantern.formats.mounts import read_mount, target_of

    with told():
        held = read_mount(mount)
        plate = None
        if plate_heading is not None:
            plate = PlateTarget(plate_heading, char_mm, stroke_mm, speed_kmh, shutter_s, fps, depth_m)
        asked: Target = target_of(at, plate=plate, face=face, upright_m=upright_m)
        sys.stdout.buffer.write(line(with_cures(held, asked).as_dict()))
