"""A first look at a table of readings."""

from __future__ import annotations

import re
from itertools import islice

import numpy as np

from lantern.core.faults import Fault, Refused
from lantern.formats import columns as tables
from lantern.signals.looks import Look, Unread

DRAWN_ROWS, DRAWN_COLUMNS = 240, 4
MOST_UNNAMED = 10  # numbers a row without names above: more are a picture


def look_at_readings(unread: Unread) -> Look:
    """Raises `Refused` for a table that is a single picture."""
    path, limits, layout = unread.path, unread.limits, unread.layout
    assert layout is not None
    if not layout.named and len(layout.names) > MOST_UNNAMED:
        what = f"one table of {len(layout.names)} numbers a row without names: a single picture"
        raise Refused(
            [Fault(path.name, what, "pictures over time: all matrices in one zip, or readings with names above")]
        )
    times = tables.rising(path, layout, where=path.name)
    chosen = times[0] if times else None
    table = tables.read_columns(path, where=path.name, times=chosen, fps=None if chosen else 1.0, limits=limits)
    t_s, columns = table
    left_out = [name for name in layout.names if name not in layout.readings and name not in times]
    facts = [f"{t_s.size} rows; columns {', '.join(layout.names)}"]
    if left_out:
        facts.append(f"{', '.join(left_out)}: no numbers, left out")
    if layout.delimiter != ",":
        facts.append(
            "cells are parted by "
            + {";": "semicolons", "\t": "tabs"}[layout.delimiter]
            + ", decimals by commas or points"
        )
    if chosen is None:
        facts.append("no column of times: say how many rows a second")
    begins = {name: tables.begin_of(path, name, layout, where=path.name) for name in times}
    at = np.linspace(0, t_s.size - 1, min(DRAWN_ROWS, t_s.size)).astype(int)
    drawn = {name: np.round(x[at], 3).tolist() for name, x in islice(columns.items(), DRAWN_COLUMNS)}
    readings = [name for name in layout.readings if name != chosen]  # one that rises may be a reading all the same
    return Look(
        kinds=("series",),
        facts=facts,
        guess={"times": chosen, "units": {name: _unit(name) for name in readings}},
        asked={"series": ["times", "units"]},
        drawn={"series": {"as": "columns", "columns": drawn}},
        samples=int(t_s.size),
        length_s={chosen: float(t_s[-1])} if chosen else {},
        columns={"times": times, "readings": list(layout.readings)},
        begins={name: at.isoformat() for name, at in begins.items() if at is not None},
    )


def _unit(name: str) -> str:
    if found := re.search(r"[\[(]\s*(°?[CFK]|deg ?C|%|[a-zA-Z/°%µ]{1,8})\s*[\])]", name):
        return "°C" if found[1].replace(" ", "") in ("C", "°C", "degC") else found[1]
    return "°C" if re.search(r"temp|°c|_c$|celsius", name, re.IGNORECASE) else ""
