"""Random passages with all that makes trouble: reads that differ, reads without boxes, hands that wander, pauses, two vehicles at once."""

from __future__ import annotations

from datetime import datetime
from typing import Any

import numpy as np

from lantern.core.plates.keys import ALPHABET
from lantern.core.plates.reads import Reads

START = datetime.fromisoformat("2026-03-04T05:30:00+01:00")
NAN = (np.nan,) * 4


def scene(seed: int, *, passages: int = 8, reads: int = 8) -> tuple[Reads, list[dict[str, Any]]]:
    rng = np.random.default_rng(seed)
    texts = ["".join(rng.choice(list("ABKXO0D8S5MN123"), size=rng.integers(4, 7))) for _ in range(4)]
    rows = []
    t = 0.0
    for number in range(passages):
        true = str(rng.choice(texts))
        t += rng.uniform(0, 12)
        at, held = t, rng.random() < 0.3
        way = 0.0 if rng.random() < 0.2 else 30.0
        for k in range(int(rng.integers(1, reads + 1))):
            at += float(rng.choice([0.1, 0.2, 0.5, 3.0, 3.4], p=[0.4, 0.3, 0.2, 0.05, 0.05]))
            text = list(true)
            for place in range(len(text)):
                if rng.random() < 0.15:
                    text[place] = str(rng.choice(list(ALPHABET)))
            if rng.random() < 0.1:
                del text[int(rng.integers(len(text)))]
            if rng.random() < 0.05:
                text = []
            chars = tuple(np.round(rng.uniform(0.2, 1.0, len(text)), 2).tolist()) if rng.random() < 0.7 else ()
            car = (100 + way * k, 50.0, 200.0, 160.0)
            off = rng.normal(0, 0.15 if held else 0.004, 2)
            u, v = 0.5 + off[0], 0.7 + off[1]
            plate = (car[0] + u * 200 - 30, car[1] + v * 160 - 7, 60.0, float(rng.integers(8, 24)))
            rows.append(
                (
                    *(round(at, 2), f"v{number % 6}", "".join(text), round(float(rng.uniform(0.3, 1)), 2), chars),
                    NAN if rng.random() < 0.1 else plate,
                    NAN if rng.random() < 0.1 else car,
                )
            )
    rows.sort(key=lambda row: row[0])
    columns = list(zip(*rows, strict=True))
    made = Reads(
        t_s=np.array(columns[0]),
        vehicle=columns[1],
        text=columns[2],
        confidence=np.array(columns[3]),
        chars=columns[4],
        plate=np.array(columns[5], dtype=np.float64),
        car=np.array(columns[6], dtype=np.float64),
        truth=("",) * len(rows),
        start=START,
    )
    near = texts[0].replace("0", "O").replace("8", "B")
    lists = [
        {"name": "crews", "entries": [entry(texts[0]), entry(texts[1], until="2026-03-03"), entry(near)]},
        {"name": "barred", "entries": [entry(texts[0]), entry(texts[2], since="2026-03-04"), entry("--")]},
    ]
    return made, lists


def entry(text: str, since: str | None = None, until: str | None = None) -> dict[str, Any]:
    return {"text": text, "from": since, "until": until}
