"""Returns of a radar: a CSV file of targets with range, azimuth, radial speed and size."""

from __future__ import annotations

import io
import json
from collections.abc import Iterator, Mapping, Sequence
from functools import partial
from pathlib import Path
from typing import Any

import numpy as np
import zstandard

from lantern.core.company import Stands
from lantern.core.radar.returns import Return, Returns
from lantern.core.radar.sighted import frame_on_plan
from lantern.core.signals import Floats
from lantern.formats.folder import TakeFolder
from lantern.formats.sidecar import TakeInfo
from lantern.signals.looks import Look, Unread
from lantern.signals.radar.feed import ScanFeed
from lantern.signals.radar.table import HEADERS, OF_NOISE, read_returns, write_returns
from lantern.signals.signal import Block, Signal, Stored, Timed
from lantern.signals.space import SENSOR

LEVEL = 3
NUMBERS = ("t_s", "target", "range_m", "azimuth_deg", "speed_mps", "rcs_dbsm")
MOST_DRAWN = 6000  # points of a whole take


class RadarReturns(Signal[Returns, Sequence[Return]]):
    """Stored in one piece; returns have their times, the take has none of its own."""

    name = "radar"
    words = "returns of a radar, as a CSV file"
    held = True
    space = SENSOR
    ground = "/static/signals/sector.js"
    endings = (".csv",)
    feed = ScanFeed

    def may_be(self, unread: Unread) -> int:
        return 3 if unread.layout is not None and unread.layout.names in HEADERS else 0

    def look(self, unread: Unread) -> Look:
        returns = read_returns(unread.path, where=unread.path.name, detections=None)
        whose = "detections that nobody has followed" if returns.bare else f"returns of {len(returns.ids)} targets"
        facts = [f"{len(returns)} {whose}, as far as {returns.range_m.max():.0f} m"]
        drawn, length = {"radar": self.sketch({}, returns)}, {"": returns.length_s}
        given = {"detections": True} if returns.bare else {}
        return Look(("radar",), facts, {}, {"radar": []}, drawn, len(returns), length_s=length, given=given)

    def read(self, info: TakeInfo, data: Path, folder: TakeFolder) -> Returns:
        return read_returns(
            data,
            where=data.name,
            limits=folder.limits,
            detections=info.detections,
            noise_cells=info.noise_cells,
        )

    def facts(self, info: TakeInfo, value: Returns) -> dict[str, Any]:
        reach_m = float(np.ceil(value.range_m.max(initial=1.0) / 10) * 10)
        held = [[len(value), "detections"]] if value.bare else [[len(value), "returns"], [len(value.ids), "targets"]]
        facts = {"range_m": reach_m, "told": list(value.told), "holds": held}
        return facts | ({"detections": True} if value.bare else {}) | _cells(value.noise_cells)

    def shown(self, facts: Mapping[str, Any]) -> dict[str, Any]:
        return {"rangeM": facts["range_m"], "detections": facts.get("detections", False)}

    def sketch(self, facts: Mapping[str, Any], value: Returns) -> dict[str, Any]:
        thin = slice(None, None, max(len(value) // MOST_DRAWN, 1))
        x, y = (axis[thin].round(2).tolist() for axis in value.places)
        words = [
            f"{value.ids[target]} at {t:.1f} s: {away:.1f} m, {speed:+.1f} m/s"
            for target, t, away, speed in zip(
                *(column[thin].tolist() for column in (value.target, value.t_s, value.range_m, value.speed_mps)),
                strict=True,
            )
        ]
        return {"points": [list(each) for each in zip(x, y, words, strict=True)]}

    def t_s(self, value: Returns) -> Floats:
        return np.zeros(0)

    def samples(self, value: Returns) -> int:
        return len(value)

    def length_s(self, value: Returns) -> float:
        return value.length_s

    def pack(self, value: Returns) -> Iterator[Block]:
        yield len(value), partial(_pack, value)

    def unpack(self, stored: Stored) -> Returns:
        return _unpack(stored.only_block(), stored.facts)

    # ---- recorded live ----

    def whereabouts(self, value: Sequence[Return], stands: Stands) -> Mapping[str, tuple[float, float]]:
        frame = frame_on_plan(stands)
        if frame is None or not value:
            return {}
        x, y = frame.onto_plan(*np.array([each.place for each in value]).T)
        return {each.target: at for each, at in zip(value, zip(x.tolist(), y.tolist(), strict=True), strict=True)}

    def piece(self, samples: Sequence[Timed[Sequence[Return]]], known: Mapping[str, Any]) -> Returns:
        rows = [(t, each) for t, seen in samples for each in seen]
        ids = list(dict.fromkeys(each.target for _, each in rows))
        place = {name: at for at, name in enumerate(ids)}
        return Returns(
            t_s=np.array([t for t, _ in rows], dtype=np.float64),
            target=np.array([place[each.target] for _, each in rows], dtype=np.intp),
            range_m=np.array([each.range_m for _, each in rows], dtype=np.float64),
            azimuth_deg=np.array([each.azimuth_deg for _, each in rows], dtype=np.float64),
            speed_mps=np.array([each.speed_mps for _, each in rows], dtype=np.float64),
            rcs_dbsm=np.array([each.rcs_dbsm for _, each in rows], dtype=np.float64),
            ids=tuple(ids),
            snr_db=_levels([each.snr_db for _, each in rows]),
        )

    def joined(self, pieces: Sequence[Returns], t_s: Floats) -> Returns:
        ids = list(dict.fromkeys(name for each in pieces for name in each.ids))
        place = {name: at for at, name in enumerate(ids)}
        targets = [np.array([place[name] for name in each.ids], dtype=np.intp)[each.target] for each in pieces]
        columns: dict[str, Any] = {
            name: np.concatenate([getattr(each, name) for each in pieces]) for name in NUMBERS if name != "target"
        }
        for name in OF_NOISE:
            held = [getattr(each, name) for each in pieces]
            if any(each is not None for each in held):
                filled = [np.full(len(p), np.nan) if h is None else h for p, h in zip(pieces, held, strict=True)]
                columns[name] = np.concatenate(filled)
        return Returns(target=np.concatenate(targets), ids=tuple(ids), **columns)

    def write(self, info: TakeInfo, value: Returns, folder: Path) -> TakeInfo:
        (folder / "returns.csv").write_text(write_returns(value))
        said = {"data": "returns.csv", "detections": value.bare, "noise_cells": value.noise_cells}
        return info.model_copy(update=said)


def _pack(returns: Returns) -> bytes:
    """Numbers in numpy's own container, names as JSON in it."""
    named = {name: getattr(returns, name) for name in (*NUMBERS, *OF_NOISE) if getattr(returns, name) is not None}
    out = io.BytesIO()
    np.savez(out, ids=np.frombuffer(json.dumps(returns.ids).encode(), dtype=np.uint8), **named)
    return zstandard.ZstdCompressor(level=LEVEL).compress(out.getvalue())


def _unpack(data: bytes, facts: Mapping[str, Any]) -> Returns:
    held = np.load(io.BytesIO(zstandard.ZstdDecompressor().decompress(data)), allow_pickle=False)
    ids = tuple(json.loads(held["ids"].tobytes()))
    columns = {name: held[name] for name in (*NUMBERS, *OF_NOISE) if name in held}
    return Returns(ids=ids, told=tuple(facts.get("told", ())), noise_cells=facts.get("noise_cells"), **columns)


def _cells(cells: int | None) -> dict[str, int]:
    return {} if cells is None else {"noise_cells": cells}


def _levels(levels: Sequence[float | None]) -> Floats | None:
    if all(each is None for each in levels):
        return None
    return np.array([np.nan if each is None else each for each in levels], dtype=np.float64)


SIGNALS = (RadarReturns(),)
