"""A take put down as files, by its signal: what a user would bring."""

from __future__ import annotations

from datetime import datetime
from pathlib import Path
from typing import Any

from lantern.formats.sidecar import TakeInfo
from lantern.signals.signal import Signal

START = datetime.fromisoformat("2026-03-04T05:12:00+01:00")


def put_down(folder: Path, signal: Signal, value: Any, *, device: str) -> Path:
    """Write `take.json` and its data into a folder, which is returned."""
    folder.mkdir()
    info = TakeInfo(format="lantern-take/1", name="A run", kind=signal.name, device=device, start=START)
    info = signal.write(info, value, folder)
    (folder / "take.json").write_text(info.model_dump_json(exclude_none=True))
    return folder
