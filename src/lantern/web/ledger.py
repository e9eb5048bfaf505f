"""Long lists, alike on every page: sorted, filtered, a page at a time, exported. Which, is in the address, so that it can be sent.

A list is a query and its columns. The store sorts, filters and counts; a template lays the rows out, with the head and the
foot of `ledger.html`.
"""

from __future__ import annotations

from collections.abc import Callable, Mapping, Sequence
from dataclasses import dataclass, replace
from datetime import datetime
from typing import Any
from urllib.parse import urlencode
from zoneinfo import ZoneInfo

from fastapi import HTTPException, Request
from fastapi.responses import Response
from sqlalchemy import Select, String, cast, func, or_, select
from sqlalchemy.orm import Session

from lantern.formats.sheets import write_csv, write_xlsx
from lantern.web.answers import attachment

PER_PAGE = 50
MOST_EXPORTED = 100_000
MOST_TEXT, MOST_CHOICES = 200, 200
LATEST_PAGE = 1_000_000
SORT, TEXT, PAGE, EXPORT = "sort", "q", "page", "export"
Outs = Mapping[str, Callable[[Any], Any]]
NOTHING: Outs = {}


@dataclass(frozen=True)
class Column:
    """`of`: what the store sorts and looks in. `choices`: its values are offered to choose from."""

    key: str
    title: str
    of: Any  # an expression of the store
    num: bool = False
    choices: bool = False


@dataclass(frozen=True)
class ListQuery:
    """A query of a list: `sort` a column's key, "-" before it for the greatest first; `chosen` values by column."""

    sort: str
    text: str = ""
    page: int = 1
    chosen: tuple[tuple[str, str], ...] = ()

    def address(self, **changes: Any) -> str:
        """The query of the address that asks for this, with changes; a page is the first unless it is said."""
        asked = replace(self, **({"page": 1} | changes))
        parts = [(SORT, asked.sort), (TEXT, asked.text), (PAGE, str(asked.page) if asked.page > 1 else "")]
        return "?" + urlencode([(key, value) for key, value in (*parts, *asked.chosen) if value])

    def value(self, key: str) -> str:
        return dict(self.chosen).get(key, "")


@dataclass(frozen=True)
class Listed:
    """A page of a list, as its template has it. Rows are by the columns' keys, with what else the query selects."""

    columns: Sequence[Column]
    rows: Sequence[Any]
    total: int
    asked: ListQuery
    choices: dict[str, list[str]]

    @property
    def pages(self) -> int:
        return max(-(-self.total // PER_PAGE), 1)

    @property
    def first(self) -> int:
        return (self.asked.page - 1) * PER_PAGE + 1

    @property
    def filtered(self) -> bool:
        return bool(self.asked.text or self.asked.chosen)

    def sorted_by(self, column: Column) -> str:
        """Return how it is sorted by a column, in the word that a page's head has for it."""
        return {column.key: "ascending", f"-{column.key}": "descending"}.get(self.asked.sort, "none")

    def resort(self, column: Column) -> str:
        """The address of this list sorted by a column; once more, the other way round."""
        return self.asked.address(sort=f"-{column.key}" if self.asked.sort == column.key else column.key)

    def other_page(self, page: int) -> str:
        return self.asked.address(page=page)

    def exported(self, form: str) -> str:
        return f"{self.asked.address()}&{EXPORT}={form}"


@dataclass(frozen=True)
class Ledger:
    """A list: its name (of files too), its columns, and how it is sorted unless it is asked otherwise."""

    name: str
    columns: Sequence[Column]
    sort: str

    def asked(self, request: Request) -> ListQuery:
        """Return what the address asks for. Raises HTTP 422 for what no such list can be."""
        given = request.query_params
        keys = {column.key for column in self.columns}
        sort = given.get(SORT) or self.sort
        if sort.removeprefix("-") not in keys:
            raise HTTPException(422, f"This list is not sorted by {sort[:40]!r}: by one of {', '.join(sorted(keys))}.")
        text, page = given.get(TEXT, "").strip(), given.get(PAGE, "1")
        if len(text) > MOST_TEXT or "\x00" in text:
            raise HTTPException(422, f"At most {MOST_TEXT} characters are looked for.")
        if not (page.isascii() and page.isdigit() and 1 <= int(page[:8]) <= LATEST_PAGE):
            raise HTTPException(422, f"There is no page {page[:20]!r}.")
        chosen = [(c.key, given[c.key][:MOST_TEXT]) for c in self.columns if c.choices and given.get(c.key)]
        if any("\x00" in value for _, value in chosen):
            raise HTTPException(422, "A choice holds a character that no text has.")
        return ListQuery(sort, text, int(page), tuple(chosen))

    def read(self, session: Session, query: Select[Any], asked: ListQuery) -> Listed:
        """A page of what `query` selects, which the columns' `of` are of."""
        wanted = self._filtered(query, asked)
        total = session.scalar(select(func.count()).select_from(wanted.order_by(None).subquery())) or 0
        page = min(asked.page, max(-(-total // PER_PAGE), 1))
        rows = session.execute(self._sorted(wanted, asked).limit(PER_PAGE).offset((page - 1) * PER_PAGE)).all()
        choices = {c.key: self._choices(session, query, c) for c in self.columns if c.choices}
        return Listed(self.columns, rows, total, replace(asked, page=page), choices)

    def page_with(self, session: Session, query: Select[Any], asked: ListQuery, row_id: int) -> ListQuery:
        """Return what is asked for, at the page that has this row; at its own where the row is not in the list."""
        ids = [row.id for row in session.execute(self._sorted(self._filtered(query, asked), asked))]
        return replace(asked, page=ids.index(row_id) // PER_PAGE + 1) if row_id in ids else asked

    def export(
        self, session: Session, query: Select[Any], asked: ListQuery, form: str, *, zone: str, out: Outs = NOTHING
    ) -> Response:
        """Return all that is asked for, as `csv` or `xlsx`; times in the site's zone. `out`: columns that are made of
        the whole row.

        Raises HTTP 422 for another form.
        """
        if form not in ("csv", "xlsx"):
            raise HTTPException(422, "A list is exported as csv or as xlsx.")
        rows = session.execute(self._sorted(self._filtered(query, asked), asked).limit(MOST_EXPORTED)).all()
        at = ZoneInfo(zone)
        table = (
            [out[c.key](row) if c.key in out else _out(getattr(row, c.key), at) for c in self.columns] for row in rows
        )
        names = [column.key for column in self.columns]
        data = write_csv(names, table) if form == "csv" else write_xlsx(self.name, names, table)
        kind = "text/csv; charset=utf-8" if form == "csv" else XLSX
        return Response(data, 200, attachment(f"{self.name}.{form}"), kind)

    def _filtered(self, query: Select[Any], asked: ListQuery) -> Select[Any]:
        if asked.text:
            pattern = "%" + asked.text.replace("\\", "\\\\").replace("%", "\\%").replace("_", "\\_") + "%"
            query = query.where(or_(*(cast(column.of, String).ilike(pattern) for column in self.columns)))
        for key, value in asked.chosen:
            query = query.where(cast(self._column(key).of, String) == value)
        return query

    def _sorted(self, query: Select[Any], asked: ListQuery) -> Select[Any]:
        column = self._column(asked.sort.removeprefix("-"))
        first = column.of.desc().nulls_last() if asked.sort.startswith("-") else column.of.asc().nulls_last()
        return query.order_by(first, *(each.of for each in self.columns if each is not column))

    def _choices(self, session: Session, query: Select[Any], column: Column) -> list[str]:
        value = cast(column.of, String)
        found = query.with_only_columns(value).where(column.of.is_not(None)).distinct().order_by(value)
        return [each for each in session.scalars(found.limit(MOST_CHOICES)) if each != ""]

    def _column(self, key: str) -> Column:
        return next(column for column in self.columns if column.key == key)


XLSX = "application/vnd.openxmlformats-officedocument.spreadsheetml.sheet"


def _out(value: Any, zone: ZoneInfo) -> Any:
    return value.astimezone(zone).replace(tzinfo=None) if isinstance(value, datetime) else value
