"""Profiles of one's own: a name for dials that do for some way of coming, kept at a site. A detector's file holds the dials themselves."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import Field, field_validator

from lantern.core.dials import read_dials
from lantern.core.modelled import Strict, read_model
from lantern.core.radar.dials import PROFILES, RadarDials

HOLDING = "dials"  # the key by which a site's list is one of these


class OwnProfile(Strict):
    """One of the four ways, with every dial that belongs to it."""

    name: str = Field(min_length=1, max_length=60)
    dials: dict[str, Any]

    @field_validator("name")
    @classmethod
    def _own(cls, name: str) -> str:
        if name in PROFILES:
            raise ValueError(f"{name} is one that every radar has: a name of your own")
        return name


def read_profile(document: Mapping[str, Any]) -> dict[str, Any]:
    """Return the document with every dial in it. Raises `Refused` with each key that is wrong."""
    held = read_model(OwnProfile, dict(document), where="profile")
    return {"name": held.name, HOLDING: read_dials(RadarDials, held.dials).model_dump(mode="json")}
