"""What can be done with takes: import in the background, delete, and change marks."""

from __future__ import annotations

import tempfile
from pathlib import Path, PurePosixPath
from typing import Any, cast, get_args

import structlog
from sqlalchemy import delete, select
from sqlalchemy.orm import Session

from lantern.core.faults import Fault, FaultList, LanternError, Refused
from lantern.core.tuning.scoring import Label, Mark
from lantern.db.base import transaction
from lantern.formats.takes import Take, open_take
from lantern.settings import settings
from lantern.survey.tables import DeviceRow, device_by_code
from lantern.takes.store import add_take
from lantern.takes.tables import ImportRow, MarkRow, TakeRow, UploadPartRow

log = structlog.get_logger()
TOLD_EVERY = 64  # frames between two looks at the cancel button


class ImportCancelled(LanternError):
    """The user cancelled; nothing was stored."""


# ---- imports ---------------------------------------------------------------------------------------------------------


def begin_import(session: Session, *, site_id: int, name: str) -> ImportRow:
    row = ImportRow(site_id=site_id, name=name, state="uploading", faults=[])
    session.add(row)
    session.flush()
    return row


def add_part(session: Session, row: ImportRow, *, file: str, part: int, data: bytes) -> None:
    """A part of one uploaded file; parts may come again after a broken connection."""
    if row.state != "uploading":
        raise Refused([Fault("upload", f"import {row.id} is {row.state}", "an import that is still being uploaded")])
    if row.received_bytes + len(data) > settings().upload_bytes:
        raise Refused([Fault(file, "is too large", f"at most {settings().upload_bytes} bytes in one upload")])
    _checked_name(file)
    session.merge(UploadPartRow(import_id=row.id, file=file, part=part, data=data))
    row.received_bytes += len(data)


def finish_upload(row: ImportRow) -> None:
    row.state = "waiting"


def cancel_import(row: ImportRow) -> None:
    """Ask for the end; the worker looks at it between frames. What is not begun ends at once."""
    row.cancel = True
    if row.state in ("uploading", "waiting"):
        row.state = "cancelled"


def run_import(import_id: int) -> int | None:
    """Read the uploaded files and store the take: all of it or nothing; gives its id. Called by the worker."""
    with transaction() as session:
        row = session.get(ImportRow, import_id)
        if row is None or row.state not in ("waiting", "reading"):
            return None
        row.state = "reading"
        site_id = row.site_id
    state, faults, take_id = "failed", list[dict[str, Any]](), None
    try:
        with tempfile.TemporaryDirectory(prefix="lantern-import-") as folder:
            path = _write_out(import_id, Path(folder))
            take_id = import_path(path, site_id=site_id, progress=lambda done, total: _tell(import_id, done, total))
        state = "done"
    except ImportCancelled:
        state = "cancelled"
    except Refused as error:
        state, faults = "refused", [fault.as_dict() for fault in error.faults]
    except Exception:
        log.exception("import failed", import_id=import_id)
        faults = [Fault("program", "an error of the program, not of the file", "a look at the log").as_dict()]
    with transaction() as session:
        row = session.get(ImportRow, import_id)
        if row is not None:
            row.state, row.faults, row.take_id = state, list(faults), take_id
        session.execute(delete(UploadPartRow).where(UploadPartRow.import_id == import_id))
    return take_id


def import_path(path: Path, *, site_id: int, progress: Any = lambda done, total: None) -> int:
    """Store the take at a path in one transaction; gives its id."""
    with open_take(path, settings().limits) as take, transaction() as session:
        device = device_by_code(session, site_id, take.info.device)
        if device is None:
            raise Refused(
                [Fault("device", f"the site has no device {take.info.device!r}", "the code of a device of this site")]
            )
        _check_picture(take, device)
        return add_take(session, take, device_id=device.id, progress=progress).id


def _check_picture(take: Take, device: DeviceRow) -> None:
    """Regions are in a device's own pixels: a picture of another size cannot be judged by its detectors."""
    width, height = device.ability.get("width"), device.ability.get("height")
    pictured = (take.info.width, take.info.height) if take.frames is None else (take.frames.width, take.frames.height)
    if None not in pictured and width and height and pictured != (width, height):
        size = f"pictures of {pictured[0]} x {pictured[1]} pixels"
        raise Refused([Fault("data", size, f"{width} x {height}, as device {device.code} gives them")])


def _tell(import_id: int, done: int, total: int) -> None:
    """Progress in a transaction of its own, so that the page sees it; also where a cancel is noticed."""
    if done % TOLD_EVERY < 16 or done == total:
        with transaction() as session:
            row = session.get(ImportRow, import_id)
            if row is None or row.cancel:
                raise ImportCancelled("cancelled")
            row.done, row.total = done, total


def _write_out(import_id: int, folder: Path) -> Path:
    """The uploaded files as a take on disk: the zip, the data file beside its sidecar, or a folder with take.json."""
    with transaction() as session:
        query = select(UploadPartRow.file).where(UploadPartRow.import_id == import_id).distinct()
        names = sorted(session.scalars(query))
        for name in names:
            target = folder / name
            target.parent.mkdir(parents=True, exist_ok=True)
            parts = select(UploadPartRow.data).where(UploadPartRow.import_id == import_id, UploadPartRow.file == name)
            with target.open("wb") as sink:
                for data in session.scalars(parts.order_by(UploadPartRow.part).execution_options(yield_per=4)):
                    sink.write(data)
    if "take.json" in names:
        return folder
    data_files = [name for name in names if not name.endswith(".json") and name.count("/") == 0]
    sidecars = {name.removesuffix(".json") for name in names if name.endswith(".json")}
    paired = [name for name in data_files if name in sidecars]
    if paired:
        return folder / paired[0]
    if len(data_files) == 1:
        return folder / data_files[0]
    raise Refused(
        [
            Fault(
                "upload",
                f"{', '.join(names) or 'nothing'}",
                "a zip, a data file with its sidecar, or a folder with take.json",
            )
        ]
    )


def _checked_name(file: str) -> None:
    parts = PurePosixPath(file).parts
    if not parts or file.startswith("/") or ".." in parts or "\\" in file or "\x00" in file or len(file) > 300:
        raise Refused([Fault("upload", f"file name {file!r}", "a plain name, or a path inside the uploaded folder")])


def delete_take(session: Session, take: TakeRow) -> None:
    session.delete(take)


# ---- marks -----------------------------------------------------------------------------------------------------------


def checked_mark(take: TakeRow, values: dict[str, Any]) -> Mark:
    """A mark that lies within the take."""
    faults = FaultList()
    start, end = float(values["start_s"]), float(values["end_s"])
    if not 0 <= start < end:
        faults.add("mark", f"from {start:g} s to {end:g} s", "an end after the start, and a start at 0 or later")
    elif start > take.length_s:
        faults.add("mark", f"starts at {start:g} s", f"within the take, which lasts {take.length_s:g} s")
    if values["label"] not in get_args(Label):
        faults.add("mark: label", repr(values["label"]), f"one of {', '.join(get_args(Label))}")
    faults.refuse_if_any()
    note, detector = str(values.get("note", "")), str(values.get("detector", ""))
    return Mark(round(start, 3), round(min(end, take.length_s), 3), cast(Label, values["label"]), detector, note)


def add_marks(session: Session, take: TakeRow, marks: list[Mark]) -> list[MarkRow]:
    rows = [
        MarkRow(take_id=take.id, start_s=m.start_s, end_s=m.end_s, label=m.label, detector=m.detector, note=m.note)
        for m in marks
    ]
    session.add_all(rows)
    session.flush()
    return rows


def import_marks(session: Session, take: TakeRow, marks: list[Mark]) -> int:
    """Add the marks of a file; those that are there already are left as they are."""
    held = set(session.scalars(select(MarkRow).where(MarkRow.take_id == take.id)))
    known = {(m.start_s, m.end_s, m.label, m.detector) for m in held}
    late = [m for m in marks if m.start_s > take.length_s]
    if late:
        what = f"starts at {late[0].start_s:g} s"
        raise Refused([Fault("marks", what, f"marks within the take, which lasts {take.length_s:g} s")])
    fresh = [m for m in marks if (m.start_s, m.end_s, m.label, m.detector) not in known]
    add_marks(session, take, fresh)
    return len(fresh)


def open_imports(session: Session, site_id: int) -> list[ImportRow]:
    """Imports under way, and the last few that ended."""
    query = select(ImportRow).where(ImportRow.site_id == site_id).order_by(ImportRow.id.desc()).limit(6)
    return list(session.scalars(query))
