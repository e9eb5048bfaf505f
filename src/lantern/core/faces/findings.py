"""What is wrong, or soon will be, with lists of people."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Container, Mapping, Sequence
from datetime import date

from lantern.core.faces.detector import FaceList
from lantern.core.named_lists import Finding


def findings(
    lists: Sequence[FaceList], readers: Mapping[str, Sequence[str]], today: date, pictured: Container[str]
) -> list[Finding]:
    """`readers`: by list, the detectors that read it; `pictured`: members whom a device can know by a picture."""
    out: list[Finding] = []
    on: dict[str, list[str]] = defaultdict(list)
    for held in lists:
        if not readers.get(held.name):
            out.append(Finding("unread", held.name, "", "no detector reads it, and nothing comes of it"))
        if held.ends is not None and held.ends < today:
            out.append(Finding("list_ended", held.name, "", f"was needed until {held.ends}"))
        if held.ends is None:
            out.append(Finding("endless", held.name, "", "nobody said until when it is needed"))
        if not held.members:
            out.append(Finding("nobody", held.name, "", "nobody is on it"))
        if not held.cameras:
            out.append(Finding("unbound", held.name, "", "it is bound to no camera: no device is given its members"))
        if not held.purpose:
            out.append(Finding("no_purpose", held.name, "", "nobody said what it is for"))
        for member in held.members:
            on[member].append(held.name)
        without = [member for member in held.members if member not in pictured]
        if without:
            what = without[0] if len(without) == 1 else ""
            many = "has" if what else f"{len(without)} of {len(held.members)} members have"
            says = f"{many} no reference: no device can know them, and they are missed always"
            out.append(Finding("no_reference", held.name, what, says))
    for member, names in on.items():
        if len(names) > 1:
            out.append(Finding("on_two", names[0], member, f"is on {' and '.join(names[1:])} too: both raise"))
    return out
