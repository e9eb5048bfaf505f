"""Run apart, with the folders of the pulses beside those of the program: the family is there, and nothing else was changed."""

from __future__ import annotations

import json
import sys
from pathlib import Path
from typing import Any

import pytest

HERE = Path(__file__).parent
sys.path[:0] = [str(HERE.parent), str(HERE)]

import lantern.benches  # noqa: E402 - found beside the tests
import lantern.core  # noqa: E402

lantern.core.__path__.append(str(HERE / "core"))
lantern.benches.__path__.append(str(HERE / "benches"))


def prove(folder: Path) -> None:
    from lantern.core.pulses.family import example_series
    from typer.testing import CliRunner

    from lantern.cli import app
    from lantern.formats.tables import write_series

    (folder / "meter.csv").write_text(write_series({"meter": example_series()}))
    sidecar = {"format": "lantern-take/1", "name": "A run", "kind": "series", "device": "T1"}
    sidecar |= {"start": "2026-03-04T05:12:00+01:00", "units": {"meter": "pulses"}}
    (folder / "meter.csv.json").write_text(json.dumps(sidecar))
    region = {"name": "meter", "shape": "spot", "points": [[0, 0]]}
    document = {"format": "lantern-detector/1", "name": "fast", "kind": "pulse-rate", "regions": [region]}
    (folder / "fast.json").write_text(json.dumps(document))
    said = CliRunner().invoke(
        app, ["evaluate", "--take", str(folder / "meter.csv"), "--detector", str(folder / "fast.json")]
    )
    assert said.exit_code == 0, said.output
    assert json.loads(said.stdout.splitlines()[0])["raised_s"] == 3.5  # 8 pulses by then, 1 of them two seconds before
    on_pages(folder, document)


def on_pages(folder: Path, document: dict[str, object]) -> None:

    from lantern.application.app import make_app
    from lantern.core.events import Detector
    from lantern.core.site import Device, Place, Site
    from lantern.db.base import transaction
    from lantern.people.tables import add_user
    from lantern.register.tables import device_by_code
    from lantern.sites.actions import add_site
    from lantern.takes.actions import import_path
    from lantern.tune.actions import add_detector
    from web.client import AtSite
    from web.test_door import HTML, log_in

    device = Device(code="T1", name="Meter", kind="thermal")
    with transaction() as session:
        user = add_user(session, login="ida", name="Ida Test", password="open sesame", administrator=True)
        site = add_site(session, Site(name="Pier", places=(Place(name="Gangway", devices=(device,)),)))
        held = device_by_code(session, site.id, "T1")
        assert held is not None
        site_id, device_id, user_id = site.id, held.id, user.id
    take = import_path(folder / "meter.csv", site_id=site_id)
    with transaction() as session:
        model = Detector.model_validate(document)
        row = add_detector(session, device_id=device_id, detector=model, reason="first", user_id=user_id)
        detector = row.id
    client = AtSite(make_app(), follow_redirects=False)
    client.headers["X-CSRF-Token"] = log_in(client)
    page = client.get(f"/bench/{detector}?take={take}", headers=HTML)
    assert page.status_code == 200, page.text[-2000:]
    assert "A meter: counts on and on." in page.text
    assert client.get("/static/benches/pulses/bench.js").status_code == 200
    asked = {"take": take, "detector": document, "parts": ["judged", "strips", "total"]}
    answer = client.post(f"/bench/{detector}/judge", json=asked)
    assert answer.status_code == 200, answer.text
    found = answer.json()
    assert set(found["strips"]) == {"pulses", "within_s"}
    assert found["total"] == {"meter": 68.0}
    walk = client.get(f"/walk/{detector}", headers=HTML)
    assert walk.status_code == 200, walk.text[-2000:]
    follows(client, device_id, take, user_id, document)
    [event] = found["judged"]["events"]
    sys.stdout.write(f"a bench, a walk page and an event of {event['region']!r} at {event['raised_s']:g} s\n")


def follows(client: Any, device_id: int, take: int, user_id: int, document: dict[str, object]) -> None:
    """A kind that raises nothing has strips, a map, wishes, revisions, a card and a word in the rail, by its own measures."""
    from lantern.core.events import Detector
    from lantern.core.faults import Refused
    from lantern.db.base import transaction
    from lantern.tune.actions import add_detector, save_revision
    from lantern.tune.studies import begin_study
    from lantern.tune.tuned import TunedDetector
    from web.test_door import HTML

    document = document | {"name": "follow", "kind": "pulse-follow", "dials": {"pulses": 1}}
    with transaction() as session:
        model = Detector.model_validate(document)
        row = add_detector(session, device_id=device_id, detector=model, reason="first", user_id=user_id)
        better = model.model_copy(update={"dials": {"pulses": 6}})
        save_revision(session, row, better, reason="faster", user_id=user_id, base=1)
        assert row.verdict == "measured"
        detector = row.id
        asked = {"detector": document, "takes": [take], "wishes": {}, "dial_x": "pulses", "dial_y": "within_s"}
        with pytest.raises(Refused, match="plays no part"):
            begin_study(session, TunedDetector(row), "map", asked)
    page = client.get(f"/bench/{detector}?take={take}", headers=HTML)
    assert page.status_code == 200, page.text[-2000:]
    assert "At least so much followed" in page.text
    assert "false alarms" not in page.text.split('data-testid="card"')[1].split("</table>")[0]
    body = {"take": take, "detector": document, "parts": ["judged", "strips", "takes"]}
    body |= {"wishes": {"followed_percent": 60}}
    found = client.post(f"/bench/{detector}/judge", json=body).json()
    # 3 pulses come one by one in 6 samples, then 5 a sample: 13 samples of half a second, 65 of 68 pulses
    assert found["judged"]["card"]["line"] == "6.5 s lost, 4.41 % followed"
    assert "events" not in found["judged"]
    strip = found["strips"]["pulses"]
    assert [measure["name"] for measure in strip["measures"]] == ["lost_s", "followed_percent"]
    assert strip["text"] == "proposed 8 pulses: meets the wishes, 0 s lost, 100 % followed"
    assert strip["pieces"][-1] == [5.0, 10.0, 0.0, 100.0]
    body["wishes"] = {"false_per_day": 1}
    assert client.post(f"/bench/{detector}/judge", json=body).json()["faults"][0]["where"] == "wishes.false_per_day"
    for address in (f"/bench/{detector}/revisions", f"/compare?a={detector}&b={detector}", f"/rehearse/{detector}"):
        page = client.get(address, headers=HTML)
        assert page.status_code == 200, page.text[-2000:]


if __name__ == "__main__":
    conforms = [str(HERE.parent / "test_families.py"), "-o", "addopts=--import-mode=importlib -q"]
    conforms += ["-k", "pulse or every_kind"]
    sys.exit(pytest.main(conforms) or prove(Path(sys.argv[1])))
