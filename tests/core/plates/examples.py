"""Examples of the family of plates: two passages of a listed lorry, a stranger, and somebody with a plate in a hand."""

from __future__ import annotations

import numpy as np

from core.plates.scenes import scene
from examples import Example
from lantern.core.kinds import detector_of
from lantern.core.plates.reads import Read, Reads
from lantern.core.scoring.marks import Mark
from lantern.core.watch import Sample


def samples_of(reads: Reads) -> list[Sample]:
    """As a reader gives them: all that it says at one moment."""
    out = []
    for t in np.unique(reads.t_s).tolist():
        here = np.flatnonzero(reads.t_s == t).tolist()
        out.append(Sample("plates", t, [read_at(reads, i) for i in here]))
    return out


def read_at(reads: Reads, i: int) -> Read:
    plate, car = (tuple(box[i].tolist()) if not np.isnan(box[i, 0]) else () for box in (reads.plate, reads.car))
    return Read(reads.vehicle[i], reads.text[i], float(reads.confidence[i]), reads.chars[i], plate, car)


def examples() -> list[Example]:
    reads, lists = scene(3)
    for entry in (entry for held in lists for entry in held["entries"]):
        entry |= {"from": None, "until": None}  # the days of a take are not those of the samples
    dials = {"min_reads": 2, "min_vote": 0.3, "tolerance": 0.6, "runner_up": 0.0, "rearm_s": 4.0, "vehicle": "not_held"}
    document = {"name": "d", "kind": "plate", "dials": dials, "lists": lists}
    marks = [Mark(0.0, 20.0, "expect"), Mark(30.0, 40.0, "quiet")]
    utc = {"zone": "UTC"}
    at_utc = Reads(**{name: getattr(reads, name) for name in FIELDS if name != "start"})
    return [Example(detector_of(document), "plates", at_utc, samples_of(at_utc), 0.2, marks, facts=utc)]


FIELDS = ("t_s", "vehicle", "text", "confidence", "chars", "plate", "car", "truth", "start")
