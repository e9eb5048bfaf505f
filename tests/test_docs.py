"""Documents that must not fall behind: every dial, every setting, every picture, and no host of a package registry."""

from __future__ import annotations

import re
import subprocess
from pathlib import Path

from lantern.core.dials import describe
from lantern.core.families import FAMILIES
from lantern.settings import Settings

ROOT = Path(__file__).resolve().parent.parent


def test_every_dial_is_documented_with_its_range() -> None:
    for family in FAMILIES.values():
        text = (ROOT / "docs/dials" / f"{family.name}.md").read_text()  # `scripts/tables.py` writes it
        for info in (info for kind in family.kinds for info in describe(kind.dials)):
            assert f"`{info.name}`" in text
            assert info.allowed() in text


def test_every_setting_is_documented() -> None:
    text = (ROOT / "docs/settings.md").read_text()
    assert [n for n in Settings.model_fields if f"LANTERN_{n.upper()}" not in text] == []


def test_pictures_in_the_readme_exist_and_are_few() -> None:
    shown = set(re.findall(r"docs/screenshots/[\w-]+\.png", (ROOT / "README.md").read_text()))
    there = {str(path.relative_to(ROOT)) for path in (ROOT / "docs/screenshots").glob("*.png")}
    assert shown == there
    assert len(there) < 20


def test_links_between_documents_lead_somewhere() -> None:
    for document in [ROOT / "README.md", *(ROOT / "docs").rglob("*.md")]:
        for target in re.findall(r"\]\(([^)#:]+)\)", document.read_text()):
            assert (document.parent / target).exists(), f"{document.name}: {target}"


def test_no_line_of_a_page_or_script_is_beyond_120_characters() -> None:
    folder = ROOT / "src/lantern"
    pages = [each for pattern in ("*.html", "*.js") for each in folder.rglob(pattern) if "vendor" not in each.parts]
    assert len(pages) > 100
    long = [(str(each.relative_to(folder)), number) for each in pages
            for number, line in enumerate(each.read_text().splitlines(), 1) if len(line) > 120]  # fmt: skip
    assert long == []


def test_no_committed_file_names_a_package_registry() -> None:
    files = subprocess.run(["git", "ls-files"], cwd=ROOT, capture_output=True, text=True, check=False).stdout.split()
    hosts = re.compile("|".join(("py" + r"pi\.org", "npm" + r"js\.(org|com)", "python" + "hosted", r"deb\.debian")))
    found = []
    for name in files:
        path = ROOT / name
        if (
            path.suffix in {".py", ".txt", ".json", ".md", ".toml", ".sh", ".in", ""}
            and path.is_file()
            and hosts.search(path.read_text(errors="replace"))
        ):
            found.append(name)
    assert found == []
