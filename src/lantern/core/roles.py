"""What people may do on a site: roles, each of which may all that those before it may."""

from __future__ import annotations

MEANINGS = {
    "viewer": "looks",
    "operator": "acknowledges and marks",
    "engineer": "changes",
    "lead": "also manages people",
}
ROLES = tuple(MEANINGS)


def suffices(role: str | None, wanted: str) -> bool:
    """Return whether a role (None: none at all) allows what asks for the wanted one."""
    return role is not None and ROLES.index(role) >= ROLES.index(wanted)
