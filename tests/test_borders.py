"""Common code names no family: neither by an import, nor by a word of its registers in a script or template."""

from __future__ import annotations

import ast
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
    if not {"benches", "vendor"} & set(path.parts)
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


# ---- stages and their tables -----------------------------------------------------------------------------------------

JOINING = ("tables.py", "listed.py")  # where a query may join the tables of several stages: one place owns it
OUTSIDE = ("db",)
QUERIES = ("select", "update", "delete", "insert", "join", "outerjoin", "select_from")


def rows_of_others(path: Path) -> set[str]:
    """Names of the tables of other folders that a module imports."""
    own = path.relative_to(ROOT).parts[0]
    found = set()
    for node in ast.walk(ast.parse(path.read_text())):
        module = str(node.module) if isinstance(node, ast.ImportFrom) else ""
        if module.endswith(".tables") and module.split(".")[1] != own:
            found |= {alias.asname or alias.name for alias in node.names if alias.name.endswith("Row")}
    return found


def queries_put_to_others(path: Path) -> list[str]:
    rows, found = rows_of_others(path), []
    for node in ast.walk(ast.parse(path.read_text())):
        if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name) and node.value.id in rows:
            found += [f"{node.value.id}.{node.attr}"] if node.attr != "WHAT" else []
        if isinstance(node, ast.Call):
            called = node.func.id if isinstance(node.func, ast.Name) else getattr(node.func, "attr", "")
            asked = {each.id for each in node.args if isinstance(each, ast.Name)} if called in QUERIES else {called}
            found += sorted(asked & rows)
    return [f"{path.relative_to(ROOT)}: {each}" for each in found]


def test_stages_meet_through_actions_and_not_through_each_others_tables() -> None:
    """A row of another stage may be passed on, read and fetched by its key; no query is put to its table."""
    modules = [path for path in ROOT.glob("*/**/*.py") if path.name not in JOINING]
    bad = [
        each
        for path in sorted(modules)
        if path.relative_to(ROOT).parts[0] not in OUTSIDE
        for each in queries_put_to_others(path)
    ]
    assert bad == []


def test_tables_lie_on_each_other_without_a_circle() -> None:
    graph = grimp.build_graph("lantern", include_external_packages=False)
    tables = {module for module in graph.modules if module.endswith(".tables")}
    left = {module: graph.find_modules_directly_imported_by(module) & tables for module in tables}
    while free := [module for module, below in left.items() if not below & left.keys()]:
        for module in free:
            del left[module]
    assert left == {}
