"""Common code names no family: neither by an import, nor by a word of its registers in a script or template."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterator
from pathlib import Path

import grimp
import pytest

import lantern
from lantern.core.axis import TIME
from lantern.core.dials import describe
from lantern.core.families import FAMILIES
from lantern.core.tuning.raises import RAISES

ROOT = Path(lantern.__file__).parent
ROOMS = [f"lantern.{room}.{name}" for name in FAMILIES for room in ("core", "benches")]
# simulated devices know what they simulate
STAND_INS = ("lantern.standins", "lantern.demo")
OF_FAMILIES = {"core", "benches", "signals"}  # where rooms of families lie; what lies beside them is common
INTERFACE = ("links", "live", "recordings", "register", "rehearse", "sites", "takes", "tune", "walk", "web")


def is_common(path: Path) -> bool:
    """Is it of no family? Scripts beside the rooms of signals are."""
    parts = path.relative_to(ROOT).parts
    if "vendor" in parts or parts[0] in ("standins", "demo"):
        return False
    return not (parts[0] in OF_FAMILIES and len(parts) > 2 and parts[1] not in ("static", "templates"))


COMMON = [
    path
    for pattern in ("**/static/**/*.js", "**/static/**/*.css", "**/templates/*.html")
    for path in sorted(ROOT.glob(pattern))
    if is_common(path)
]
MODULES = [path for room in INTERFACE for path in sorted((ROOT / room).glob("**/*.py"))]


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
    """Its folders; a signal whose room is called as the family is its own."""
    return [f"lantern.{room}.{name}" for room in ("core", "benches", "signals")]


def registered() -> Iterator[tuple[str, str]]:
    """(pattern, what it is): the registers' own words, as they would stand in common code."""
    for family in FAMILIES.values():
        for kind in family.kinds:
            for info in describe(kind.dials):
                if "_" in info.name:
                    yield rf"(?<![\w-]){info.name}(?![\w-])", "a dial"
                if " " in info.label:
                    yield rf"(?<![\w-]){re.escape(info.label)}(?![\w-])", "a dial's label"
                yield rf"\bdials?\.{info.name}\b", "a dial"
            if kind.axis is not None and kind.axis != TIME:
                yield rf"[\"'>]{re.escape(kind.axis.lane)}[\"'<]", "a lane"
            if kind.yardstick is not RAISES:
                yield from ((rf"[\"'.]{measure.name}\b", "a measure") for measure in kind.yardstick.measures)
            # names of kinds are words of other things, too: a time zone, a path of SVG
            yield rf"[kK]ind\w*\W{{0,8}}[\"']{kind.name}[\"']", "a kind"
        for device in family.devices:
            yield rf"(?<![\w-]){re.escape(device.title)}(?![\w-])", "a device's title"
            yield rf"kind[^\n]{{0,30}}[\"'= ]{device.name}[\"' ]", "a kind of device"
            for group in device.figures:
                yield from ((rf"(?<![\w-]){each.key}(?![\w-])", "a figure of a device") for each in group.figures)


WORDS = sorted(set(registered()))
ALSO = {  # words of other things as well
    "focal_mm": "plan",  # of a camera's mount
    "f_px": "plan",
    "radar": "plan",  # what the plan draws of one's beam
    "shutter_s": "plan",  # of what is aimed at
    "within_s": "links rehearse",  # the numbers of compounds, and of what is expected
    "wait_s": "links",
    "quiet_s": "links",
    "rearm_s": "links",
}


@pytest.mark.parametrize("path", COMMON + MODULES, ids=lambda path: str(path.relative_to(ROOT)))
def test_common_code_has_no_word_of_a_family(path: Path) -> None:
    room = path.relative_to(ROOT).parts[0]
    other = [word for word, rooms in ALSO.items() if room in rooms.split()]
    found = [
        (number, what, line.strip()[:100])
        for number, line in enumerate(path.read_text().splitlines(), 1)
        for pattern, what in WORDS
        if re.search(pattern, line) and not any(word in pattern for word in other)
    ]
    assert found == []


def test_the_words_are_found_where_they_stand() -> None:
    """The family's own scripts are full of them: a test that cannot fail finds nothing there either."""
    own = "\n".join(path.read_text() for path in ROOT.glob("benches/*/static/*.js"))
    assert sum(bool(re.search(pattern, own)) for pattern, _ in WORDS) > 10
    assert len(WORDS) > 80


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
