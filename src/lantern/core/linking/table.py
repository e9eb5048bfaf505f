"""Links as rows of a table, an effect each: out, and back into documents, with every fault by its row and column."""

from __future__ import annotations

import math
import re
from collections.abc import Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, field
from types import UnionType
from typing import Annotated, Any, Literal, Union, get_args, get_origin

from pydantic.fields import FieldInfo

from lantern.core.effects.effect import Effect
from lantern.core.effects.register import EFFECTS, USUAL
from lantern.core.faults import Refused
from lantern.core.linking.links import CAUSES, LinkRule

SEPARATOR = ";"
OF_LINK = ("region", "lists", "timetable", "delay_s", "on_repeat", "limit_burst", "limit_refill_s")
_BOTH = ("priority", "expire_s", "length_s")  # of most effects: these columns come first


def _own(effect: type[Effect]) -> dict[str, FieldInfo]:
    """Return the parts of an effect that have columns of their own."""
    return {key: each for key, each in effect.model_fields.items() if key not in ("do", effect.ON)}


OF_EFFECT = (*_BOTH, *dict.fromkeys(key for each in EFFECTS.values() for key in _own(each) if key not in _BOTH))
COLUMNS = ("link", "cause", "of", *OF_LINK, "do", "on", *OF_EFFECT)
NEEDED = ("link", "cause", "of")


@dataclass
class Written:
    """A link as a table has it. `lines`: the line of each effect; `line`: its first."""

    name: str
    line: int
    document: dict[str, Any] = field(default_factory=dict)
    lines: list[int] = field(default_factory=list)


@dataclass(frozen=True)
class CellFault:
    """What is wrong in a cell."""

    line: int
    column: str
    what: str
    expected: str


def rows_of(links: Iterable[LinkRule]) -> Iterator[list[Any]]:
    """Yield the rows of links, by `COLUMNS`; a link without effects has one too."""
    for link in links:
        of, cause = link.of
        told = [link.name, cause, of, *(_cell(getattr(link, key)) for key in OF_LINK)]
        for effect in link.effects or (None,):
            yield [*told, *(_of_effect(effect) if effect is not None else [""] * (2 + len(OF_EFFECT)))]


def _of_effect(effect: Effect) -> list[Any]:
    own, usual = _own(type(effect)), type(effect).model_fields
    values = {key: getattr(effect, key) for key in own}
    said = {key: value for key, value in values.items() if value != usual[key].get_default()}
    return [effect.do, _cell(getattr(effect, effect.ON)), *(_cell(said.get(key)) for key in OF_EFFECT)]


def _cell(value: Any) -> Any:
    if value is None:
        return ""
    if isinstance(value, bool):
        return "yes" if value else "no"
    if isinstance(value, tuple):
        return f"{SEPARATOR} ".join(f"{each:g}" if isinstance(each, float) else str(each) for each in value)
    return value if isinstance(value, int | float) else str(value).replace("\\", "\\\\").replace("\n", "\\n")


def read_rows(rows: Sequence[tuple[int, Mapping[str, str]]]) -> tuple[list[Written], list[CellFault]]:
    """Return the links of a table as documents, in the order in which they first come, and every fault in a cell. `rows`: each its
    line and its cells by column; a column that is not there, and an empty cell, say what is usual.
    """
    links: dict[str, Written] = {}
    firsts: dict[str, Mapping[str, str]] = {}
    faults: list[CellFault] = []
    for line, cells in rows:
        name = cells["link"].strip()
        if not name:
            faults.append(CellFault(line, "link", "is empty", "the name of the link"))
            continue
        if name not in links:
            links[name] = Written(name, line, _link(line, cells, faults))
            firsts[name] = cells
        else:
            faults += _unlike(line, cells, links[name].line, firsts[name])
        written = links[name]
        if cells.get("do", "").strip() or cells.get("on", "").strip():
            effect = _effect(line, cells, faults)
            if effect is not None:
                written.document["effects"].append(effect)
                written.lines.append(line)
    return list(links.values()), faults


def _unlike(line: int, cells: Mapping[str, str], first: int, held: Mapping[str, str]) -> Iterator[CellFault]:
    for column in ("cause", "of", *OF_LINK):
        if cells.get(column, "").strip() != held.get(column, "").strip():
            said, was = cells.get(column, "").strip(), held.get(column, "").strip()
            yield CellFault(line, column, repr(said[:60]), f"{was[:60]!r} as in line {first}, of the same link")


def _link(line: int, cells: Mapping[str, str], faults: list[CellFault]) -> dict[str, Any]:
    document: dict[str, Any] = {"name": cells["link"].strip(), "effects": []}
    of = cells["of"].strip().lower()
    if of not in CAUSES:
        faults.append(CellFault(line, "of", repr(of[:40]), f"one of {', '.join(CAUSES)}"))
    elif not cells["cause"].strip():
        faults.append(CellFault(line, "cause", "is empty", f"the name of the {of}"))
    else:
        document[of] = cells["cause"].strip()
    return document | _values(line, cells, {key: LinkRule.model_fields[key] for key in OF_LINK}, faults)


def _effect(line: int, cells: Mapping[str, str], faults: list[CellFault]) -> dict[str, Any] | None:
    do = cells.get("do", "").strip() or USUAL
    if do not in EFFECTS:
        faults.append(CellFault(line, "do", repr(do[:40]), f"one of {', '.join(EFFECTS)}"))
        return None
    effect = EFFECTS[do]
    own = _own(effect)
    for column in OF_EFFECT:
        if column not in own and cells.get(column, "").strip():
            expected = f"nothing: {do} has {', '.join(key for key in OF_EFFECT if key in own)}"
            faults.append(CellFault(line, column, repr(cells[column].strip()[:40]), expected))
    if not cells.get("on", "").strip():
        faults.append(CellFault(line, "on", "is empty", f"what it is done to: {effect.ON}"))
        return None
    on = _values(line, {effect.ON: cells["on"]}, {effect.ON: effect.model_fields[effect.ON]}, faults, column="on")
    return {"do": do} | on | _values(line, cells, own, faults)


def _values(
    line: int,
    cells: Mapping[str, str],
    fields: Mapping[str, FieldInfo],
    faults: list[CellFault],
    *,
    column: str | None = None,
) -> dict[str, Any]:
    out = {}
    for key, each in fields.items():
        text = cells.get(key, "").strip()
        if not text:
            continue
        try:
            out[key] = _value(each.annotation, text)
        except ValueError as error:
            faults.append(CellFault(line, column or key, repr(text[:40]), str(error)))
    return out


def _value(annotation: Any, text: str) -> Any:
    """Return what a cell means for a part of that type. Raises `ValueError` with what was expected."""
    kinds = set(_kinds(annotation))
    if tuple in kinds:
        parts = [part.strip() for part in text.split(SEPARATOR) if part.strip()]
        return [_number(part) for part in parts] if float in kinds else parts
    if bool in kinds:
        if text.lower() not in ("yes", "no"):
            raise ValueError("yes or no")
        return text.lower() == "yes"
    if kinds & {int, float}:
        try:
            return _number(text)
        except ValueError:
            if str not in kinds:
                raise
    return re.sub(r"\\(.)", lambda found: "\n" if found[1] == "n" else found[1], text)


def _number(text: str) -> float | int:
    try:
        value = float(text.replace(",", "."))
    except ValueError:
        raise ValueError("a number") from None
    if not math.isfinite(value):
        raise ValueError("a number")
    return int(value) if value.is_integer() else value


def _kinds(annotation: Any) -> Iterator[Any]:
    """Yield the plain types that an annotation is made of."""
    origin = get_origin(annotation)
    if origin is Annotated:
        yield from _kinds(get_args(annotation)[0])
    elif origin is Literal:
        yield str
    elif origin in (Union, UnionType):
        for each in get_args(annotation):
            yield from _kinds(each)
    elif origin is tuple:
        yield tuple
        for each in get_args(annotation):
            yield from _kinds(each)
    else:
        yield annotation


def faults_of(written: Written, refused: Refused) -> list[CellFault]:
    """Return what a link was refused for, at the row and column that say it."""
    out = []
    for fault in refused.faults:
        key = fault.where.removeprefix("link").lstrip(":. ").split(".")
        line, column = written.line, key[0]
        if key[0] == "effects" and len(key) > 1 and key[1].isdigit() and int(key[1]) < len(written.lines):
            line, column = written.lines[int(key[1])], key[2] if len(key) > 2 else "do"
            effect = EFFECTS.get(written.document["effects"][int(key[1])]["do"])
            column = "on" if effect is not None and column == effect.ON else column
        elif column in CAUSES:
            column = "cause"
        elif column == "name":
            column = "link"
        out.append(CellFault(line, column if column in COLUMNS else "link", fault.what, fault.expected))
    return out
