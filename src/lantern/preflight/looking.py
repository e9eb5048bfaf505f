"""A site of the store, looked at by the rules: once for each state that it is in."""

from __future__ import annotations

import hashlib
from collections.abc import Mapping
from datetime import date
from typing import Any

from sqlalchemy.dialects.postgresql import insert
from sqlalchemy.orm import Session

from lantern.core.preflight.checked import Account, Checked, Evidence
from lantern.core.preflight.rules import RULES, Judged, preflight
from lantern.core.roles import suffices
from lantern.core.site import Acceptance
from lantern.db.base import now, transaction
from lantern.links.sounds import has_voice, sounds_of
from lantern.people.accounts import who_may
from lantern.preflight.tables import AcceptedRow, LookRow, accepted_of
from lantern.register.tables import register_of, switched_elsewhere
from lantern.revisions import newest_of_site
from lantern.sites.actions import site_document
from lantern.sites.tables import SiteRow, sites_by_name
from lantern.tune.staleness import stale_detectors
from lantern.tune.tables import saved_of_detectors, standing_of_detectors

ACTS = "operator"
UNJUDGED = ("", "no take", "no marks")


def checked_of(session: Session, row: SiteRow) -> Checked:
    """Return a site as rules look at it, with what only the running program knows."""
    return Checked(
        site_document(session, row),
        register_of(session, row.id),
        evidence=_evidence(session, row.id),
        accounts=tuple(Account(login, suffices(role, ACTS)) for login, role in who_may(session, row.id)),
        taken=switched_elsewhere(session, row.id),
        simulated=row.demo,
        sounds=sounds_of(session, row.id),
        speaks=has_voice(),
    )


def _evidence(session: Session, site_id: int) -> dict[str, Evidence]:
    stale, standing = stale_detectors(session, site_id), standing_of_detectors(session, site_id)
    out = {}
    for detector_id, _, saved in saved_of_detectors(session, site_id):
        word, *_ = standing[detector_id]
        cards = [score["card"] for score in saved.scores]
        quiet = [card["exposure_h"] for card in cards if card.get("exposure_h") is not None]
        judged = 0 if word in UNJUDGED else max(len(cards), 1)
        out[saved.name] = Evidence(judged, word, sum(quiet) if quiet else None, stale.get(detector_id, ""))
    return out


def mark_of(session: Session, site_id: int) -> str:
    """Return what changes with anything that a look goes by; dates end with the day."""
    row = session.get_one(SiteRow, site_id)
    parts = (
        [each.name for each in RULES],
        date.today(),
        row.name,
        row.zone,
        row.extras,
        row.demo,
        newest_of_site(session, site_id),
        standing_of_detectors(session, site_id),
        stale_detectors(session, site_id),
        [(each.id, each.because, each.what) for each in accepted_of(session, site_id)],
        who_may(session, site_id),
        switched_elsewhere(session, site_id),
        sounds_of(session, site_id),
        has_voice(),
    )
    return hashlib.sha256(repr(parts).encode()).hexdigest()


def look(session: Session, site_id: int) -> LookRow:
    """Return what is found on a site as it is now: as it was found before, where nothing changed since."""
    mark = mark_of(session, site_id)
    held = session.get(LookRow, site_id)
    if held is not None and held.mark == mark:
        return held
    checked = checked_of(session, session.get_one(SiteRow, site_id))
    at = now()
    before = {_key(each): each["since"] for each in held.findings} if held is not None else {}
    found = [_told(each, checked) for each in preflight(checked)]
    findings = [each | {"since": before.get(_key(each), at.isoformat())} for each in found]
    state = {"mark": mark, "at": at, "findings": findings}
    kept = insert(LookRow).values(site_id=site_id, **state)  # the worker may do so at the same moment
    session.execute(kept.on_conflict_do_update(index_elements=[LookRow.site_id], set_=state))
    row = session.get_one(LookRow, site_id)
    session.refresh(row)
    return row


def look_at_all(before: Mapping[int, str]) -> dict[int, str]:
    """Look at each site whose mark is as it was `before`: while somebody is changing it, nothing is gained. Returns the marks now."""
    with transaction() as session:
        marks = {row.id: mark_of(session, row.id) for row in sites_by_name(session)}
    for site_id, mark in marks.items():
        if before.get(site_id) == mark:
            with transaction() as session:
                look(session, site_id)
    return marks


def _key(found: dict[str, Any]) -> tuple[str, str, str]:
    return found["rule"], found["at"], found["what"]


def _told(each: Judged, checked: Checked) -> dict[str, Any]:
    finding = each.finding
    acceptance = None if each.acceptance is None else each.acceptance.model_dump(mode="json")
    fix = None if finding.fix is None else finding.fix.label
    return finding._asdict() | {"fix": fix, "accepted": acceptance, "code": checked.code_of(finding.at)}


def open_findings(row: LookRow) -> list[dict[str, Any]]:
    """Return those that nobody has accepted."""
    return [each for each in row.findings if each["accepted"] is None]


def acceptance_of(row: AcceptedRow) -> Acceptance:
    """Return it as a site's file has it."""
    return Acceptance(rule=row.rule, at=row.at, because=row.because, by=row.by, on=row.on, what=row.what)
