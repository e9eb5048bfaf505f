"""A first look at a table of readings."""

from __future__ import annotations

import re
from collections.abc import Sequence
from itertools import islice, pairwise

import numpy as np

from lantern.core.faults import Fault, Refused
from lantern.core.signals import Floats
from lantern.formats import columns as tables
from lantern.formats.units import choices, unit_of
from lantern.signals.looks import Look, Question, Unread

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
    drawn = {name: np.round(thinned(x), 3).tolist() for name, x in islice(columns.items(), DRAWN_COLUMNS)}
    readings = [name for name in layout.readings if name != chosen]  # one that rises may be a reading all the same
    return Look(
        kinds=("series",),
        facts=facts,
        guess={"times": chosen, "units": {name: unit_of_header(name) for name in readings}},
        asked={"series": _questions(times, layout.readings)},
        drawn={"series": {"script": "/static/signals/series/look.js", "columns": drawn}},
        samples=int(t_s.size),
        length_s={chosen: float(t_s[-1])} if chosen else {},
        begins={name: at.isoformat() for name, at in begins.items() if at is not None},
    )


def thinned(x: Floats) -> Floats:
    """Return at most `DRAWN_ROWS` of the readings: of stretches of equal length the least and the greatest, in their order, so that no
    spike is lost.
    """
    if x.size <= DRAWN_ROWS:
        return x
    edges = np.linspace(0, x.size, DRAWN_ROWS // 2 + 1).astype(int)
    ends = [sorted((a + int(x[a:b].argmin()), a + int(x[a:b].argmax()))) for a, b in pairwise(edges.tolist())]
    return x[np.array(ends).ravel()]


def _questions(times: Sequence[str], readings: Sequence[str]) -> list[Question]:
    clocks = [*((name, f"column {name}") for name in times), ("", "so many rows a second")]
    return [
        Question("times", "Times", "choice", choices=tuple(clocks)),
        Question("fps", "Rows a second", only=("times", "")),
        Question(
            "units", "Units of the readings", "each", names=tuple(readings), choices=tuple(choices()), but="times"
        ),
    ]


def unit_of_header(name: str) -> str:
    """A unit that stands in brackets, or behind the last underscore, or that a word for temperature makes likely."""
    found = re.search(r"[\[(]\s*([^\[\]()]{1,12}?)\s*[\])]", name)
    unit = None if found is None else unit_of(found[1])
    if unit is not None:
        return unit.symbol
    if re.search(r"fahrenheit|°f|_f$", name, re.IGNORECASE):
        return "°F"
    return "°C" if re.search(r"temp|°c|_c$|celsius", name, re.IGNORECASE) else ""
