"""The link sheet of a site in the store: out as a table, changed, and in again; with any fault nothing is stored."""

from __future__ import annotations

from pathlib import Path

import pytest

from lantern.core.linking.table import COLUMNS, rows_of
from lantern.db.base import transaction
from lantern.formats.sheets import Row, read_sheet, write_csv, write_xlsx
from lantern.links.sheet import Report, sheet_shown, take_table
from lantern.links.tables import LinkRow, links_of_site
from lantern.links.would import would
from lantern.revisions import revisions_of
from seeded import Small


def table(small: Small, *, form: str = "csv") -> list[Row]:
    with transaction() as session:
        rows = list(rows_of(row.model for row in links_of_site(session, small.site)))
    data = write_csv(COLUMNS, rows) if form == "csv" else write_xlsx("links", COLUMNS, rows)
    return read_sheet(data, COLUMNS, where="links")


def taken(small: Small, rows: list[Row], *, store: bool = True) -> Report:
    with transaction() as session:
        return take_table(session, small.site, rows, store=store, reason="from a table", user_id=small.user)


def links(small: Small) -> dict[str, LinkRow]:
    with transaction() as session:
        return {row.name: row for row in links_of_site(session, small.site)}


@pytest.mark.parametrize("form", ["csv", "xlsx"])
def test_what_went_out_changes_nothing(small: Small, form: str) -> None:
    report = taken(small, table(small, form=form))
    assert (report.new, report.changed, report.same, report.stay) == ([], [], ["hot to lamp"], [])
    assert links(small)["hot to lamp"].revision == 1


def test_what_it_would_change_is_said_first_and_then_stored_as_a_revision(small: Small) -> None:
    [(line, cells)] = table(small)
    rows = [
        (line, cells | {"length_s": "9", "delay_s": "1,5"}),
        (line + 1, cells | {"link": "hot to stop", "on": "stop"}),
    ]
    report = taken(small, rows, store=False)
    assert report.new == ["hot to stop"]
    [changed] = report.changed
    assert {each["what"]: each["after"] for each in changed["changes"]} == {
        "delay_s": "1.5",
        "effects[lamp].length_s": "9",
    }
    assert list(links(small)) == ["hot to lamp"]
    assert taken(small, rows).faults == []
    held = links(small)
    assert held["hot to lamp"].model.delay_s == 1.5
    assert held["hot to stop"].detector_id == small.detector
    with transaction() as session:
        newest, *_ = revisions_of(session, LinkRow.WHAT, [held["hot to lamp"].id])
        assert (newest.number, newest.reason, newest.user_id) == (2, "from a table", small.user)
    assert taken(small, rows[1:]).stay == ["hot to lamp"]


def test_with_a_fault_anywhere_nothing_is_stored_and_each_is_at_its_cell(small: Small) -> None:
    [(line, cells)] = table(small)
    rows = [
        (line, cells | {"length_s": "9"}),
        (line + 1, cells | {"link": "b", "on": "siren"}),
        (line + 2, cells | {"link": "c", "cause": "cold"}),
        (line + 3, cells | {"link": "d", "timetable": "gone"}),
        (line + 4, cells | {"link": "e", "cause": "Both", "of": "compound"}),
    ]
    report = taken(small, rows)
    told = [(fault.line, fault.column) for fault in report.faults]
    assert told == [(line + 1, "on"), (line + 2, "cause"), (line + 3, "timetable"), (line + 4, "cause")]
    assert list(links(small)) == ["hot to lamp"]
    assert links(small)["hot to lamp"].revision == 1


def test_the_page_has_what_stands_out(small: Small) -> None:
    with transaction() as session:
        shown = sheet_shown(session, small.site)
    [row] = shown["rows"]
    assert (row["name"], row["place"], row["device"], row["page"]) == ("hot", "Shed", "T1", f"/links/{small.detector}")
    assert [cell["ink"] for cell in row["cells"]] == ["2 s"]
    assert [(each["title"], each["used"]) for each in shown["columns"]] == [("lamp", True), ("stop", False)]
    assert shown["spans"]["always on"] == [[0, 7 * 1440]]


def test_what_a_link_would_have_done_on_the_takes(small: Small, tmp_path: Path) -> None:
    """The take is hot twice, and each time the lamp is lit once."""
    with transaction() as session:
        [row] = links_of_site(session, small.site)
        [told] = would(session, row)
    assert (told["raised"], told["results"]) == (2, {"done": 2})
