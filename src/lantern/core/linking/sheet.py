"""The link sheet: causes by what is done, as one matrix; a cause that nothing comes of, and a thing that nothing causes, stand out."""

from __future__ import annotations

from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field
from typing import NamedTuple

from lantern.core.effects.effect import Effect
from lantern.core.effects.register import EFFECTS
from lantern.core.linking.links import LinkRule, Sort
from lantern.core.linking.orders import DEFAULT_PRIORITY


class Thing(NamedTuple):
    """What effects are done to: a column. `on`: an output, a device, an address, roles."""

    do: str
    on: str


@dataclass(frozen=True)
class CauseLine:
    """A cause of the site. `device`: its code; empty: of none."""

    what: Sort
    name: str
    place: str = ""
    device: str = ""


@dataclass(frozen=True)
class Cell:
    """An effect of a link on a thing: `at` is its place among the link's effects."""

    link: str
    at: int
    column: int
    ink: str


@dataclass(frozen=True)
class Row:
    """A cause under one link; without one: nothing comes of it."""

    cause: CauseLine
    link: LinkRule | None
    cells: tuple[Cell, ...] = ()


@dataclass(frozen=True)
class Sheet:
    """Rows by cause in the order given, columns: outputs in the order given, then what else is done, by sort of effect and by name."""

    rows: tuple[Row, ...]
    columns: tuple[Thing, ...]
    titles: tuple[str, ...]  # of the columns
    unused: tuple[int, ...] = field(default=())  # columns that nothing causes


def sheet_of(causes: Sequence[CauseLine], outputs: Iterable[str], links: Sequence[LinkRule]) -> Sheet:
    """Lay out the sheet. Links of causes that are not among `causes` have no row."""
    switched = [Thing("switch", name) for name in outputs]
    used = {Thing(effect.do, thing) for link in links for effect in link.effects for thing in effect.things}
    sorts = list(EFFECTS)
    others = sorted(used - set(switched), key=lambda each: (sorts.index(each.do), each.on))
    columns = (*switched, *others)
    place = {thing: at for at, thing in enumerate(columns)}
    of: dict[tuple[Sort, str], list[LinkRule]] = defaultdict(list)
    for link in links:
        of[link.of].append(link)
    rows: list[Row] = []
    for cause in causes:
        found = of[cause.what, cause.name]
        rows += [Row(cause, link, _cells(link, place)) for link in found] or [Row(cause, None)]
    titles = tuple(EFFECTS[thing.do].lane(thing.on) for thing in columns)
    unused = tuple(at for at, thing in enumerate(columns) if thing not in used)
    return Sheet(tuple(rows), columns, titles, unused)


def _cells(link: LinkRule, place: dict[Thing, int]) -> tuple[Cell, ...]:
    return tuple(
        Cell(link.name, at, place[Thing(effect.do, thing)], ink_of(link, effect))
        for at, effect in enumerate(link.effects)
        for thing in effect.things
    )


def ink_of(link: LinkRule, effect: Effect) -> str:
    """Return what stands in a cell: after how long, for how long, how urgent; what is as ever is left out."""
    parts = [f"after {link.delay_s:g} s" if link.delay_s else "", effect.ink]
    parts.append(f"p{effect.priority}" if effect.priority != DEFAULT_PRIORITY else "")
    return "\n".join(part for part in parts if part)
