"""Write what the docs say of the code anew: a page of dials a family in docs/dials, settings in docs/settings.md."""

from __future__ import annotations

import re
from pathlib import Path

from pydantic_core import PydanticUndefined

from lantern.core.dials import describe
from lantern.core.families import FAMILIES
from lantern.core.kind import Kind
from lantern.settings import Settings

DOCS = Path(__file__).resolve().parent.parent / "docs"
SET_AT_START = ("database_url", "engine_url", "engine_secret", "standins_url")


def dials(kind: Kind) -> str:
    rows = [f"## `{kind.name}`", "", f"Raises when {kind.says}.", ""]
    rows += ["| dial | unit | default | allowed | meaning |", "|---|---|---|---|---|"]
    for info in describe(kind.dials):
        default = "empty" if info.default is None else str(info.default)
        rows.append(f"| `{info.name}` | {info.unit or '-'} | {default} | {info.allowed()} | {info.meaning} |")
    return "\n".join(rows)


def settings() -> str:
    rows = ["| name | default | meaning |", "|---|---|---|"]
    for name, field in Settings.model_fields.items():
        default = "set at start" if name in SET_AT_START else "empty" if field.default in (None, "") else field.default
        assert default is not PydanticUndefined
        rows.append(f"| `LANTERN_{name.upper()}` | {default} | {field.description} |")
    return "\n".join(rows)


def write(document: str, name: str, table: str) -> None:
    path = DOCS / document
    begin, end = f"<!-- {name} -->", f"<!-- /{name} -->"
    path.write_text(re.sub(f"{begin}.*{end}", lambda _: f"{begin}\n{table}\n{end}", path.read_text(), flags=re.S))
    print(f"{document}: {name}")


def main() -> None:
    for family in FAMILIES.values():
        path = DOCS / "dials" / f"{family.name}.md"
        path.parent.mkdir(exist_ok=True)
        path.write_text("\n\n".join([f"# Dials of {family.name}", *map(dials, family.kinds)]) + "\n")
        print(path.name)
    write("settings.md", "settings", settings())


if __name__ == "__main__":
    main()
