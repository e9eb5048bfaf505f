"""What can be done with takes: import in the background, delete, and change marks."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import timedelta
from pathlib import Path, PurePosixPath
from typing import Any

import structlog
from sqlalchemy import select
from sqlalchemy.orm import Session, object_session

from lantern.core.devices import DEVICE_KINDS, given_by, in_words
from lantern.core.faults import Fault, Refused
from lantern.db.base import now, transaction
from lantern.db.work import Record, carry_out, refuse, teller
from lantern.formats.border import border
from lantern.formats.limits import MOST_NAME
from lantern.formats.progress import beat
from lantern.formats.text import has_controls
from lantern.register.tables import DeviceRow, device_by_code
from lantern.register.units import signals_of_type
from lantern.settings import settings
from lantern.signals.looks import look_at
from lantern.signals.register import signal_of
from lantern.signals.takes import Take, has_sidecar, open_take
from lantern.takes import questions
from lantern.takes.marking import import_counts, import_marks, import_truths
from lantern.takes.store import add_take
from lantern.takes.tables import ImportRow, TakeRow, UploadPartRow
from lantern.tune.tables import forget_judgements

log = structlog.get_logger()
ABANDONED = timedelta(days=1)
STILL_SUFFIXES = (".png", ".jpg", ".jpeg")


# ---- imports ---------------------------------------------------------------------------------------------------------


def begin_import(session: Session, *, site_id: int, name: str) -> ImportRow:
    row = ImportRow(site_id=site_id, name=name, state="uploading", faults=[], notes=[])
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


def drop_abandoned_uploads() -> int:
    """End uploads that nobody finished within a day; returns how many."""
    with transaction() as session:
        waits = ImportRow.state.in_(("uploading", questions.ASKING))
        query = select(ImportRow).where(waits, ImportRow.created < now() - ABANDONED)
        rows = session.scalars(query).all()
        for row in rows:
            row.ask_to_end()
        return len(rows)


def run_import(import_id: int, folder: Path) -> int | None:
    """Read the uploaded files, by way of an empty folder, and store the take: all of it or nothing. Returns its id, if there is one."""
    stored: list[int] = []

    tell = teller(ImportRow, import_id)

    def told(done: int, total: int) -> None:
        beat()
        tell(done, total)

    def work(row: ImportRow) -> Record[ImportRow]:
        notes: list[str] = []
        with border("upload"):
            path = _write_out(import_id, folder)
        if not has_sidecar(path, settings().limits):
            raise MustAskError(_what_is_lacking(path), [])
        take_id = import_path(
            path,
            site_id=row.site_id,
            device_id=row.device_id,
            progress=told,
            skipped=lambda names: notes.extend(f"{n} was skipped: a file manager left it there" for n in names),
        )
        stored.append(take_id)

        def record(held: ImportRow) -> None:
            held.take_id, held.notes = take_id, notes

        return record

    carry_out(ImportRow, import_id, work, refused=_ask_or_refuse)
    return stored[0] if stored else None


def _ask_or_refuse(row: ImportRow, error: Refused) -> None:
    """Ask what whoever brought the file can still say; answers that do not do stand in the questions again."""
    asked = error.asked if isinstance(error, MustAskError) else row.asked
    if not asked:
        return refuse(row, error)
    session = object_session(row)
    assert session is not None
    if row.asked:
        questions.take_back(session, row)
    told = [] if isinstance(error, MustAskError) else [fault.as_dict() for fault in error.faults]
    questions.ask(row, asked if isinstance(error, MustAskError) else row.asked, told)


class MustAskError(Refused):
    """It lacks what whoever brought it can tell. `asked`: what an import asks then."""

    def __init__(self, asked: dict[str, Any], faults: Sequence[Fault]) -> None:
        super().__init__(list(faults))
        self.asked = asked


class UnknownDeviceError(MustAskError):
    """The header names a device that the site does not have. `asked`: what an import asks then."""

    def __init__(self, take: Take) -> None:
        info = take.info
        what = f"the site has no device {info.device!r}"
        facts = take.signal.facts(info, take.value)
        asked = {
            "needs": "device",
            "file": "take",
            "kinds": [info.kind],
            "facts": [f"{info.name}: {info.kind} of device {info.device}, which the site does not have"],
            "info": info.model_dump(mode="json", exclude_none=True),
            "picture": {"width": facts.get("width"), "height": facts.get("height"), "fps": info.fps},
            "guess": {"device": info.device},
            "samples": take.signal.samples(take.value),
            "length_s": {"": take.length_s},
            "drawn": {},
        }
        super().__init__(
            asked, [Fault("device", what, "the code of a device of this site: make it, or choose another")]
        )


def _what_is_lacking(path: Path) -> dict[str, Any]:
    """Return what a data file without a sidecar shows of itself. Raises `Refused` for one that nobody could
    describe.
    """
    beside = tuple(sorted(other.name for other in path.parent.iterdir() if other.is_file() and other != path))
    seen = look_at(path, settings().limits, beside).as_dict()
    picture = {key: seen["guess"].get(key) for key in ("width", "height")}
    guess = {"name": path.stem[:MOST_NAME]} | seen["guess"]
    return seen | {"needs": "answers", "file": path.name, "picture": picture, "guess": guess}


def import_path(
    path: Path,
    *,
    site_id: int,
    device_id: int | None = None,
    progress: Any = lambda done, total: None,
    skipped: Callable[[Sequence[str]], None] = lambda names: None,
) -> int:
    """Store the take at a path in one transaction; returns its id. `device_id`: of which device it is, whatever its header
    says. `skipped` is told what was left over beside it. Raises `Refused`.
    """
    with open_take(path, settings().limits) as take, transaction() as session:
        skipped(take.left)
        device = session.get(DeviceRow, device_id) if device_id else device_by_code(session, site_id, take.info.device)
        if device is None:
            raise UnknownDeviceError(take)
        _check_signal(session, take.info.kind, device)
        _check_picture(take, device)
        row = add_take(session, take, device_id=device.id, progress=progress)
        import_marks(session, row, list(take.marks))
        import_truths(session, row, take.truths)
        import_counts(session, row, take.counts)
        return row.id


def move_take(session: Session, take: TakeRow, device: DeviceRow) -> None:
    """It is of another device. Marks go along; how the old device's revisions were judged on it does not. Raises `Refused`."""
    _check_signal(session, take.signal, device)
    _check_size(signal_of(take.signal).picture(take.facts), device)
    forget_judgements(session, take.id)
    take.device_id = device.id


def _check_signal(session: Session, kind: str, device: DeviceRow) -> None:
    gives = DEVICE_KINDS[device.kind]
    if kind not in gives.signals and kind not in signals_of_type(session, device):
        what = f"{device.code} is {gives.a_title}, which gives {given_by(device.kind)}"
        raise Refused([Fault("take: device", what, f"a device that gives {in_words([kind])}")])


def _check_picture(take: Take, device: DeviceRow) -> None:
    _check_size(take.signal.picture(take.signal.facts(take.info, take.value)), device)


def _check_size(pictured: tuple[int, int] | None, device: DeviceRow) -> None:
    """Regions are in a device's own pixels: a picture of another size cannot be judged by its detectors."""
    width, height = device.ability.get("width"), device.ability.get("height")
    if pictured is not None and width and height and pictured != (width, height):
        size = f"pictures of {pictured[0]} x {pictured[1]} pixels"
        raise Refused([Fault("data", size, f"{width} x {height}, as device {device.code} gives them")])


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
    alone = _described_by_nothing(data_files)
    if alone is not None:
        return folder / alone
    raise Refused(
        [
            Fault(
                "upload",
                f"{', '.join(names) or 'nothing'}",
                "a zip, a data file with its sidecar, or a folder with take.json",
            )
        ]
    )


def _described_by_nothing(names: Sequence[str]) -> str | None:
    """The one file of data among several without a sidecar: a still or a table of times may lie beside it."""
    by_suffix = [(PurePosixPath(name).suffix.lower(), name) for name in names]
    without_stills = [(suffix, name) for suffix, name in by_suffix if suffix not in STILL_SUFFIXES]
    pictures = [name for suffix, name in without_stills if suffix in (".tif", ".tiff")]
    if len(pictures) == 1 and all(suffix == ".csv" or name in pictures for suffix, name in without_stills):
        return pictures[0]
    return without_stills[0][1] if len(without_stills) == 1 else None


def _checked_name(file: str) -> None:
    parts = PurePosixPath(file).parts
    plain = not file.startswith("/") and ".." not in parts and "\\" not in file and not has_controls(file)
    if not parts or not plain or len(file) > 300 or any(len(part.encode()) > MOST_NAME for part in parts):
        raise Refused([Fault("upload", f"file name {file!r}", "a plain name, or a path inside the uploaded folder")])


def delete_take(session: Session, take: TakeRow) -> None:
    session.delete(take)


def open_imports(session: Session, site_id: int) -> list[ImportRow]:
    """Imports under way, and the last few that ended."""
    query = select(ImportRow).where(ImportRow.site_id == site_id).order_by(ImportRow.id.desc()).limit(6)
    return list(session.scalars(query))
