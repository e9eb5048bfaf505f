"""What a rule finds: where, how grave, why it matters on site, and what mends it."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping
from copy import deepcopy
from typing import Any, Literal, NamedTuple

Severity = Literal["error", "warning", "note"]
GRAVITY: tuple[Severity, ...] = ("error", "warning", "note")


class Fix(NamedTuple):
    """A change that mends it and does nothing else: what it is called, of which thing, and what is set where in its document."""

    label: str
    of: Literal["device", "link", "timetable"]
    name: str
    sets: tuple[tuple[tuple[str | int, ...], Any], ...]

    def changed(self, document: Mapping[str, Any]) -> dict[str, Any]:
        """Return the document with the change."""
        out = deepcopy(dict(document))
        for path, value in self.sets:
            held: Any = out
            for key in path[:-1]:
                held = held[key]
            held[path[-1]] = value
        return out


class Found(NamedTuple):
    """`at` as `site diff` names places; an *error*: it cannot do what it is for."""

    severity: Severity
    at: str
    what: str
    remedy: str
    fix: Fix | None = None


class Finding(NamedTuple):
    rule: str
    severity: Severity
    at: str
    what: str
    why: str
    remedy: str
    fix: Fix | None = None

    def as_dict(self, accepted: str | None) -> dict[str, Any]:
        """Return it as it is printed: a quick fix is for the program's pages."""
        return {key: value for key, value in self._asdict().items() if key != "fix"} | {"accepted": accepted}


class Rule(NamedTuple):
    """`why` it matters, the same for all that it finds."""

    name: str
    why: str
    find: Callable[[Any], Iterator[Found]]

    def __call__(self, checked: Any) -> Iterator[Finding]:
        for found in self.find(checked):
            yield Finding(self.name, found.severity, found.at, found.what, self.why, found.remedy, found.fix)


def rule(why: str) -> Callable[[Callable[[Any], Iterator[Found]]], Rule]:
    """A function that finds something, as a rule of its name."""

    def made(find: Callable[[Any], Iterator[Found]]) -> Rule:
        return Rule(find.__name__, why, find)

    return made
