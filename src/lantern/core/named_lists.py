"""Lists of a site that a detector names: a family whose detectors read lists derives its own; the others name none."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from pydantic import BaseModel

from lantern.core.events import Detector
from lantern.core.faults import FaultList
from lantern.core.modelled import read_model


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


class OwnLists(NamedLists):
    """Of a family whose detectors have `lists`: each one of its `model`, or the name of a list of the site."""

    def __init__(self, model: type[BaseModel]) -> None:
        self.model = model

    def named(self, detector: Detector) -> tuple[str, ...]:
        return tuple(each for each in _lists(detector) if isinstance(each, str))

    def filled(self, detector: Detector, lists: Mapping[str, Mapping[str, Any]]) -> Detector:
        faults = FaultList()
        for name in self.named(detector):
            if name not in lists:
                known = ", ".join(lists) or "none is there yet"
                faults.add("detector: lists", f"the site has no list {name!r}", f"one of: {known}")
        faults.refuse_if_any()
        held = [
            read_model(self.model, lists[each], where=f"list {each}") if isinstance(each, str) else each
            for each in _lists(detector)
        ]
        return detector.model_copy(update={"lists": tuple(held)})

    def parted(self, detector: Detector) -> tuple[Detector, list[dict[str, Any]]]:
        held = [each for each in _lists(detector) if not isinstance(each, str)]
        names = tuple(each if isinstance(each, str) else each.name for each in _lists(detector))
        documents = [each.model_dump(mode="json", by_alias=True) for each in held]
        return detector.model_copy(update={"lists": names}), documents


def _lists(detector: Detector) -> tuple[Any, ...]:
    found: tuple[Any, ...] = detector.lists  # type: ignore[attr-defined] # of its family
    return found


NO_LISTS = NamedLists()
