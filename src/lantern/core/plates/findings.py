"""What is wrong, or soon will be, with lists of plates: told before anybody stands at a barrier."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Mapping, Sequence
from datetime import date

from lantern.core.named_lists import Finding
from lantern.core.plates.keys import key_of
from lantern.core.plates.lists import Entry, PlateList, Roll, Rolls

MOST = 200


def findings(
    lists: Sequence[PlateList], readers: Mapping[str, Sequence[str]], tolerance: Mapping[str, float], today: date
) -> list[Finding]:
    """`readers`: by list, the detectors that read it; `tolerance`: by list, the greatest of theirs."""
    out: list[Finding] = []
    for held in lists:
        if not readers.get(held.name):
            out.append(Finding("unread", held.name, "", "no detector reads it: nothing comes of it"))
        if held.ends is not None and held.ends < today:
            out.append(Finding("list_ended", held.name, "", f"was needed until {held.ends}"))
        out += _of_entries(held, today) + _endless(held)
    out += _on_two(lists) + _near(lists, tolerance, today)
    return out[:MOST]


def _of_entries(held: PlateList, today: date) -> list[Finding]:
    out = []
    seen: dict[str, Entry] = {}
    for entry in held.entries:
        key = key_of(entry.text)
        if not key:
            if entry.text:
                out.append(Finding("empty", held.name, entry.text, "has no letter and no digit: it matches nothing"))
            continue
        if key in seen:
            out.append(Finding("duplicate", held.name, entry.text, f"is the same plate as {seen[key].text}"))
        seen.setdefault(key, entry)
        if entry.until is not None and entry.until < today:
            out.append(Finding("ended", held.name, entry.text, f"ended on {entry.until}"))
    return out


def _endless(held: PlateList) -> list[Finding]:
    many = sum(entry.until is None and bool(key_of(entry.text)) for entry in held.entries)
    if held.ends is not None or not many:
        return []
    who = "one entry has" if many == 1 else f"{many} entries have"
    return [Finding("endless", held.name, "", f"{who} no last day, nor has the list")]


def _on_two(lists: Sequence[PlateList]) -> list[Finding]:
    """One plate on two lists: the list named first by a detector wins."""
    on: dict[str, list[tuple[str, str]]] = defaultdict(list)
    for held in lists:
        for key, text in {key_of(entry.text): entry.text for entry in held.entries}.items():
            if key:
                on[key].append((held.name, text))
    return [
        Finding("on_two", own[0][0], own[0][1], f"is on {' and '.join(name for name, _ in own)}: the first named wins")
        for own in on.values()
        if len(own) > 1
    ]


def _near(lists: Sequence[PlateList], tolerance: Mapping[str, float], today: date) -> list[Finding]:
    """Two entries nearer than twice the tolerance: a text between them could be either."""
    out = []
    listed = [each for each in Rolls(lists).listed if each.entry.holds(today)]
    roll = Roll(listed)
    for key, one in roll.by_key.items():
        reach = 2 * tolerance.get(one.list, 0.0)
        if reach <= 0:
            continue
        for far, other in roll.near(key, reach):
            if other > key and far < reach - 1e-9:
                name = roll.by_key[other].entry.text
                says = f"is only {far:g} from {name}, nearer than twice the tolerance of {reach / 2:g}"
                out.append(Finding("near", one.list, one.entry.text, says))
    return out
