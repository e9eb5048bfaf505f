"""A take out again as files: a zip that imports as the same, sample by sample, with its marks beside it."""

from __future__ import annotations

import zipfile
from pathlib import Path
from tempfile import TemporaryDirectory
from zoneinfo import ZoneInfo

import orjson
from sqlalchemy.orm import Session

from lantern.formats.tables import write_counted, write_marks, write_truths
from lantern.signals.register import signal_of
from lantern.takes.store import Progress, value_of_take
from lantern.takes.tables import TakeRow, hand_counts_of, marks_of, truths_of_take

STILLS = {"image/png": "still.png", "image/jpeg": "still.jpg"}
PACKED = (".tif", ".zip", ".png", ".jpg")  # they gain little by being packed again


def export_take(session: Session, take: TakeRow, path: Path, progress: Progress = lambda done, total: None) -> None:
    """Write a zip with `take.json`, its data files, its still, `marks.csv`, `truths.csv` where anything was said to be true, `counts.csv` where
    somebody counted. Raises `Refused` for what no file can hold.
    """
    signal = signal_of(take.signal)
    zone = ZoneInfo(take.device.place.site.zone)
    info = signal.info(
        format="lantern-take/1",
        name=take.name,
        kind=take.signal,
        device=take.device.code,
        start=take.start.astimezone(zone),
        **signal.described(take.facts),
    )
    with TemporaryDirectory() as name, zipfile.ZipFile(path, "w", zipfile.ZIP_DEFLATED) as held:
        folder = Path(name)
        info = signal.write(info, value_of_take(session, take, progress=progress), folder)
        if take.still is not None and take.still_type in STILLS:
            (folder / STILLS[take.still_type]).write_bytes(take.still)
            info = info.model_copy(update={"still": STILLS[take.still_type]})
        info = info.model_copy(update={"marks": "marks.csv"})
        truths = [row.said for row in truths_of_take(session, take.id)]
        if truths:
            info = info.model_copy(update={"truths": "truths.csv"})
            (folder / "truths.csv").write_text(write_truths(truths))
        counts = [row.counted for row in hand_counts_of(session, take.id)]
        if counts:
            info = info.model_copy(update={"counts": "counts.csv"})
            (folder / "counts.csv").write_text(write_counted(counts))
        document = info.model_dump(mode="json", exclude_none=True)
        (folder / "take.json").write_bytes(orjson.dumps(document, option=orjson.OPT_INDENT_2))
        (folder / "marks.csv").write_text(write_marks([row.as_mark() for row in marks_of(session, take.id)]))
        for file in sorted(folder.iterdir()):
            how = zipfile.ZIP_STORED if file.suffix in PACKED else zipfile.ZIP_DEFLATED
            held.write(file, file.name, how)
