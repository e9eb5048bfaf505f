"""Lists of plates as the page has them: kept as revisions, with what is wrong with them; an entry that goes leaves no trace of its text."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import asdict, replace
from datetime import datetime
from typing import Any
from zoneinfo import ZoneInfo

from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.core.modelled import read_model
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.findings import findings
from lantern.core.plates.keys import key_of
from lantern.core.plates.lists import PlateList
from lantern.core.plates.reads import Reads
from lantern.lists.actions import save_list
from lantern.lists.shown import changes_shown, readers_of
from lantern.lists.tables import ListRow, lists_of
from lantern.live.tables import events_of_detectors, late_of_site
from lantern.recordings.actions import change_parts
from lantern.revisions import revisions_of
from lantern.sites.tables import SiteRow
from lantern.takes.store import replace_value, value_of_take
from lantern.takes.tables import forget_truths, marks_of, takes_of_signal
from lantern.tune.judging import MEMORY
from lantern.tune.tables import DetectorRow, detectors_of_site, ids_of_detectors

REMOVED = "removed"


def checked(document: Mapping[str, Any]) -> dict[str, Any]:
    """Return a list's document, whole. Raises `Refused`."""
    model = read_model(PlateList, document, where="list")
    empty = sum(not key_of(entry.text) for entry in model.entries)
    if empty:
        raise Refused([Fault("list: entries", f"{empty} without a letter or a digit", "a plate in each entry")])
    return model.model_dump(mode="json", by_alias=True)


def lists_shown(session: Session, site: SiteRow) -> dict[str, Any]:
    """Return all lists with their entries, who reads them, and what is wrong."""
    rows = lists_of(session, site.id, holding="entries")
    today = datetime.now(ZoneInfo(site.zone)).date()
    models = [read_model(PlateList, row.body, where=f"list {row.name}") for row in rows]
    detectors = detectors_of_site(session, site.id)
    readers = readers_of(session, site.id, rows)
    tolerance = {name: _tolerance(detectors, own) for name, own in readers.items()}
    shown = []
    for row, model in zip(rows, models, strict=True):
        entries = [
            entry.model_dump(mode="json", by_alias=True)
            | {
                "key": key_of(entry.text),
                "holds": entry.holds(today),
                "over": entry.until is not None and entry.until < today,
            }
            for entry in model.entries
        ]
        head = {"id": row.id, "revision": row.revision, "readers": readers[row.name]}
        shown.append(head | model.model_dump(mode="json", by_alias=True) | {"entries": entries})
    found = findings(models, readers, tolerance, today)
    return {"lists": shown, "findings": [asdict(each) for each in found], "today": today.isoformat()} | {
        "changes": changes_shown(session, site.id, holding="entries", items=_ids)
    }


def _tolerance(detectors: Sequence[DetectorRow], names: Sequence[str]) -> float:
    own = [PlateDials.model_validate(d.body["dials"]).tolerance for d in detectors if d.name in names]
    return max(own, default=0.0)


def _ids(body: Mapping[str, Any]) -> set[str]:
    return {entry.get("id") or entry["text"] for entry in body["entries"] if entry["text"]}


def without_removed(body: dict[str, Any]) -> dict[str, Any]:
    """An old state without the entries that were removed since: their texts are gone for good."""
    return body | {"entries": [entry for entry in body["entries"] if entry["text"]]}


# ---- an entry that goes ----------------------------------------------------------------------------------------------


def remove_entry(session: Session, row: ListRow, entry_id: str, *, base: int, user_id: int | None) -> dict[str, int]:
    """Take an entry off, and its text and note out of every revision, event, read and recording of the site; its id stays.

    Returns how many of each were blanked. Raises `Refused` for an entry that is not there.
    """
    entry = next((each for each in row.body["entries"] if each.get("id") == entry_id), None)
    if entry is None:
        raise Refused([Fault("entry", repr(entry_id)[:40], f"an entry of {row.name}")])
    key = key_of(entry["text"])
    left = row.body | {"entries": [each for each in row.body["entries"] if each.get("id") != entry_id]}
    reason = f"Entry {entry_id} was removed."
    save_list(session, row.site_id, left, list_id=row.id, base=base, reason=reason, user_id=user_id)
    return {
        "revisions": _blank_revisions(session, row, entry_id, key),
        "events": _blank_events(session, row.site_id, key, entry_id),
        "reads": _blank_reads(session, row.site_id, key) + _blank_late(session, row.site_id, key),
    }


def _blank_revisions(session: Session, row: ListRow, entry_id: str, key: str) -> int:
    """A revision is never changed, but for this."""
    many = 0

    def blanked(body: dict[str, Any]) -> dict[str, Any]:
        return body | {
            "entries": [
                each | {"text": "", "note": None} if each.get("id") == entry_id or key_of(each["text"]) == key else each
                for each in body["entries"]
            ]
        }

    for saved in revisions_of(session, ListRow.WHAT, [row.id]):
        if saved.body is not None and (fresh := blanked(saved.body)) != saved.body:
            saved.body = fresh
            many += 1
    detectors = list(session.scalars(ids_of_detectors(row.site_id)))
    for saved in revisions_of(session, DetectorRow.WHAT, detectors):
        held = (saved.body or {}).get("lists", ())  # of before lists were taken over by their site
        lists = [blanked(each) if isinstance(each, dict) else each for each in held]
        if saved.body is not None and lists != list(held):
            saved.body = saved.body | {"lists": lists}
            many += 1
    session.flush()
    return many


def _blank_events(session: Session, site_id: int, key: str, entry_id: str) -> int:
    many = 0
    for event in events_of_detectors(session, ids_of_detectors(site_id)):
        texts = [event.own.get("text"), event.own.get("match")]
        if any(text and key_of(text) == key for text in texts):
            event.own = event.own | {"text": "", "match": f"{REMOVED} {entry_id}"}
            many += 1
    session.flush()
    return many


def _blank_late(session: Session, site_id: int, key: str) -> int:
    """Blank the key in reads that came too late; return how many there were."""
    many = 0
    for row in late_of_site(session, site_id):
        reads = [read | {"text": ""} if key_of(read["text"]) == key else read for read in row.body.get("reads", ())]
        if reads != row.body.get("reads"):
            row.body = row.body | {"reads": reads}
            many += 1
    session.flush()
    return many


def _blank_reads(session: Session, site_id: int, key: str) -> int:
    """Blank the key in every take of the site, in notes of its marks, in what was typed as true, and in recordings
    under way.
    """
    many = 0
    for take in takes_of_signal(session, site_id, "plates"):
        changed, gone = _without(value_of_take(session, take), key)
        if gone:
            replace_value(session, take, changed)
            many += gone
        for mark in marks_of(session, take.id):
            if key_of(mark.note) == key:
                mark.note = ""
        forget_truths(session, take.id, key)

    def change(piece: Reads) -> Reads | None:
        nonlocal many
        changed, gone = _without(piece, key)
        many += gone
        return changed if gone else None

    change_parts(session, site_id, "plates", change)
    MEMORY.forget()
    return many


def _without(reads: Reads, key: str) -> tuple[Reads, int]:
    """The reads without a text, and how often it was there."""
    text, truth = (tuple("" if key_of(each) == key else each for each in texts) for texts in (reads.text, reads.truth))
    gone = sum(a != b for a, b in zip((*text, *truth), (*reads.text, *reads.truth), strict=True))
    return replace(reads, text=text, truth=truth), gone
