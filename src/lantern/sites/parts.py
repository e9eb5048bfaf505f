"""What each stage has in a site's file: found by listing, so that the sites know none of them.

A folder that has something in it brings a module `site_part` with `PARTS`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from functools import cache
from types import MappingProxyType
from typing import Any

from sqlalchemy.orm import Session

import lantern
from lantern.core.listing import modules_named
from lantern.core.site import Site
from lantern.formats.site_files import Pictures
from lantern.sites.tables import SiteRow

FROM_FILE = "From the site's file."
NOTHING: Pictures = MappingProxyType({})


@dataclass(frozen=True)
class Brought:
    """A site's file as it is taken in: `pictures` beside it, who brings it, and `reasons` of first revisions, by detector."""

    site: Site
    user_id: int | None = None
    pictures: Pictures = field(default_factory=dict)
    reasons: Mapping[str, str] = field(default_factory=dict)


@dataclass(frozen=True, kw_only=True)
class SitePart:
    """Some keys of a site's file. `take` stores them, in the order of `place`; those that `are_ground` are there before any
    take. `give` returns them as the site has them now; `files`: what goes beside the document.
    """

    place: int
    are_ground: bool
    take: Callable[[Session, SiteRow, Brought], None]
    give: Callable[[Session, SiteRow], dict[str, Any]]
    files: Callable[[Session, SiteRow], dict[str, bytes]] = lambda session, row: {}


@cache
def parts() -> tuple[SitePart, ...]:
    """Return those of all stages, in their order."""
    found = [part for module in modules_named("site_part", lantern).values() for part in module.PARTS]
    return tuple(sorted(found, key=lambda part: part.place))
