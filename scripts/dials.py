"""Write the tables of dials in docs/files.md anew from the kinds' models."""

from __future__ import annotations

import re
from pathlib import Path

from lantern.core.dials import describe
from lantern.core.kinds import KINDS

FILES = Path(__file__).resolve().parent.parent / "docs/files.md"


MODELS = {name: kind.dials for name, kind in KINDS.items()}


def table(kind: str) -> str:
    rows = [
        f"### Dials of the kind `{kind}`",
        "",
        "| dial | unit | default | allowed | meaning |",
        "|---|---|---|---|---|",
    ]
    for info in describe(MODELS[kind]):
        default = "empty" if info.default is None else str(info.default)
        rows.append(f"| `{info.name}` | {info.unit or '-'} | {default} | {info.allowed()} | {info.meaning} |")
    return "\n".join(rows)


def main() -> None:
    text = FILES.read_text()
    tables = "\n\n".join(table(kind) for kind in MODELS)
    begin, end = "<!-- dials -->", "<!-- /dials -->"
    FILES.write_text(re.sub(f"{begin}.*{end}", f"{begin}\n{tables}\n{end}", text, flags=re.S))
    print(f"{FILES.name}: {', '.join(MODELS)}")


if __name__ == "__main__":
    main()
