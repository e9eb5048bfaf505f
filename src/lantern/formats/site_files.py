"""A site's file: its document alone, or a zip of the document and the plan's ground picture."""

from __future__ import annotations

import io
import tempfile
import zipfile
from collections.abc import Mapping
from pathlib import Path, PurePosixPath

from lantern.core.faults import Fault, Refused
from lantern.core.site import Site
from lantern.formats.archive import members_of
from lantern.formats.border import border
from lantern.formats.documents import read_bytes, read_json, site_of
from lantern.formats.limits import DEFAULT, Limits

DOCUMENT = "site.json"
ZIP = b"PK\x03\x04"
Pictures = Mapping[str, bytes]


def read_site(path: Path, limits: Limits = DEFAULT) -> Site:
    """The site of a `lantern-site/1` file, checked. Raises `Refused`."""
    return read_site_file(path, limits)[0]


def read_site_file(path: Path, limits: Limits = DEFAULT, *, where: str = "", name: str = "") -> tuple[Site, Pictures]:
    """The site and its plan's picture: from a zip, or from beside the document. `name`: another than the file's. Raises `Refused`."""
    where = where or path.name
    with border(where, "a file that exists and may be read"), path.open("rb") as stream:
        packed = stream.read(len(ZIP)) == ZIP
    if packed:
        return _unpacked(path, limits, where, name)
    site = _site(read_bytes(path, most=limits.document_bytes), where, name)
    picture = site.plan.picture if site.plan is not None else None
    beside = path.parent / PurePosixPath(picture).name if picture else None
    if picture is None or beside is None or not beside.is_file():
        return site, {}
    return site, {picture: read_bytes(beside, most=limits.still_bytes)}


def site_in(data: bytes, limits: Limits = DEFAULT, *, where: str, name: str = "") -> tuple[Site, Pictures]:
    """The same of a file's bytes, with nothing beside it."""
    if not data.startswith(ZIP):
        return _site(data, where, name), {}
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "site.zip"
        path.write_bytes(data)
        return _unpacked(path, limits, where, name)


def packed(document: bytes, pictures: Pictures) -> bytes:
    """The document alone where there is no picture, else a zip of both."""
    if not pictures:
        return document
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w") as archive:
        for name, data in [(DOCUMENT, document), *sorted(pictures.items())]:
            member = zipfile.ZipInfo(name)  # of no date, so that the same site gives the same bytes
            member.compress_type = zipfile.ZIP_DEFLATED
            archive.writestr(member, data)
    return out.getvalue()


def _site(data: bytes, where: str, name: str) -> Site:
    document = read_json(data, where=where)
    return site_of({**document, "name": name} if name else document, where=where)


def _unpacked(path: Path, limits: Limits, where: str, name: str) -> tuple[Site, Pictures]:
    members, _ = members_of(path, limits)
    names = [member.filename for member in members]
    if DOCUMENT not in names:
        raise Refused(
            [Fault(where, f"has {', '.join(names[:5]) or 'nothing'} in it", f"{DOCUMENT} and the plan's picture")]
        )
    with border(where, "a zip that is whole"), zipfile.ZipFile(path) as archive:
        held = {member.filename: archive.read(member) for member in members if member.file_size <= limits.still_bytes}
    site = _site(held.get(DOCUMENT, b""), f"{where}/{DOCUMENT}", name)
    picture = site.plan.picture if site.plan is not None else None
    if strangers := [each for each in names if each not in (DOCUMENT, picture)]:
        raise Refused([Fault(f"{where}/{strangers[0]}", "is named nowhere in the site", "the plan's picture alone")])
    return site, {} if picture is None or picture not in held else {picture: held[picture]}
