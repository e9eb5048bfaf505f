"""A take from outside: a folder or zip with `take.json`, or a data file with its sidecar `NAME.EXT.json`."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import ExitStack, contextmanager
from dataclasses import dataclass, replace
from pathlib import Path, PurePosixPath
from typing import Any

from lantern.core.counted import CountedByHand
from lantern.core.faults import Fault, Refused
from lantern.core.scoring.marks import Mark
from lantern.core.truths import Said
from lantern.formats.archive import members_of, unpacked
from lantern.formats.border import border
from lantern.formats.documents import read_bytes, read_json, read_model
from lantern.formats.folder import TakeFolder
from lantern.formats.limits import DEFAULT, Limits
from lantern.formats.sidecar import TakeInfo
from lantern.formats.tables import read_counted, read_marks, read_truths
from lantern.signals.register import SIGNALS, signal_of
from lantern.signals.signal import AnySignal

STILLS = ((b"\x89PNG\r\n\x1a\n", "image/png"), (b"\xff\xd8\xff", "image/jpeg"))


@dataclass(frozen=True)
class Still:
    """A picture of the scene, as it came."""

    data: bytes
    media_type: str


@dataclass(frozen=True)
class Take:
    """A take as it was read: `value` is what `signal` is in the core. `left`: files beside it that nobody meant, and
    that were skipped.
    """

    info: TakeInfo
    value: Any
    still: Still | None = None
    marks: tuple[Mark, ...] = ()
    truths: tuple[Said, ...] = ()
    counts: tuple[CountedByHand, ...] = ()
    left: tuple[str, ...] = ()

    @property
    def signal(self) -> AnySignal:
        return signal_of(self.info.kind)

    @property
    def length_s(self) -> float:
        return self.signal.length_s(self.value)


def take_schema() -> dict[str, Any]:
    """Return the JSON schema of `take.json`, with the kinds of take there are."""
    schema = TakeInfo.model_json_schema()
    schema["properties"]["kind"]["enum"] = list(SIGNALS)
    for signal in SIGNALS.values():
        own = signal.info.model_json_schema()["properties"]
        schema["properties"] = own | schema["properties"]
    return schema


def read_info(document: Any, *, where: str) -> TakeInfo:
    """Return a sidecar's document as what describes a take. Raises `Refused`, also for what does not fit its signal."""
    name = document.get("kind")
    known = SIGNALS.get(name) if isinstance(name, str) else None
    info = read_model(known.info if known else TakeInfo, document, where=where)
    faults = signal_of(info.kind, where=f"{where}: kind").faults(info)
    if faults:
        raise Refused([Fault(where, each, "keys that fit the kind of take") for each in faults])
    return info


@contextmanager
def open_take(path: Path, limits: Limits = DEFAULT) -> Iterator[Take]:
    """Open a take; its frames may be read as long as the context is open. Raises `Refused`, here and while frames are read."""
    with ExitStack() as stack:
        with border(path.name or str(path)):
            take = _opened(path, limits, stack)
        yield take


def has_sidecar(path: Path, limits: Limits) -> bool:
    """Return whether anything describes it: a sidecar beside it, or a take.json inside."""
    if path.is_dir() or path.with_name(path.name + ".json").exists():
        return True  # a folder without its take.json is refused by name
    if path.suffix.lower() == ".zip":
        return any(PurePosixPath(member.filename).name == "take.json" for member in members_of(path, limits)[0])
    return False


def _opened(path: Path, limits: Limits, stack: ExitStack) -> Take:
    if not path.exists():
        raise Refused([Fault(str(path), "does not exist", "a take: a folder, a zip, or a data file with its sidecar")])
    sidecar = path.with_name(path.name + ".json")
    if path.is_dir():
        return _read(TakeFolder(path, limits, "take.json"))
    if path.suffix.lower() == ".zip" and not sidecar.exists():
        folder, left = stack.enter_context(unpacked(path, limits))
        held = TakeFolder(folder, limits, "take.json")
        take = _read(held)
        held.refuse_unread(path.name)
        return replace(take, left=(*left, *take.left))
    if not sidecar.exists():
        raise Refused([Fault(path.name, "has no sidecar", f"{sidecar.name} beside it, with the keys of take.json")])
    return _read(TakeFolder(path.parent, limits, sidecar.name), path)


def _read(folder: TakeFolder, data: Path | None = None) -> Take:
    document = read_bytes(folder.folder / folder.where, most=folder.limits.document_bytes)
    info = read_info(read_json(document, where=folder.where), where=folder.where)
    data = data or folder.beside(info.data, key="data")
    folder.used.add(data)
    with border(data.name):
        value = signal_of(info.kind).read(info, data, folder)
        still, marks, truths = _still(info, folder), _marks(info, folder), _truths(info, folder)
        counts = _counts(info, folder)
        return Take(info, value, still, marks, truths, counts, left=tuple(folder.left))


def _marks(info: TakeInfo, folder: TakeFolder) -> tuple[Mark, ...]:
    if info.marks is None:
        return ()
    path = folder.beside(info.marks, key="marks")
    return tuple(read_marks(read_bytes(path, most=folder.limits.document_bytes), where=path.name))


def _truths(info: TakeInfo, folder: TakeFolder) -> tuple[Said, ...]:
    if info.truths is None:
        return ()
    path = folder.beside(info.truths, key="truths")
    said = read_truths(read_bytes(path, most=folder.limits.document_bytes), where=path.name)
    signal = signal_of(info.kind)
    return tuple(replace(each, text=signal.true_text(each.text)) for each in said)


def _counts(info: TakeInfo, folder: TakeFolder) -> tuple[CountedByHand, ...]:
    if info.counts is None:
        return ()
    path = folder.beside(info.counts, key="counts")
    return tuple(read_counted(read_bytes(path, most=folder.limits.document_bytes), where=path.name))


def _still(info: TakeInfo, folder: TakeFolder) -> Still | None:
    if info.still is None:
        return None
    path = folder.beside(info.still, key="still")
    data = read_bytes(path, most=folder.limits.still_bytes)
    kind = next((kind for magic, kind in STILLS if data.startswith(magic)), None)
    if kind is None:
        raise Refused([Fault(f"{folder.where}: still", f"{info.still!r} is neither", "a PNG or JPEG file")])
    return Still(data, kind)
