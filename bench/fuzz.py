"""Mutated files through every reader: `python -m bench fuzz`, or with a number of mutations and a seed, `python -m bench.fuzz N SEED`.

Each mutation must be refused with a fault list, or be believed and hold nothing that lies beyond the limits of docs/files.md.
Whatever else happens is a failure, printed with what makes it again: `python -m bench.fuzz 1 SEED FIRST`; `python -m bench.fuzz N SEED
0 ground` tries the readers of ground pictures alone.
"""

from __future__ import annotations

import faulthandler
import io
import json
import math
import os
import random
import re
import resource
import signal
import sys
import tempfile
import time
import warnings
import zipfile
from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from functools import lru_cache
from pathlib import Path
from typing import Any

import ezdxf
import numpy as np
import tifffile
from PIL import Image

from bench.figures import Figure, sized
from lantern.core.events import Detector
from lantern.core.faces.looks import Looks
from lantern.core.faults import LanternError, Refused
from lantern.core.kinds import detector_of, judge
from lantern.core.plates.reads import Reads
from lantern.core.signals import Frames
from lantern.core.tracks import Tracks
from lantern.formats import limits
from lantern.formats.documents import read_detector
from lantern.formats.ground.picture import read_ground
from lantern.formats.portraits import read_portrait
from lantern.formats.sheets import read_sheet
from lantern.formats.site_files import site_in
from lantern.formats.tables import read_hand_counts, read_marks
from lantern.persons.files import read_list
from lantern.signals.faces.list_files import read_members
from lantern.signals.faces.wire import unpack_looks
from lantern.signals.heat.wire import FrameHeader, pack_frame, unpack_frame
from lantern.signals.looks import look_at
from lantern.signals.plates.list_files import read_entries
from lantern.signals.plates.table import COLUMNS
from lantern.signals.plates.wire import unpack_reads
from lantern.signals.takes import Take, open_take
from lantern.signals.tracks.onvif import read_frame
from lantern.signals.tracks.onvif_out import write_frame

MUTATIONS = sized(1_000_000, 300)
CPU_S = 2.0
HANGS_S = 8.0
MOST_MIB = 600.0
Files = dict[str, bytes]

# ---- what is mutated -------------------------------------------------------------------------------------------------

INFO: dict[str, Any] = {"format": "lantern-take/1", "name": "T", "device": "D", "start": "2026-03-04T05:12:00+01:00"}
HEAT = {"kind": "heat", "emissivity_set": 0.95, "reflected_c": 20, "distance_m": 12, "humidity_percent": 60, "air_c": 8}


def _info(**more: Any) -> bytes:
    return json.dumps(INFO | more).encode()


def _tiff(pages: int, dtype: str, **how: Any) -> bytes:
    celsius = np.full((pages, 6, 8), 20.0)
    celsius[pages // 3 : pages // 2, 3, 4] = 60.0
    data = np.round((celsius + 273.15) * 100).astype(np.uint16) if dtype == "uint16" else celsius.astype(np.float32)
    out = io.BytesIO()
    tifffile.imwrite(out, data, photometric="minisblack", **how)
    return out.getvalue()


def _zipped(files: Files, method: int = zipfile.ZIP_DEFLATED) -> bytes:
    out = io.BytesIO()
    with zipfile.ZipFile(out, "w", method) as archive:
        for name, data in files.items():
            archive.writestr(zipfile.ZipInfo(name, (2026, 3, 4, 5, 12, 0)), data, method)
    return out.getvalue()


def _rows(count: int, line: Callable[[int], str], header: str = "") -> bytes:
    return (header + "".join(line(n) + "\n" for n in range(count))).encode()


def _stream() -> bytes:
    from lantern.core.tracks import Seen

    frames = []
    for n in range(12):
        thing = Seen(n % 3, (20.0 + n, 30.0 + 3 * n, 10.0, 20.0), 0.8, "person", 1.7)
        document = write_frame(1_772_597_530.0 + n / 10, [thing], width=640, height=480).decode()
        frames.append(document[document.index("<ns0:VideoAnalytics>") : document.rindex("</ns0:MetadataStream>")])
    head = document[: document.index("<ns0:VideoAnalytics>")]
    return (head + "".join(frames) + "</ns0:MetadataStream>").encode()


@lru_cache
def seeds() -> Mapping[str, Files]:
    """By reader: small valid inputs, as files in a folder. The first is what is opened."""
    matrices = {f"m/{n:03d}.csv": b"\n".join([b"20.5,21,60.25"] * 3) for n in range(6)}
    times = _rows(24, lambda n: f"{n * 0.5 + 0.1}", "t_s\n")
    mot = _rows(40, lambda n: f"{n // 2 + 1},{n % 2 + 1},{20 + n},{n * 3},10,20,0.9,1,1")
    series = _rows(30, lambda n: f"{n},{20 + n % 9},{n % 5}", "t_s,all,other\n")
    plan = _rows(30, lambda n: f"{n / 10},{n % 2},{1 + n / 20},{2},person,{1.7}", "t_s,id,x_m,y_m,class,height_m\n")
    tracks = {"kind": "tracks", "fps": 10, "width": 640, "height": 480, "classes": {"1": "person"}}
    tiff = _tiff(24, "uint16")
    take = {"take.json": _info(data="a.tif", fps=2, **HEAT), "a.tif": tiff}
    folder = {"take.json": _info(data="m", fps=2, kind="heat"), **matrices}
    stream = _stream()
    scene = _info(**(tracks | {"fps": None}), data="o.xml")
    hours = _rows(30, lambda n: f"04.03.2026;23:59:{30 + n},5;{20 + n % 9},25;{n % 5}", "Datum;Zeit;all (C);other\n")
    dated = _rows(30, lambda n: f"2026-03-04T05:12:{n:02}Z\t{20 + n % 9}\t{n % 5}", "when\tall\tother\n")
    bare = _rows(30, lambda n: f"{20 + n % 9},{n % 5}")
    foreign = {"kind": "series", "units": {"all": "°C"}}
    return {
        "clock": {"s.csv": hours, "s.csv.json": _info(**foreign, times="Zeit")},
        "dates": {"s.csv": dated, "s.csv.json": _info(**foreign, times="when")},
        "rate": {"s.csv": bare, "s.csv.json": _info(**foreign, fps=2)},
        "look at readings": {"s.csv": hours},
        "look at dates": {"s.csv": dated},
        "look at boxes": {"g.csv": mot},
        "look at a plan": {"p.csv": plan},
        "look at a stream": {"o.xml": stream},
        "look at pages": {"a.tif": tiff},
        "look at matrices": {"m.zip": _zipped(matrices)},
        "tiff16": {"a.tif": tiff, "a.tif.json": _info(fps=2, **HEAT)},
        "tiff32": {"a.tif": _tiff(24, "float32"), "a.tif.json": _info(times="t.csv", **HEAT), "t.csv": times},
        "tiffzip": {"a.tif": _tiff(8, "uint16", compression="zlib"), "a.tif.json": _info(fps=2, **HEAT)},
        "bigtiff": {"a.tif": _tiff(8, "uint16", bigtiff=True), "a.tif.json": _info(fps=2, **HEAT)},
        "folder": {"take": b"", **{f"take/{name}": data for name, data in folder.items()}},
        "zip": {"t.zip": _zipped(take)},
        "zip of matrices": {"m.zip": _zipped(matrices), "m.zip.json": _info(fps=2, kind="heat")},
        "lzma": {"t.zip": _zipped(folder, zipfile.ZIP_LZMA)},
        "bzip2": {"t.zip": _zipped(folder, zipfile.ZIP_BZIP2)},
        "mot": {"g.csv": mot, "g.csv.json": _info(**tracks)},
        "onvif": {"o.xml": stream, "o.xml.json": scene},
        "onvif zip": {"t.zip": _zipped({"take.json": scene, "o.xml": stream})},
        "plan": {"p.csv": plan, "p.csv.json": _info(kind="plan-tracks")},
        "series": {"s.csv": series, "s.csv.json": _info(kind="series", units={"all": "°C"})},
        "plates": {"r.csv": _reads(), "r.csv.json": _info(kind="plates", width=640, height=480, light="day")},
        "faces": {"f.csv": _looks(), "f.csv.json": _info(kind="faces", score_min=0, score_max=100, algorithm="x 1")},
        "face detector": {"d.json": _document(DOOR)},
        "looks": {"m.json": SENT_LOOKS},
        "people list": {"l.csv": b"member\nm-001\n'=x\nm-003\n"},
        "plate list": {"l.csv": b"text,from,until,note\nAB12 CDE,2026-03-04,,a van\nXY99ZZZ,,2026-12-31,'=x\n"},
        "plate detector": {"d.json": _document(GATE)},
        "reads": {"r.json": _sent()},
        "marks": {"m.csv": b"start_s,end_s,label,detector,note\n4,9,expect,,first\n12,16,quiet,hot,'=x\n"},
        "counts": {"c.csv": b"start_s,end_s,in,out\n0,60,3,1\n60,120,4,4\n"},
        "detector": {"d.json": _document(HOT)},
        "frame": {
            "f.bin": pack_frame(FrameHeader(seq=1, t=1.7e9, width=8, height=6), np.full((6, 8), 29_000, np.uint16))
        },
        "metadata": {"f.xml": write_frame(1.7e9, [], width=640, height=480)},
        **{f"ground {name.rpartition('.')[2]}": {name: data} for name, data in _grounds().items()},
        **{f"portrait {form}": {f"p.{form}": data} for form, data in _portraits().items()},
        "people zip": {
            "z.zip": _zipped(
                {
                    "people.csv": b"member,name,picture\nx-1,A B,pictures/1.png\n,C,\n",
                    "pictures/1.png": _portraits()["png"],
                }
            )
        },
        "sheet": {"d.csv": SHEET},
        "site": {"s.zip": _zipped({"site.json": _site(), "yard.svg": _grounds()["yard.svg"]})},
    }


SHEET = b"code,name,place,kind,width,height,fps\nV9,Camera,Yard,camera,1280,720,10\n"
SVG = b"""<svg xmlns="http://www.w3.org/2000/svg" xmlns:xlink="http://www.w3.org/1999/xlink" width="90mm" height="60mm"
 viewBox="0 0 90 60"><defs><g id="a"><rect width="5" height="5"/></g></defs><use xlink:href="#a" x="9"/><g transform="scale(2)">
 <path d="M0 0L20 10C1 2 3 4 5 6Z" fill="url(#p)"/></g><pattern id="p" width="2" height="2"><circle r="1"/></pattern></svg>"""


def _grounds() -> Files:
    document = ezdxf.new("R12")
    space = document.modelspace()
    block = document.blocks.new("SHED")
    block.add_polyline2d([(0, 0), (8, 0), (8, 4), (0, 4)], close=True)
    for n in range(3):
        space.add_blockref("SHED", (n * 9, 0))
    space.add_circle((5, 9), 2)
    space.add_text("yard", height=1)
    dxf, png, pdf = io.StringIO(), io.BytesIO(), io.BytesIO()
    document.write(dxf)
    Image.new("RGB", (30, 20), "white").save(png, "PNG")
    Image.new("RGB", (30, 20), "white").save(pdf, "PDF")
    return {
        "hall.dxf": dxf.getvalue().encode(),
        "yard.svg": SVG,
        "roof.png": png.getvalue(),
        "quay.pdf": pdf.getvalue(),
    }


def _portraits() -> Files:
    noise = np.random.default_rng(1).integers(0, 255, (72, 64, 3)).astype(np.uint8)
    jpeg, png, exif = io.BytesIO(), io.BytesIO(), Image.Exif()
    exif[0x0112] = 6  # held sideways
    Image.fromarray(noise).save(jpeg, "JPEG", exif=exif, comment=b"where", progressive=True, restart_marker_blocks=3)
    Image.fromarray(noise).save(png, "PNG", exif=exif)
    return {"jpg": jpeg.getvalue(), "png": png.getvalue()}


def _site() -> bytes:
    plan = {"width_m": 90, "height_m": 60, "picture": "yard.svg", "metres_per_px": 1}
    place = {"name": "Yard", "devices": [{"code": "V9", "name": "Camera", "kind": "camera"}]}
    site = {"format": "lantern-site/1", "name": "S", "zone": "Europe/Amsterdam", "places": [place], "plan": plan}
    return json.dumps(site).encode()


HOT = {
    "name": "hot", "kind": "heat", "device": "D", "regions": [{"name": "all", "shape": "box", "points": [[0, 0], [3, 3]]}],
    "dials": {"threshold_c": 50, "sustain_s": 0, "emissivity": 0.8},
}  # fmt: skip
COUNT = {
    "name": "door", "kind": "count", "device": "D", "regions": [{"name": "l", "shape": "line", "points": [[0, 60], [640, 60]]}],
    "dials": {"band": 2, "capacity": 1},
}  # fmt: skip


GATE = {
    "name": "in", "kind": "plate", "device": "D", "regions": [{"name": "lane", "shape": "box", "points": [[0, 0], [640, 480]]}],
    "dials": {"min_reads": 2, "min_vote": 0.5, "tolerance": 0.6, "syntaxes": ["LLDDL[A-HJ]L"], "vehicle": "not_held"},
    "lists": [{"name": "crews", "entries": [{"text": "AB12 CDE", "from": "2026-03-01", "until": None, "note": "a van"}]}],
}  # fmt: skip


DOOR = {
    "name": "door", "kind": "face", "device": "D", "dials": {"threshold": 60, "min_looks": 2, "holdoff_s": 20},
    "lists": [{"name": "crew", "threshold": None, "members": ["m1", "m2"]}, {"name": "barred", "threshold": 70.5, "members": ["x1"]}],
}  # fmt: skip
SENT_LOOKS = (
    b'{"format": "lantern-looks/1", "seq": 7, "t": 1772597530.25, "looks": [{"probe": "p7", '
    b'"candidates": [["m1", 81.5], ["x1", 12.25]], "groups": {"light": "even"}}]}'
)


def _looks() -> bytes:
    def line(n: int) -> str:
        name, score, mated = ("m1", "m2", "x1")[n % 3], 20 + 7 * (n % 11), (n % 3 == 0) + 0
        return f"{n // 3},p{n // 3},{name},{score}.5,{mated},s{n // 6},{'day' if n % 4 else 'night'}"

    return _rows(36, line, "t_s,probe,candidate,score,mated,subject,light\n")


def _reads() -> bytes:
    def line(n: int) -> str:
        sure = " ".join(["0.9"] * 7)
        return f"{n / 4},v{n // 6},AB1{n % 3}CDE,0.9,{sure},{100 + n},200,60,13,{50 + n},100,200,150,AB12CDE"

    return _rows(30, line, ",".join(COLUMNS) + "\n")


def _sent() -> bytes:
    read = {"vehicle": "v1", "text": "AB12CDE", "confidence": 0.9, "char_confidence": [0.9] * 7, "box": [1, 2, 60, 13]}
    return json.dumps({"format": "lantern-reads/1", "seq": 3, "t": 1.7e9, "reads": [read]}).encode()


def _document(detector: dict[str, Any]) -> bytes:
    return json.dumps({"format": "lantern-detector/1", **detector}).encode()


# ---- mutations -------------------------------------------------------------------------------------------------------

NUMBER = re.compile(rb"-?\d+(?:\.\d+)?")
WORDS = (
    b"nan", b"inf", b"-inf", b"1e308", b"-1e308", b"1e-320", b"9" * 5000, b"-1", b"0", b"-0.0", b"1e7", b"10000001", b"", b" ",
    "²".encode(), b"0x10", b"1_000", b"1,5", b"9007199254740993", b"-273.16", b"1e999", b"\x00", b"\xff", b'"', b"'", b"\r",
    b"0001-01-01T00:00:00+01:00", b"9999-12-31T23:59:59Z", b"<!DOCTYPE a>", b"&a;", b".", b"..", b"/", b"NaN", b"null", b"{}",
)  # fmt: skip


def mutated(rng: random.Random, files: Files) -> Files:
    """The same files with one to four changes in one of them."""
    name = rng.choice([name for name, data in files.items() if data])
    data = bytearray(files[name])
    for _ in range(rng.choice((1, 1, 1, 2, 4))):
        _change(rng, data)
    return files | {name: bytes(data)}


def _change(rng: random.Random, data: bytearray) -> None:
    at, how = rng.randrange(len(data) + 1), rng.randrange(10)
    until = min(at + rng.choice((1, 2, 4, 8, 40, 400)), len(data))
    if how <= 1 and data:
        data[at % len(data)] ^= 1 << rng.randrange(8)
    elif how == 2 and data:
        data[at % len(data)] = rng.choice((0, 1, 127, 128, 255, rng.randrange(256)))
    elif how == 3:
        del data[at:until]
    elif how == 4:
        data[at:at] = rng.randbytes(rng.choice((1, 2, 8)))
    elif how == 5:
        data[at:at] = data[at:until]
    elif how == 6:
        del data[at:]
    elif how == 7 and len(data) > 4:
        where = at % (len(data) - 3)
        data[where : where + 4] = rng.choice((0, 1, 8, 255, 2**16, 2**31, 2**32 - 1)).to_bytes(4, "little")
    else:
        numbers = list(NUMBER.finditer(data))
        where = rng.choice(numbers).span() if numbers else (at, at)
        data[slice(*where)] = rng.choice(WORDS)


# ---- what must hold --------------------------------------------------------------------------------------------------


class BelievedError(Exception):
    """Something was believed that lies beyond the limits."""


def _hold(condition: bool, what: str) -> None:
    if not condition:
        raise BelievedError(what)


def drive(reader: str, files: Files, folder: Path) -> None:
    """Read it as users' files are read. Raises `Refused`, or something that must not be raised."""
    if reader in MESSAGES:
        [data] = files.values()
        MESSAGES[reader](data)
        return
    for name, data in files.items():
        path = folder / name
        path.parent.mkdir(parents=True, exist_ok=True)
        if name != "take":
            path.write_bytes(data)
    path = folder / next(iter(files))
    if reader.startswith("look"):
        _look(path)
    elif reader in TABLES:
        TABLES[reader](path)
    elif reader in DETECTORS:
        _evaluated(read_detector(path), seeds()[DETECTORS[reader]], folder / "beside")
    else:
        with open_take(path) as take:
            _believe(take, reader, promises=_promises(files))
            name = next(iter(take.value), "all") if take.signal.name == "series" else "all"  # a region is a column
            hot = HOT | {"regions": [HOT["regions"][0] | {"name": name[:80]}]}
            own = {"heat": hot, "series": hot, "plates": GATE, "faces": DOOR}.get(take.info.kind, COUNT)
            _events(detector_of({"format": "lantern-detector/1"} | own), take)


def _metadata(data: bytes) -> None:
    t, _ = read_frame(data, where="device", width=640, height=480)
    _hold(math.isfinite(t), "a time that is not finite")


def _sent_reads(data: bytes) -> None:
    _hold(all(0 <= read.confidence <= 1 for read in unpack_reads(data).reads), "a confidence")


def _sent_looks(data: bytes) -> None:
    scores = [score for look in unpack_looks(data).looks for _, score in look.candidates]
    _hold(all(abs(score) <= limits.MOST_READING for score in scores), "a score")


def _look(path: Path) -> None:
    seen = look_at(path, limits.DEFAULT).as_dict()
    _hold(json.loads(json.dumps(seen, allow_nan=False)) is not None, "a look that no page can be told")
    _hold(all(0 <= s <= limits.LONGEST_S for s in seen["length_s"].values()), f"lengths {seen['length_s']}")


def _marks(path: Path) -> None:
    for mark in read_marks(path, where=path.name):
        _hold(0 <= mark.start_s < mark.end_s <= limits.LONGEST_S, "a mark's times")


def _entries(path: Path) -> None:
    for entry in read_entries(path, where=path.name):
        _hold(bool(entry["text"]), "an entry without a text")


def _members(path: Path) -> None:
    members = read_members(path, where=path.name)
    _hold(all(members) and len(set(members)) == len(members), "a member without a name, or twice")


def _portrait(path: Path) -> None:
    data, _, measures = read_portrait(path.read_bytes())
    _hold(b"Exif" not in data, "a picture with notes")
    figures = (measures.focus, measures.mean, measures.dark, measures.bright)
    _hold(all(math.isfinite(value) for value in figures), f"measures of {figures}")


def _people(path: Path) -> None:
    for line in read_list(path.read_bytes()):
        _hold(bool(line.member or line.name), "a line of nobody")


def _counts(path: Path) -> None:
    read_hand_counts(path, where=path.name)


def _ground(path: Path) -> None:
    found = read_ground(path.read_bytes(), name=path.name)
    _hold(0 < found.width_px < 1e9 and 0 < found.height_px < 1e9, f"{found.width_px} x {found.height_px}")
    _hold(len(found.data) <= limits.DEFAULT.still_bytes, f"a picture of {len(found.data)} bytes")


def _sheet(path: Path) -> None:
    read_sheet(path.read_bytes(), ("code", "name", "place", "kind", "width", "height", "fps"), where=path.name)


def _site_file(path: Path) -> None:
    site, pictures = site_in(path.read_bytes(), where=path.name)
    _hold(set(pictures) <= {site.plan.picture if site.plan else None}, "a picture that nobody names")


MESSAGES: dict[str, Callable[[bytes], Any]] = {
    "frame": unpack_frame, "metadata": _metadata, "reads": _sent_reads,
    "looks": _sent_looks,
}  # fmt: skip
TABLES: dict[str, Callable[[Path], None]] = {
    "marks": _marks, "counts": _counts, "plate list": _entries, "people list": _members, "sheet": _sheet, "site": _site_file,
    "people zip": _people, **dict.fromkeys(("portrait jpg", "portrait png"), _portrait),
    **dict.fromkeys((f"ground {form}" for form in ("dxf", "svg", "png", "pdf")), _ground),
}  # fmt: skip
DETECTORS = {
    "detector": "tiff16",
    "plate detector": "plates",
    "face detector": "faces",
}  # and a take that each is held against


def _promises(files: Files) -> bool:
    """Does every TIFF still say how many pages it has? Archives are taken to: their checksums hold what is in them."""
    promise = re.compile(rb'\{"shape": \[\d+, 6, 8\]\}')
    return all(promise.search(data) is not None for name, data in files.items() if name.endswith(".tif"))


def _evaluated(detector: Detector, files: Files, folder: Path) -> None:
    folder.mkdir()
    for name, data in files.items():
        (folder / name).write_bytes(data)
    with open_take(folder / next(iter(files))) as take:
        _events(detector, take)


def _events(detector: Detector, take: Take) -> None:
    for event in judge(detector, take.signal.name, take.value).evaluated():
        numbers = [event.raised_s, event.peak, *([] if event.cleared_s is None else [event.cleared_s])]
        _hold(all(math.isfinite(n) for n in numbers), f"an event of {numbers}")
        _hold(abs(event.peak) <= limits.MOST_READING, f"a peak of {event.peak:g}")


def _believe(take: Take, reader: str, *, promises: bool) -> None:
    """Everything that was read lies within the limits."""
    _hold(0 <= take.length_s <= limits.LONGEST_S, f"a length of {take.length_s:g} s")
    _hold(limits.FIRST_YEAR <= take.info.start.year <= limits.LAST_YEAR, f"a start in {take.info.start.year}")
    if isinstance(take.value, Frames):
        pages, celsius = 0, np.zeros(1)
        for block in take.value.blocks():  # faults of pixels are told after the last: until then nothing is believed
            celsius = np.append(celsius, block * take.value.scale + take.value.offset_c)
            pages += block.shape[0]
        _hold(bool(np.isfinite(celsius).all()), "a temperature that is not finite")
        _hold(celsius.min() >= limits.COLDEST_C - 1e-3, f"a temperature of {celsius.min():g}")
        _hold(celsius.max() <= limits.HOTTEST_C + 1e-3, f"a temperature of {celsius.max():g}")
        _hold(pages == len(take.value), f"{pages} pages")
        _hold(take.value.t_s[0] >= 0, "a time before the start")
        whole = {"tiff16": 24, "tiff32": 24, "tiffzip": 8, "bigtiff": 8, "folder": 6, "zip": 24, "zip of matrices": 6}
        # a file that is cut where a page ends, and whose promise is damaged too, is a whole file of fewer pages to anybody
        _hold(pages >= whole.get(reader, 0) or not promises, f"{pages} pages of {whole.get(reader)}")
    if isinstance(take.value, Looks):
        looks = take.value
        _hold(bool(np.isfinite(looks.score).all() and (np.diff(looks.t_s) >= 0).all()), "a score or a time")
        _hold(looks.scale is None or bool((looks.score >= looks.scale[0]).all()), "a score below the scale")
        _hold(int(looks.first[-1]) == looks.score.size and bool((np.diff(looks.first) > 0).all()), "rows of no look")
    if isinstance(take.value, Tracks) and len(take.value):
        tracks = take.value
        most = limits.MOST_M if tracks.on_plan else limits.MOST_PX
        far = np.abs(np.column_stack((tracks.box[:, :2], tracks.box[:, :2] + tracks.box[:, 2:])))
        _hold(bool(np.isfinite(tracks.box).all() and far.max() <= most), f"a box {far.max():g} out")
        _hold(tracks.on_plan or bool((tracks.box[:, 2:] > 0).all()), "a box without a size")
        sure = tracks.confidence[tracks.confidence != -1]
        _hold(not sure.size or bool((sure >= 0).all() and (sure <= 100).all()), "a confidence")
        _hold(bool(np.isfinite(tracks.t_s).all() and tracks.t_s.min() >= 0), "a time")
        _hold(all(abs(i) < limits.MOST_ID for i in tracks.ids if isinstance(i, int)), "an id beyond 2^53")
        if tracks.height_m is not None:
            tall = tracks.height_m[~np.isnan(tracks.height_m)]
            _hold(not tall.size or bool((tall > 0).all() and (tall <= limits.TALLEST_M).all()), "a height")
    if isinstance(take.value, Reads):
        reads = take.value
        _hold(bool(np.isfinite(reads.t_s).all() and reads.t_s.min() >= 0), "a time")
        _hold(bool(((reads.confidence >= 0) & (reads.confidence <= 1)).all()), "a confidence")
        _hold(all(0 <= q <= 1 for each in reads.chars for q in each), "a character's confidence")
        boxes = np.concatenate((reads.plate, reads.car))
        boxes = boxes[~np.isnan(boxes[:, 0])]
        _hold(bool(np.isfinite(boxes).all() and (boxes[:, 2:] > 0).all()), "a box")
    for series in take.value.values() if isinstance(take.value, dict) else ():
        _hold(bool((np.abs(series.x) <= limits.MOST_READING).all()), f"a reading of {np.abs(series.x).max():g}")
        _hold(bool(np.isfinite(series.t_s).all() and (np.diff(series.t_s) > 0).all()), "times that do not run forward")


# ---- running ---------------------------------------------------------------------------------------------------------


TOLD_EVERY, STUCK_S = 1000, 60.0


class HangsError(Exception):
    """It took so long that it was interrupted."""


def one(seed: int, number: int, folder: Path, of: str = "") -> tuple[str, str, float]:
    """(reader, what came of it: refused, believed, or a failure in words; processor seconds) of one mutation. `of`: how the names of the
    readers begin."""
    rng = random.Random(f"{seed} {number}")
    reader = rng.choice([name for name in seeds() if name.startswith(of)])
    files = mutated(rng, seeds()[reader])
    began = time.process_time()
    signal.setitimer(signal.ITIMER_VIRTUAL, HANGS_S)
    try:
        with tempfile.TemporaryDirectory(dir=folder) as own, warnings.catch_warnings():
            warnings.simplefilter("ignore")
            drive(reader, files, Path(own))
        came = "believed"
    except Refused as error:
        came = "refused" if error.faults else "refused without a fault"
    except LanternError as error:
        came = f"{type(error).__name__}: {error}"
    except Exception as error:
        came = f"{type(error).__name__}: {str(error)[:150]}"
    finally:
        signal.setitimer(signal.ITIMER_VIRTUAL, 0)
    took_s = time.process_time() - began
    return reader, f"{took_s:.1f} s of processor time" if took_s > CPU_S else came, took_s


def run() -> Iterator[Figure]:
    yield from fuzz(MUTATIONS, random.SystemRandom().randrange(2**32), 0)


def fuzz(count: int, seed: int, first: int, of: str = "") -> Iterator[Figure]:
    """So many mutations of a seed from the first on; failures are printed as they come."""

    def interrupt(number: int, frame: Any) -> None:
        raise HangsError("it hangs")

    signal.signal(signal.SIGVTALRM, interrupt)
    met: Counter[str] = Counter()
    slowest, failures = 0.0, 0
    shared = "/dev/shm" if os.access("/dev/shm", os.W_OK) else None  # files that need no disk
    with tempfile.TemporaryDirectory(prefix="lantern-fuzz-", dir=shared) as name:
        for number in range(first, first + count):
            if number % TOLD_EVERY == 0:
                print(f"  from mutation {number} on", file=sys.stderr, flush=True)
            faulthandler.dump_traceback_later(STUCK_S, exit=True)  # a library's own loop hears no signal
            reader, came, took_s = one(seed, number, Path(name), of)
            faulthandler.cancel_dump_traceback_later()
            slowest = max(slowest, took_s)
            met[came if came in ("refused", "believed") else "failed"] += 1
            if came not in ("refused", "believed"):
                failures += 1
                print(f"  seed {seed}, mutation {number}, {reader}: {came}", flush=True)
    yield Figure(f"mutations from seed {seed}", float(count), "")
    yield Figure("refused", float(met["refused"]), "")
    yield Figure("believed, and within the limits", float(met["believed"]), "")
    yield Figure("failed", float(failures), "", 0.0)
    yield Figure("the slowest, processor time", slowest, "s", CPU_S)
    yield Figure("memory at most", resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024, "MiB", MOST_MIB)


if __name__ == "__main__":
    arguments = [int(text) for text in sys.argv[1:4]]
    for figure in fuzz(*[*arguments, *(MUTATIONS, 1, 0)[len(arguments) :]], *sys.argv[4:5]):
        print(f"  {figure}")
