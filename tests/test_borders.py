"""Common code names no family: neither by an import, nor by a word of its registers in a script or template."""

from __future__ import annotations

import re
from pathlib import Path

import grimp
import pytest

import lantern
from lantern.core.families import FAMILIES
from lantern.core.kinds import KINDS

ROOT = Path(lantern.__file__).parent
ROOMS = [f"lantern.{room}.{name}" for name in FAMILIES for room in ("core", "benches")]
# simulated devices know what they simulate
STAND_INS = ("lantern.standins", "lantern.demo")
COMMON = [
    path
    for pattern in ("*/static/**/*.js", "signals/static/*.js", "*/templates/*.html")
    for path in sorted(ROOT.glob(pattern))
    if "benches" not in path.parts
]


def within(module: str, packages: list[str] | tuple[str, ...]) -> bool:
    return any(module == package or module.startswith(f"{package}.") for package in packages)


def test_no_common_module_imports_a_family_and_no_family_another() -> None:
    graph = grimp.build_graph("lantern", include_external_packages=False)
    bad = []
    for module in sorted(graph.modules):
        if within(module, STAND_INS):
            continue
        own = [
            f"lantern.{room}.{name}"
            for name in FAMILIES
            for room in ("core", "benches")
            if within(module, own_of(name))
        ]
        others = [room for room in ROOMS if room not in own]
        bad += [
            f"{module} -> {found}" for found in graph.find_modules_directly_imported_by(module) if within(found, others)
        ]
    assert bad == []


def own_of(name: str) -> list[str]:
    return [f"lantern.core.{name}", f"lantern.benches.{name}"]


DIALS = {dial for kind in KINDS.values() for dial in kind.dials.model_fields if "_" in dial}
NAMES = {quoted for name in KINDS for quoted in (f'"{name}"', f"'{name}'")}


@pytest.mark.parametrize("path", COMMON, ids=lambda path: str(path.relative_to(ROOT)))
def test_common_scripts_and_templates_have_no_word_of_a_family(path: Path) -> None:
    found = []
    for number, line in enumerate(path.read_text().splitlines(), 1):
        found += [(number, dial) for dial in DIALS if re.search(rf"(?<![\w-]){dial}(?![\w-])", line)]
        # names of kinds are words of other things, too: a time zone, a path of SVG
        found += [(number, name) for name in NAMES if name in line and re.search(r"[kK]ind", line)]
    assert found == []
