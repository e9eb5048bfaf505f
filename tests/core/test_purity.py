"""The core brings in nothing of the rest, and of the outside only what computes; looked at in a fresh interpreter."""

from __future__ import annotations

import subprocess
import sys

ALLOWED = {
    "numpy",
    "scipy",
    "shapely",
    "pydantic",
    "pydantic_core",
    "annotated_types",
    "typing_extensions",
    "typing_inspection",
    "zoneinfo",
    "astral",
    "charset_normalizer",  # where it is installed, a part of numpy that scipy imports takes it in
    "tzdata",
}
SCRIPT = """
import sys
before = set(sys.modules)
import lantern.core.kinds, lantern.core.rehearsal, lantern.core.site, lantern.core.tuning.strips
for name in sorted(set(sys.modules) - before):
    module = sys.modules[name]
    if getattr(module, "__file__", None) and "site-packages" in module.__file__ or name.startswith("lantern"):
        print(name)
"""


def test_core_imports_only_what_computes() -> None:
    done = subprocess.run([sys.executable, "-c", SCRIPT], capture_output=True, text=True, check=True)
    names = done.stdout.split()
    outside = {name.split(".")[0] for name in names if not name.startswith("lantern")}
    assert {n for n in outside if not n.startswith("_")} - ALLOWED == set()
    assert [n for n in names if n.startswith("lantern.") and not n.startswith("lantern.core")] == []
