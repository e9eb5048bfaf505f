"""Zip archives: looked at before they are opened, unpacked into a folder or read member by member, none of them overlooked."""

from __future__ import annotations

import shutil
import struct
import tempfile
import zipfile
from collections import Counter
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from pathlib import Path, PurePosixPath

from lantern.core.faults import Fault, FaultList, Refused
from lantern.formats.border import border
from lantern.formats.limits import MIB, MOST_NAME, Limits
from lantern.formats.progress import beat
from lantern.formats.text import has_controls

BESIDE = ("__MACOSX",)  # folders, and files, that file managers leave
LEFT = (".DS_Store", "Thumbs.db", "desktop.ini")
METHODS = (zipfile.ZIP_STORED, zipfile.ZIP_DEFLATED, zipfile.ZIP_BZIP2, zipfile.ZIP_LZMA)
MOST_DIRECTORY_BYTES = 64 * MIB
MOST_DICTIONARY_BYTES = 64 * MIB  # that an LZMA member asks for
END, END_64, LOCATOR_64 = b"PK\x05\x06", b"PK\x06\x06", b"PK\x06\x07"
FARTHEST_END = 65_557  # from the file's end, with the longest comment
WHOLE = "a zip that is whole"


def is_left_over(name: str) -> bool:
    """Something that a file manager put there, and nobody means."""
    parts = PurePosixPath(name).parts
    return bool(parts) and (parts[0] in BESIDE or parts[-1] in LEFT)


def members_of(path: Path, limits: Limits) -> tuple[list[zipfile.ZipInfo], list[str]]:
    """The files of an archive, checked, and the names of those that are left over. Raises `Refused`."""
    faults = FaultList()
    with border(path.name, WHOLE):
        entries = _check_directory(path)
        with zipfile.ZipFile(path) as archive:
            infos = archive.infolist()
        left = [m.filename for m in infos if is_left_over(m.filename)]
        members = [m for m in infos if not m.is_dir() and not is_left_over(m.filename)]
        if len(infos) != entries:
            faults.add(path.name, f"{len(infos)} files, where its end says {entries}", WHOLE)
        if len(infos) > limits.files:
            faults.add(path.name, f"{len(infos)} files", f"at most {limits.files}")
        for name, count in Counter(m.filename for m in members).items():
            if count > 1:
                faults.add(f"{path.name}/{name}", f"is in it {count} times", "each file once")
        for member in infos:
            _check_member(member, faults, path.name)
        unpacked = sum(m.file_size for m in members)
        limits.check(faults, where=path.name, packed=path.stat().st_size, unpacked=unpacked)
    faults.refuse_if_any()
    return members, left


def _check_directory(path: Path) -> int:
    """The library reads an archive's whole directory at once: first how large that says it is. Returns how many entries."""
    with path.open("rb") as stream:
        size = stream.seek(0, 2)
        stream.seek(max(0, size - FARTHEST_END))
        tail = stream.read()
    at = tail.rfind(END)
    if at < 0 or len(tail) < at + 22:
        raise Refused([Fault(path.name, "has no end of a zip", WHOLE)])
    entries, directory_bytes = struct.unpack_from("<HI", tail, at + 10)
    wide = tail.rfind(END_64, 0, at)
    if LOCATOR_64 in tail[:at] and wide >= 0 and len(tail) >= wide + 56:
        entries, directory_bytes = struct.unpack_from("<QQ", tail, wide + 32)
    if directory_bytes > min(MOST_DIRECTORY_BYTES, size):
        what = f"a directory of {directory_bytes} bytes, {entries} entries"
        raise Refused([Fault(path.name, what, f"at most {MOST_DIRECTORY_BYTES} bytes, and within the file")])
    return int(entries)


def _check_member(member: zipfile.ZipInfo, faults: FaultList, archive: str) -> None:
    name = member.orig_filename  # the library ends `filename` at a NUL
    where = f"{archive}/{name[:80]!r}" if has_controls(name) else f"{archive}/{name[:80]}"
    parts = PurePosixPath(name.replace("\\", "/")).parts
    if not parts or ".." in parts or "." in name.split("/") or name.startswith(("/", "\\")) or ":" in parts[0]:
        faults.add(where, "leaves the archive", "names inside the archive")
    elif len(name) > MOST_NAME * 2 or any(len(part.encode()) > MOST_NAME for part in parts) or has_controls(name):
        faults.add(
            where, "no name of a file", f"names of at most {MOST_NAME} characters, none of them a control character"
        )
    if member.is_dir() and member.file_size:
        faults.add(where, f"a folder of {member.file_size} bytes", WHOLE)
    if member.compress_type not in METHODS:
        faults.add(where, f"packed by method {member.compress_type}", "stored, deflate, bzip2 or LZMA")
    if member.flag_bits & 0x1:
        faults.add(where, "is encrypted", "files without a password")


@contextmanager
def unpacked(path: Path, limits: Limits) -> Iterator[tuple[Path, list[str]]]:
    """(folder with a zip's files, which goes when the context ends; what was left over)."""
    members, left = members_of(path, limits)
    prefix = _common_folder([m.filename for m in members])
    with tempfile.TemporaryDirectory(prefix="lantern-take-") as name:
        folder = Path(name)
        with border(path.name, WHOLE), zipfile.ZipFile(path) as archive:
            for member in members:
                beat()
                target = folder / member.filename.removeprefix(prefix)
                with border(f"{path.name}/{member.filename}", "a file that is whole"):
                    target.parent.mkdir(parents=True, exist_ok=True)
                    with opened(archive, member) as source, target.open("wb") as sink:
                        shutil.copyfileobj(source, sink, MIB)  # zipfile stops at the size it declares
        yield folder, left


@contextmanager
def opened(archive: zipfile.ZipFile, member: zipfile.ZipInfo) -> Iterator[zipfile.ZipExtFile]:
    """A member to read from. LZMA takes as much memory as the member says: no more than is allowed."""
    if member.compress_type == zipfile.ZIP_LZMA:
        with archive.open(_stored(member)) as raw:
            head = raw.read(9)
        dictionary_bytes = struct.unpack("<I", head[5:9])[0] if len(head) == 9 else 0
        if dictionary_bytes > MOST_DICTIONARY_BYTES:
            what = f"LZMA with a dictionary of {dictionary_bytes} bytes"
            raise Refused([Fault(member.filename, what, f"at most {MOST_DICTIONARY_BYTES} bytes")])
    with archive.open(member) as stream:
        yield stream  # type: ignore[misc] # of the library's own kind


def _stored(member: zipfile.ZipInfo) -> zipfile.ZipInfo:
    """The same place in the archive, its bytes as they are packed."""
    raw = zipfile.ZipInfo(member.filename)
    raw.header_offset, raw.compress_size, raw.orig_filename = (
        member.header_offset,
        member.compress_size,
        member.orig_filename,
    )
    raw.file_size, raw.flag_bits, raw.compress_type = member.compress_size, member.flag_bits, zipfile.ZIP_STORED
    return raw


def _common_folder(names: Sequence[str]) -> str:
    """A zip made of a folder has that folder's name before every member."""
    if "take.json" in names:
        return ""
    tops = {name.split("/", 1)[0] + "/" for name in names}
    top = tops.pop() if len(tops) == 1 else ""
    return top if f"{top}take.json" in names else ""
