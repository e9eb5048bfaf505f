"""Importing a gibibyte of compressed TIFF into the store, against reading and decompressing it with tifffile alone."""

from __future__ import annotations

import json
import os
import resource
import tempfile
import time
from collections.abc import Iterator
from pathlib import Path

import numpy as np
import tifffile

from bench.figures import Figure, sized
from bench.store import store

WIDTH, HEIGHT, BYTES = 320, 240, sized(2**30, 2**24)
PAGES = BYTES // (WIDTH * HEIGHT * 2)
MADE = 64  # pictures that are made; they come again and again with another drift


def run() -> Iterator[Figure]:
    with tempfile.TemporaryDirectory(prefix="lantern-bench-") as name:
        folder = Path(name)
        folder.chmod(0o755)
        path = _write(folder)
        began = time.perf_counter()
        with tifffile.TiffFile(path) as tif:
            for page in tif.pages:
                page.asarray()
        alone = time.perf_counter() - began
        yield Figure(f"tifffile alone: {PAGES} pages, {path.stat().st_size / 2**20:.0f} MiB packed", alone, "s")
        taken, resident = _import(path)
        yield Figure("import: checked, packed, in the store", taken, "s")
        yield Figure("ratio to tifffile alone", taken / alone, "x", 2.0)
        yield Figure("resident at most", resident, "MiB", 500.0)


def _write(folder: Path) -> Path:
    rng = np.random.default_rng(1)
    ground = rng.normal(0, 1, (HEIGHT, WIDTH)).cumsum(axis=1) * 4 + 7000
    held = (ground + rng.normal(0, 1.5, (MADE, HEIGHT, WIDTH))).astype(np.uint16)
    path = folder / "day.tif"
    with tifffile.TiffWriter(path, bigtiff=True) as writer:
        for i in range(PAGES):
            page = held[i % MADE] + np.uint16(i // 400)
            writer.write(
                page, photometric="minisblack", compression="zlib", compressionargs={"level": 1}, contiguous=False
            )
    info = {
        "format": "lantern-take/1",
        "name": "Day",
        "kind": "heat",
        "device": "T1",
        "start": "2026-03-04T00:00:00+01:00",
        "fps": 4,
        "scale": 0.04,
        "offset": -273.15,
    }
    path.with_name("day.tif.json").write_text(json.dumps(info))
    return path


def _import(path: Path) -> tuple[float, float]:
    """(seconds, MiB at most) of the import in a process of its own."""
    from lantern.db.base import engine

    with store():
        engine().dispose()  # no connection is shared with the child
        read, write = os.pipe()
        child = os.fork()
        if child == 0:
            os.write(write, json.dumps(_child(path)).encode())
            os._exit(0)
        os.waitpid(child, 0)
        taken, resident = json.loads(os.read(read, 4096))
        return taken, resident


def _child(path: Path) -> tuple[float, float]:
    from lantern.core.site import Device, Place, Site
    from lantern.db.base import transaction
    from lantern.sites.actions import add_site
    from lantern.takes.actions import import_path

    camera = Device(code="T1", name="Camera", kind="thermal", ability={"width": WIDTH, "height": HEIGHT})
    with transaction() as session:
        site_id = add_site(session, Site(name="Bench", places=(Place(name="Yard", devices=(camera,)),))).id
    began = time.perf_counter()
    import_path(path, site_id=site_id)
    return time.perf_counter() - began, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
