"""Devices from a spreadsheet and into one: three hundred with four faults, of which nothing is stored until they are mended."""

from __future__ import annotations

import csv
import io
from typing import Any

import pytest
from fastapi.testclient import TestClient
from openpyxl import Workbook, load_workbook
from sqlalchemy import func, select

from lantern.application.app import make_app
from lantern.core.faults import Refused
from lantern.db.base import transaction
from lantern.formats.sheets import read_sheet, write_csv, write_xlsx
from lantern.register.sheet import COLUMNS, abilities_said
from lantern.register.tables import DeviceRow
from lantern.sites.tables import PlaceRow
from seeded import Small
from web.test_access import log_in

HEADER = ["code", "name", "place", "kind", "type", "firmware", "switch", "port", "width", "height", "fps"]


@pytest.fixture
def client(small: Small) -> TestClient:
    return log_in(make_app(), "ida", "open sesame")


def three_hundred() -> list[list[Any]]:
    """Forty switches and 260 cameras that hang on them, eight on each as far as they go; cameras come first in the file."""
    cameras = [
        [f"V{n:03}", f"Camera {n}", f"Hall {n % 6}", "camera", "fixed camera", "10.5", f"S{n // 8:02}", n % 8 + 1, 1280, 720, 10]
        for n in range(260)
    ]  # fmt: skip
    switches = [
        [f"S{n:02}", f"Switch {n}", "Racks", "", "network switch, 8 ports", "", "", "", "", "", ""] for n in range(40)
    ]
    return cameras + switches


def sent(client: TestClient, rows: list[list[Any]], *, store: bool, form: str = "csv") -> dict[str, Any]:
    data = write_csv(HEADER, rows) if form == "csv" else write_xlsx("devices", HEADER, rows)
    answer = client.post("/sites/1/devices/table", content=data, params={"store": store, "name": f"all.{form}"})
    assert answer.status_code == (422 if store and answer.json().get("faults") else 200), answer.text
    told: dict[str, Any] = answer.json()
    return told


def there() -> tuple[int, int]:
    with transaction() as session:
        devices = session.scalar(select(func.count(DeviceRow.id))) or 0
        return devices, session.scalar(select(func.count(PlaceRow.id))) or 0


def test_three_hundred_with_four_faults_are_not_stored_until_they_are_mended(
    client: TestClient,
) -> None:
    form, rows = "csv", three_hundred()
    wrong = [list(row) for row in rows]
    wrong[9][4] = "fixed camra"  # no such type
    wrong[19][0] = "V018"  # twice
    wrong[29][7] = 4  # the port of another
    wrong[39][8] = "wide"  # no number
    told = sent(client, wrong, store=False, form=form)
    found = {(fault["line"], fault["where"]) for fault in told["faults"]}
    assert found == {(11, "type"), (21, "code"), (31, "hangs_on.port"), (41, "width")}, told["faults"]
    assert all(fault["expected"] for fault in told["faults"])
    assert there() == (2, 1)
    assert len(sent(client, wrong, store=True, form=form)["faults"]) == 4
    assert there() == (2, 1)
    stored = sent(client, rows, store=True, form=form)
    assert (stored["stored"], len(stored["new"]), stored["places"]) == (
        True,
        300,
        [*("Racks", "Hall 0", "Hall 1", "Hall 2", "Hall 3", "Hall 4", "Hall 5")],
    )
    assert there() == (302, 8)
    with transaction() as session:
        row = session.scalars(select(DeviceRow).where(DeviceRow.code == "V007")).one()
        assert (row.type, row.switch, row.port, row.ability) == (
            "fixed camera", "S00", "8", {"width": 1280, "height": 720, "fps": 10},
        )  # fmt: skip
        # eight of class 3 take 8 x 15.4 = 123.2 W of the 120: the last of each full switch is short
        assert row.cautions == ["it takes 15.4 W of the budget of S00, and 12.2 W are left at port 8: 3.2 W too little"]
    again = sent(client, rows, store=True, form=form)
    assert (len(again["same"]), again["changed"], again["new"]) == (300, [], [])


def test_kinds_are_called_as_the_pages_call_them_and_one_slip_is_one_fault(client: TestClient) -> None:
    rows = [["S1", "Rack", "Hall", "Network switch", "", "", "", "", "", "", ""]]
    rows += [[f"V{n}", f"Camera {n}", "Hall", "camera", "", "", "S1", n, 1280, 720, 10] for n in range(1, 8)]
    assert sent(client, rows, store=False)["faults"] == []
    rows[0][3] = "network swich"
    [fault] = sent(client, rows, store=False)["faults"]
    assert (fault["line"], fault["where"]) == (2, "kind")


def test_a_table_that_went_out_comes_in_again_and_changes_nothing(client: TestClient, small: Small) -> None:
    sent(client, three_hundred()[250:], store=True)
    on = [{"name": "people and vehicles", "fps": 5}, {"name": "counting", "channel": "view"}]
    with transaction() as session:
        row = session.scalars(select(DeviceRow).where(DeviceRow.code == "V250")).one()
        row.extras = {"abilities": on}
        assert abilities_said(on) == "people and vehicles; counting @view"
    for form in ("csv", "xlsx"):
        out = client.get(f"/sites/1/devices?export={form}")
        assert out.headers["content-disposition"] == f'attachment; filename="devices.{form}"'
        answer = client.post(
            "/sites/1/devices/table", content=out.content, params={"store": True, "name": f"devices.{form}"}
        ).json()
        assert (answer["faults"], answer["changed"], len(answer["same"])) == ([], [], 52)
    with transaction() as session:
        row = session.scalars(select(DeviceRow).where(DeviceRow.code == "V250")).one()
        assert row.extras["abilities"] == on  # the rate that the table does not show is kept


def test_a_column_that_is_not_there_changes_nothing_and_an_empty_cell_does(client: TestClient, small: Small) -> None:
    def send(text: str) -> dict[str, Any]:
        answer: dict[str, Any] = client.post("/sites/1/devices/table?store=true", content=text.encode()).json()
        return answer

    assert send('code,firmware,type\nT1,2.4,"thermal camera, radiometric"\n')["changed"] == ["T1"]
    assert send("code;name\nT1;Heap\n")["changed"] == ["T1"]  # a spreadsheet of another land
    with transaction() as session:
        row = session.get_one(DeviceRow, small.camera)
        assert (row.name, row.firmware, row.ability["width"]) == ("Heap", "2.4", 8)
    assert send("code,firmware\nT1,\n")["changed"] == ["T1"]
    with transaction() as session:
        assert session.get_one(DeviceRow, small.camera).firmware is None


@pytest.mark.parametrize(
    ("row", "where", "told"),
    [
        ("T9,New,,camera,,", "place", "is empty"),
        ("T9,New,Shed,toaster,,", "kind", "toaster"),
        ("T1,New,Shed,camera,,", "kind", "camera, and T1 is a thermal"),
        ("M1,Module,Shed,,,yes", "device M1", "hot to lamp switches lamp"),
        ("T1,New,Shed,,,perhaps", "retired", "perhaps"),
        ("T1,,Shed,,,", "name", ""),
        ("T9,New,Shed,camera,S9,1", "hangs_on.switch", "S9"),
    ],
)
def test_what_is_wrong_with_a_row_is_told_with_its_line(client: TestClient, row: str, where: str, told: str) -> None:
    last = "retired" if not row.endswith(",1") else "port"
    header = f"code,name,place,kind,{'switch' if last == 'port' else 'firmware'},{last}"
    answer = client.post("/sites/1/devices/table?store=true", content=f"{header}\n{row}\n".encode())
    [fault, *_] = answer.json()["faults"]
    assert (answer.status_code, fault["line"], fault["where"], told in fault["what"]) == (422, 2, where, True), fault
    assert there() == (2, 1)


# ---- tables as files -------------------------------------------------------------------------------------------------


@pytest.mark.parametrize(
    ("data", "told"),
    [
        (b"", "is empty"),
        (b"name\nx\n", "column code is missing"),
        (b"code,colour\nx,red\n", "column 'colour' is unknown"),
        (b"code,code\nx,y\n", "column code comes 2 times"),
        (b"code,name\nx,y,z\n", "line 2: 3 cells"),
        (b"code\n\xff\xfe\n", "not UTF-8"),
        (b"PK\x03\x04nonsense", "whole"),
        (b"code\n" + b"x" * 3000 + b"\n", "at most 2000 characters"),
    ],
)
def test_what_is_no_table_is_refused(data: bytes, told: str) -> None:
    with pytest.raises(Refused, match=told):
        read_sheet(data, COLUMNS, where="all.csv", needed=("code",))


def test_a_workbook_that_unpacks_to_gigabytes_is_refused() -> None:
    book = Workbook(write_only=True)
    sheet = book.create_sheet()
    for _ in range(21_000):
        sheet.append(["x" * 900])
    held = io.BytesIO()
    book.save(held)
    with pytest.raises(Refused, match=r"times its size|more than"):
        read_sheet(held.getvalue(), COLUMNS, where="all.xlsx")


def test_nothing_that_goes_out_is_a_formula() -> None:
    rows = [["=1+1", "-3", 7, 2.5, None, True], ["@x", "'=x", 0, 0.1, "", False]]
    header = ["a", "b", "c", "d", "e", "f"]
    sheet = load_workbook(io.BytesIO(write_xlsx("t", header, rows))).worksheets[0]
    assert all(cell.data_type != "f" for row in sheet.iter_rows() for cell in row)
    read = list(csv.reader(io.StringIO(write_csv(header, rows).decode())))
    assert read[1] == ["'=1+1", "'-3", "7", "2.5", "", "yes"]
    for data in (write_csv(header, rows), write_xlsx("t", header, rows)):
        [one, other] = [cells for _, cells in read_sheet(data, header, where="t")]
        assert (one["a"], one["b"], other["b"], one["c"], one["d"]) == ("=1+1", "-3", "'=x", "7", "2.5")
