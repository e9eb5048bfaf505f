"""The drawing of a plan in a site: tried and kept, places outlined, ground pictures brought, all of it on paper and in the site's file."""

from __future__ import annotations

import io
import re
from pathlib import Path
from typing import Any
from xml.etree.ElementTree import fromstring

import orjson
import pypdfium2
import pytest
from fastapi.testclient import TestClient
from PIL import Image

from formats.test_ground import SVG, drawing, raster
from lantern.application.app import make_app
from lantern.core.faults import Refused
from lantern.db.base import transaction
from lantern.demo.skerrow import skerrow
from lantern.formats.site_files import DOCUMENT, packed, read_site_file, site_in
from lantern.register.tables import device_by_code
from lantern.sites.actions import import_site, only_site, site_package
from plan.test_plan import MOUNT, PLAN
from seeded import Small
from web.test_access import log_in

AT = "/sites/1/plan"
WALL = {"name": "screen", "points": [[0, 10], [20, 10]], "height_m": 6, "material": "wood"}


@pytest.fixture
def client(small: Small) -> TestClient:
    return log_in(make_app(), "ida", "open sesame")


def bring(client: TestClient, data: bytes, name: str, **query: Any) -> Any:
    return client.post(f"{AT}/pictures", params={"name": name, **query}, content=data)


# ---- drawn -----------------------------------------------------------------------------------------------------------


def test_a_wall_that_is_tried_hides_and_is_not_kept(client: TestClient, small: Small) -> None:
    client.put(f"{AT}?base=0", json={"plan": PLAN})
    client.put(f"{AT}/devices/{small.camera}", json={"mount": MOUNT | {"pixels": [1280, 720]}})
    free = client.post(f"{AT}/try", json=PLAN).json()
    walled = client.post(f"{AT}/try", json=PLAN | {"occluders": [WALL]}).json()
    key = str(small.camera)
    assert free["devices"][key]["claims"][0]["verdict"] == "pass"
    assert walled["devices"][key]["claims"][0]["reason"] == "screen hides part of it"
    assert walled["devices"][key]["drawn"]["shadow"] != ""
    assert walled["unseen"]["share"] > free["unseen"]["share"]
    dragged = client.post(f"{AT}/try?dragged=true&chosen={key}", json=PLAN | {"occluders": [WALL]}).json()
    assert list(dragged) == ["devices"]  # what all give together can wait
    assert dragged["devices"][key]["side"]["walls"] == [["screen", pytest.approx(5.0), 6.0, None]]
    assert client.get(f"{AT}.json").json()["occluders"][0]["name"] == "hut"
    crossed = [[0, 0], [4, 4], [4, 0], [0, 4]]
    bow = {"name": "bow", "points": crossed, "height_m": 2, "closed": True}
    told = client.post(f"{AT}/try", json=PLAN | {"occluders": [bow]})
    assert (told.status_code, "crosses itself" in told.text) == (422, True)


def test_places_are_outlined_with_the_plan_or_not_at_all(client: TestClient, small: Small) -> None:
    square = [[0, 0], [10, 0], [10, 10], [0, 10]]
    assert client.put(f"{AT}?base=0", json={"plan": PLAN, "places": {"1": square}}).status_code == 200
    page = client.get(AT, headers={"accept": "text/html"}).text
    data = orjson.loads(page.split('id="page-data">')[1].split("</script>")[0])
    assert data["places"][0]["polygon"] == square
    for wrong, told in (({"1": [[0, 0], [1, 1]]}, "less than three corners"), ({"99": square}, "none with number 99")):
        answer = client.put(f"{AT}?base=1", json={"plan": PLAN | {"width_m": 99}, "places": wrong})
        assert (answer.status_code, told in answer.text) == (422, True)
    assert client.get(f"{AT}.json").json()["width_m"] == 60  # nothing of it was kept
    client.put(f"{AT}?base=1", json={"plan": PLAN, "places": {"1": None}})
    with transaction() as session:
        assert orjson.loads(site_package(session, only_site(session, "Test site")))["places"][0].get("polygon") is None


def test_an_earlier_state_comes_back_with_its_picture(client: TestClient, small: Small) -> None:
    found = bring(client, raster("PNG"), "quay.png").json()
    client.put(f"{AT}?base=0&reason=first", json={"plan": PLAN | {"picture": found["name"]}})
    client.put(f"{AT}?base=1&reason=without", json={"plan": PLAN})
    told = client.get(f"{AT}/states").json()["states"]
    assert [(each["number"], each["reason"], each["who"]) for each in told] == [
        (2, "without", "Ida Test"),
        (1, "first", "Ida Test"),
    ]
    first = client.get(f"{AT}/states/1").json()
    assert (first["plan"]["picture"], first["picture"]["width_px"]) == (found["name"], 60)
    assert client.put(f"{AT}?base=2&reason=again", json={"plan": first["plan"]}).json() == {"revision": 3}
    assert client.get(f"{AT}/states/9").status_code == 404


def test_a_viewer_sees_and_changes_nothing(small: Small) -> None:
    nobody = TestClient(make_app())
    assert nobody.post(f"{AT}/pictures?name=x", content=raster("PNG")).status_code in (401, 403)


# what a mount gives, by hand: 2 atan(4.8 / 2 / 2.4) = 90°, 3.2 m below it 6.4 m wide; 100 dB and 9 dB of 8 W; 70 m to a
# person and 10^(1/4) times as far to a car; 30 times 6 mm
@pytest.mark.parametrize(
    ("code", "label", "value"),
    [
        ("C1", "Field", "90.0° by 73.7°"),
        ("C1", "Seen at the floor", "6.40 by 4.80 m"),
        ("L1", "On its axis at 1 m", "109.0 dB(A)"),
        ("L1", "On its axis at 10 m", "89.0 dB(A)"),
        ("R1", "Sees a car", "to 124 m"),
        ("Z1", "Inspect, full zoom", "to 42 m"),
        ("V2", "Ground seen", "11.2 m to the horizon"),
    ],
)
def test_what_a_mount_gives_of_itself(client: TestClient, harbour: str, code: str, label: str, value: str) -> None:
    root = harbour.removesuffix("/plan/print")
    with transaction() as session:
        row = device_by_code(session, int(root.rsplit("/", 1)[1]), code)
        assert row is not None
    told = client.get(f"{root}/plan/devices/{row.id}").json()["facts"]
    assert [label, value] in told, told


# ---- ground pictures -------------------------------------------------------------------------------------------------


def test_a_dxf_lies_beneath_the_plan_and_comes_out_as_a_picture_that_runs_nothing(
    client: TestClient, small: Small
) -> None:
    found = bring(client, drawing(4, size=60_000), "yard.dxf").json()
    assert found["metres_per_px"] * found["width_px"] == pytest.approx(60)
    assert "in mm ($INSUNITS): 60.0 by 30.0 m" in found["said"][0]
    plan = PLAN | {"picture": found["name"], "metres_per_px": found["metres_per_px"], "north_deg": 12}
    assert client.put(f"{AT}?base=0", json={"plan": plan}).status_code == 200
    shown = client.get(f"{AT}/pictures/{found['name']}")
    assert shown.headers["content-type"] == "image/svg+xml"
    assert "default-src 'none'" in shown.headers["content-security-policy"]
    assert client.get(f"{AT}/pictures/other.svg").status_code == 404


def test_a_picture_that_was_never_brought_is_refused_and_a_bad_one_stores_nothing(
    client: TestClient, small: Small
) -> None:
    answer = client.put(f"{AT}?base=0", json={"plan": PLAN | {"picture": "quay.png"}})
    assert (answer.status_code, "was not brought" in answer.text) == (422, True)
    assert bring(client, b"nonsense", "quay.png").status_code == 422
    assert bring(client, raster("PNG"), "quay.png", page=1).status_code == 200


# ---- in the site's file ----------------------------------------------------------------------------------------------


@pytest.mark.parametrize(("data", "name"), [(SVG, "quay.svg"), (raster("JPEG"), "quay.jpg"), (drawing(6), "quay.dxf")])
def test_the_site_goes_out_as_a_zip_with_its_picture_and_comes_back_byte_for_byte(
    client: TestClient, small: Small, tmp_path: Path, data: bytes, name: str
) -> None:
    found = bring(client, data, name).json()
    client.put(f"{AT}?base=0", json={"plan": PLAN | {"picture": found["name"], "metres_per_px": 0.1}})
    out = client.get("/sites/1/site.json")
    assert out.headers["content-type"] == "application/zip"
    path = tmp_path / "site.zip"
    path.write_bytes(out.content)
    site, pictures = read_site_file(path, name="Second")
    assert list(pictures) == [found["name"]]
    with transaction() as session:
        row = import_site(session, site, user_id=None, pictures=pictures)
        again, kept = site_in(site_package(session, row), where="again", name="Test site")
    first, before = site_in(out.content, where="first")
    assert (again, dict(kept)) == (first, dict(before))
    assert packed(b"x", before) == packed(b"x", kept)


def test_a_document_may_have_its_picture_beside_it_or_do_without(small: Small, tmp_path: Path) -> None:
    document = {"name": "Third", "plan": {"picture": "quay.png", "metres_per_px": 0.1}}
    (tmp_path / "site.json").write_bytes(orjson.dumps(document))
    site, none = read_site_file(tmp_path / "site.json")
    assert none == {}
    with transaction() as session:
        row = import_site(session, site, user_id=None)
        assert orjson.loads(site_package(session, row))["plan"]["picture"] == "quay.png"  # kept, and told on the page
    (tmp_path / "quay.png").write_bytes(raster("PNG"))
    assert list(read_site_file(tmp_path / "site.json")[1]) == ["quay.png"]


@pytest.mark.parametrize(
    ("pictures", "told"),
    [({"evil.png": b"x"}, "is named nowhere in the site"), ({"quay.png": b"no picture"}, "is none of the formats")],
)
def test_a_zip_with_something_else_in_it_is_refused(small: Small, pictures: dict[str, bytes], told: str) -> None:
    document = orjson.dumps({"name": "Third", "plan": {"picture": "quay.png"}})
    with pytest.raises(Refused, match=told), transaction() as session:
        site, brought = site_in(packed(document, pictures), where="x.zip")
        import_site(session, site, user_id=None, pictures=brought)
    with pytest.raises(Refused, match=DOCUMENT):
        site_in(packed(b"{}", {"a": b"b"}).replace(b"site.json", b"sity.json"), where="x.zip")


# ---- on paper --------------------------------------------------------------------------------------------------------


@pytest.fixture
def harbour(client: TestClient) -> str:
    with transaction() as session:
        site, _ = site_in(
            orjson.dumps(skerrow().model_dump(mode="json", exclude_none=True)), where="demo", name="Harbour"
        )
        number = import_site(session, site, user_id=None).id
    return f"/sites/{number}/plan/print"


@pytest.mark.parametrize(("paper", "width_mm"), [("A3", 420), ("A4", 297)])
def test_the_plan_on_paper_is_to_scale(client: TestClient, harbour: str, paper: str, width_mm: float) -> None:
    """ISO 216: A4 is 297 by 210 mm, A3 420 by 297. The frame of a plan of 420 m is 420 000 mm / scale wide."""
    svg = fromstring(client.get(harbour, params={"paper": paper, "format": "svg"}).content)
    assert svg.get("width") == f"{width_mm}mm"
    text = " ".join(each.text or "" for each in svg.iter())
    scale = int(re.findall(r"1 : (\d+) on", text)[0])
    frames = [each for each in svg.iter("{http://www.w3.org/2000/svg}rect") if each.get("stroke") == "#22303a"]
    assert float(frames[0].get("width", "0")) == pytest.approx(420_000 / scale, abs=0.01)
    assert all(
        word in text
        for word in ("Harbour", "pellet store", "P1", "Horizontal incidence", "100 m" if scale > 1500 else "50 m")
    )
    # V2 stands at x 274, y 192 of a plan of 260 m: that many mm / scale from the frame's left and, from 260 m, its upper edge
    x0, y0 = (float(frames[0].get(key, "0")) for key in ("x", "y"))
    at = (x0 + 274_000 / scale, y0 + (260 - 192) * 1000 / scale)
    [mark] = [each for each in svg.iter() if each.text == "V2"]
    assert (float(mark.get("x", "0")), float(mark.get("y", "0"))) == pytest.approx((at[0] + 2.6, at[1] - 2.2), abs=0.02)
    pdf = pypdfium2.PdfDocument(client.get(harbour, params={"paper": paper}).content)
    assert pdf[0].get_size()[0] == pytest.approx(width_mm / 25.4 * 72, abs=0.5)
    with Image.open(io.BytesIO(client.get(harbour, params={"paper": paper, "format": "png"}).content)) as picture:
        assert picture.width == pytest.approx(width_mm / 25.4 * 150, abs=1)
        assert picture.info["dpi"][0] == pytest.approx(150, abs=0.1)


def test_a_scale_that_does_not_fit_and_a_device_that_is_not_there_are_told(client: TestClient, harbour: str) -> None:
    told = client.get(harbour, params={"paper": "A4", "scale": 500})
    assert (told.status_code, "1 : 500 does not fit on A4" in told.text) == (422, True)
    assert "does not stand on the plan" in client.get(harbour, params={"device": "X9"}).text
    one = client.get(harbour, params={"device": "V2", "format": "svg", "scale": 2000}).text
    assert ">V2<" in one
    assert ">R1<" not in one


def test_a_ground_picture_is_printed_where_it_lies(client: TestClient, small: Small) -> None:
    found = bring(client, raster("PNG", (600, 400)), "quay.png").json()
    client.put(f"{AT}?base=0", json={"plan": PLAN | {"picture": found["name"], "metres_per_px": 0.1, "north_deg": 90}})
    svg = client.get(f"{AT}/print", params={"format": "svg"}).text
    assert "data:image/png;base64," in svg
    assert "rotate(-90)" in svg
    assert client.get(f"{AT}/print", params={"format": "pdf"}).content.startswith(b"%PDF")
