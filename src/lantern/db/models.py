"""Every table, imported once, so that migrations and relationships see all of them."""

from lantern.links import tables as links
from lantern.lists import tables as lists
from lantern.live import late
from lantern.live import tables as live
from lantern.people import attempts, roles, sessions
from lantern.people import tables as people
from lantern.recordings import tables as recordings
from lantern.survey import tables as survey
from lantern.takes import tables as takes
from lantern.tune import tables as tune
from lantern.walk import tables as walk

__all__ = [
    "attempts",
    "late",
    "links",
    "lists",
    "live",
    "people",
    "recordings",
    "roles",
    "sessions",
    "survey",
    "takes",
    "tune",
    "walk",
]
