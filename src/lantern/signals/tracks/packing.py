"""Tracks to bytes and back: columns as they are, in numpy's own container, zstandard."""

from __future__ import annotations

import io

import numpy as np
import zstandard

from lantern.core.tracks import Tracks

LEVEL = 3


def pack_tracks(tracks: Tracks) -> bytes:
    """Columns as they are, one after the other, in numpy's own container."""
    out = io.BytesIO()
    named = {
        "t_s": tracks.t_s,
        "object": tracks.object.astype(np.int32),
        "box": tracks.box.astype(np.float64),
        "confidence": tracks.confidence,
        "label": tracks.label.astype(np.int16),
        "ids": np.array(tracks.ids),
        "classes": np.array(tracks.classes, dtype=str),
        "last_s": np.array(tracks.last_s),
        "on_plan": np.array(tracks.on_plan),
        "frame_px": np.array(tracks.frame_px or (0, 0)),
        "fps": np.array(tracks.fps or 0.0),
    }
    if tracks.height_m is not None:
        named["height_m"] = tracks.height_m.astype(np.float32)
    np.savez(out, **named)  # type: ignore[arg-type]  # numpy's stub takes the names for its own option
    return zstandard.ZstdCompressor(level=LEVEL).compress(out.getvalue())


def unpack_tracks(data: bytes) -> Tracks:
    """The tracks that `pack_tracks` was given."""
    with np.load(io.BytesIO(zstandard.ZstdDecompressor().decompress(data)), allow_pickle=False) as held:
        width, height = held["frame_px"].tolist()
        return Tracks(
            held["t_s"],
            held["object"].astype(np.intp),
            held["box"],
            held["confidence"],
            held["label"].astype(np.intp),
            tuple(held["ids"].tolist()),
            tuple(held["classes"].tolist()),
            float(held["last_s"]),
            bool(held["on_plan"]),
            (width, height) if width else None,
            float(held["fps"]) or None,
            held["height_m"].astype(np.float64) if "height_m" in held else None,
        )
