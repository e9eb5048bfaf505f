"""The outside values of `reference/checks.json`, by their id."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Any

import pytest

_ALL = {entry["id"]: entry for entry in json.loads((Path(__file__).parent / "reference" / "checks.json").read_text())}


def check(name: str) -> tuple[dict[str, Any], Any]:
    """(inputs, expected) with the tolerance that the source gives."""
    entry = _ALL[name]
    tolerance, expected = entry["tolerance"], entry["expected"]
    if tolerance["type"] == "rel":
        expected = pytest.approx(expected, rel=tolerance["value"])
    elif tolerance["type"] == "abs":
        expected = pytest.approx(expected, abs=tolerance["value"])
    return entry["inputs"], expected
