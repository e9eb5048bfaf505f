"""Thresholds that were judged on numbers which the device does not make any more: another version of its program makes others."""

from __future__ import annotations

from sqlalchemy.orm import Session

from lantern.live.tables import versions_said
from lantern.revisions import RevisionRow
from lantern.takes.tables import makers_of_takes
from lantern.tune.tables import saved_of_detectors


def stale_detectors(session: Session, site_id: int) -> dict[int, str]:
    """Return by detector what is stale of it; whoever is not in it was judged on what its device makes now, or nobody knows."""
    made = makers_of_takes(session, site_id)
    if not made:
        return {}
    newest = dict(made.values())  # they come in order of time
    now_by = newest | versions_said(session, site_id)
    found = {}
    for detector_id, device_id, saved in saved_of_detectors(session, site_id):
        judged_on = {made[take][1] for take in _takes(saved) if take in made}
        if judged_on and now_by[device_id] not in judged_on:
            found[detector_id] = _said(sorted(judged_on), now_by[device_id])
    return found


def _takes(saved: RevisionRow) -> set[int]:
    """Return the takes that a revision was judged on."""
    return {score["take"] for score in saved.scores}


def _said(others: list[str], version: str) -> str:
    return (
        f"Stale: judged on takes made by {' and '.join(others)}, and the device makes its numbers by {version} now. "
        "Take new ones, and judge it on them"
    )


def stale_by_device(session: Session, site_id: int) -> dict[int, list[tuple[str, str]]]:
    """Return by device (name of the detector, what is stale of it) each."""
    stale = stale_detectors(session, site_id)
    out: dict[int, list[tuple[str, str]]] = {}
    for detector_id, device_id, saved in saved_of_detectors(session, site_id) if stale else ():
        if detector_id in stale:
            out.setdefault(device_id, []).append((saved.name, stale[detector_id]))
    return out
