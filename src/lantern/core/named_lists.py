"""Lists of a site that a detector names: a family whose detectors read lists derives its own; the others name none."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from lantern.core.events import Detector


@dataclass(frozen=True, slots=True)
class Finding:
    """`code` for the program, `list` and `text` what it is about, `says` for the reader."""

    code: str
    list: str
    text: str
    says: str


class NamedLists:
    """What a kind does with lists. As it is here, its detectors name none."""

    def named(self, detector: Detector) -> tuple[str, ...]:
        """Return the names of the lists that the detector reads."""
        return ()

    def filled(self, detector: Detector, lists: Mapping[str, Mapping[str, Any]]) -> Detector:
        """Return the detector with what is on the lists that it names. Raises `Refused` for one that is not there, or has a
        fault.
        """
        return detector

    def parted(self, detector: Detector) -> tuple[Detector, list[dict[str, Any]]]:
        """Return the detector with lists that it only names, and the documents of those that stood in its own."""
        return detector, []

    def renamed(self, body: Mapping[str, Any], old: str, new: str) -> dict[str, Any]:
        """Return a detector's document in which a list that it names has another name."""
        return {**body, "lists": [new if each == old else each for each in body["lists"]]}


NO_LISTS = NamedLists()
