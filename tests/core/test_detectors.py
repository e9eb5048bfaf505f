"""A detector's document as the model of its kind: what each family's regions may hold, and what the schema says of it."""

from __future__ import annotations

from typing import Any

import pytest
from jsonschema_rs import Draft202012Validator

from lantern.core.faults import Refused
from lantern.core.kinds import detector_of, detector_schema
from lantern.core.objects.region import ObjectDetector
from lantern.core.readings.region import ReadingDetector
from lantern.demo.skerrow import skerrow
from lantern.formats.documents import site_of

LINE = {"name": "edge", "shape": "line", "points": [[0, 5], [9, 5]]}


def document(**changes: Any) -> dict[str, Any]:
    return {
        "format": "lantern-detector/1",
        "name": "quay",
        "kind": "crossing",
        "device": "V2",
        "regions": [LINE],
    } | changes


def test_a_document_becomes_the_model_of_its_family() -> None:
    assert isinstance(detector_of(document()), ObjectDetector)
    assert isinstance(detector_of(document(kind="heat", regions=[LINE | {"shape": "box"}])), ReadingDetector)


def test_a_region_holds_nothing_of_another_family() -> None:
    with pytest.raises(Refused, match=r"detector: regions.0.emissivity: is not a known key"):
        detector_of(document(regions=[LINE | {"emissivity": 0.9}]))
    kept = detector_of(document(regions=[LINE | {"emissivity": None}]))  # a key that is null says nothing
    assert "emissivity" not in kept.model_dump()["regions"][0]


def test_an_unknown_kind_is_told_with_those_there_are() -> None:
    with pytest.raises(Refused, match=r"there is no detector kind 'wind'.*crossing"):
        detector_of(document(kind="wind"))
    with pytest.raises(Refused, match=r"detector: kind: is missing"):
        detector_of({"name": "quay"})


def test_a_site_is_held_against_the_models_of_its_families() -> None:
    site = skerrow().model_dump(mode="json", exclude_none=True)
    site_of(site, where="site")
    n = next(n for n, detector in enumerate(site["detectors"]) if detector["kind"] == "zone")
    site["detectors"][n]["regions"][0]["emissivity"] = 0.5
    with pytest.raises(Refused, match=rf"site: detectors.{n}.regions.0.emissivity: is not a known key"):
        site_of(site, where="site")


def test_the_schema_takes_what_the_reader_takes() -> None:
    schema = Draft202012Validator(detector_schema())
    for detector in skerrow().detectors:
        assert schema.is_valid(detector.plain.model_dump(mode="json", exclude_none=True)), detector.name
    assert not schema.is_valid(document(regions=[LINE | {"emissivity": 0.9}]))
    assert not schema.is_valid(document(kind="wind"))
