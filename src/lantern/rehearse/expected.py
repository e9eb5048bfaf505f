"""What is expected of a site: kept with it, and in its file."""

from __future__ import annotations

from sqlalchemy.orm import Session

from lantern.core.faults import Fault, Refused
from lantern.core.linking.expectations import Expectation
from lantern.sites.tables import SiteRow

KEY = "expectations"


def save_expectation(session: Session, site_id: int, model: Expectation) -> None:
    """Make one, or change the one of that name."""
    row = session.get_one(SiteRow, site_id, with_for_update=True)
    held = list(row.extras.get(KEY, []))
    names = [each["name"] for each in held]
    document = model.model_dump(mode="json")
    if model.name in names:
        held[names.index(model.name)] = document
    else:
        held.append(document)
    row.extras = row.extras | {KEY: held}


def delete_expectation(session: Session, site_id: int, name: str) -> None:
    row = session.get_one(SiteRow, site_id, with_for_update=True)
    held = [each for each in row.extras.get(KEY, []) if each["name"] != name]
    if len(held) == len(row.extras.get(KEY, [])):
        raise Refused([Fault("expectation", f"there is none called {name!r}", "one that is there")])
    row.extras = row.extras | {KEY: held}
