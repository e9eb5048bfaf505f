#!/usr/bin/env python3
"""Fetch the browser files that ship with the program again, from pinned npm packages, and check their digests.

Usage: scripts/vendor.py [--accept]. Needs npm. Without --accept a package whose digest differs from vendor.json is refused.
"""

import hashlib
import json
import subprocess
import sys
import tarfile
import tempfile
from pathlib import Path

ROOT = Path(__file__).resolve().parent.parent
TARGET = ROOT / "src/lantern/web/static/vendor"
MANIFEST = Path(__file__).with_name("vendor.json")


def main() -> int:
    manifest = json.loads(MANIFEST.read_text())
    accept = "--accept" in sys.argv
    lines = ["Third-party browser files, made by scripts/vendor.py. Licences lie beside them.", ""]
    for entry in manifest:
        with tempfile.TemporaryDirectory() as folder:
            spec = f"{entry['name']}@{entry['version']}"
            subprocess.run(["npm", "pack", "-s", spec], cwd=folder, check=True, stdout=subprocess.DEVNULL)
            archive = next(Path(folder).glob("*.tgz"))
            digest = hashlib.sha256(archive.read_bytes()).hexdigest()
            if digest != entry.get("sha256") and not accept:
                print(f"{spec}: sha256 is {digest}, expected {entry.get('sha256')}", file=sys.stderr)
                return 1
            entry["sha256"] = digest
            base = ROOT / entry["into"] if "into" in entry else TARGET
            with tarfile.open(archive) as tar:
                for source, target in entry["files"].items():
                    member = tar.extractfile(f"package/{source}")
                    assert member is not None, source
                    path = base / target
                    path.parent.mkdir(parents=True, exist_ok=True)
                    path.write_bytes(member.read())
            lines.append(
                f"{entry['name']} {entry['version']}, {entry['licence']}: {', '.join(entry['files'].values())}"
            )
    MANIFEST.write_text(json.dumps(manifest, indent=2) + "\n")
    (TARGET / "VERSIONS.txt").write_text("\n".join(lines) + "\n")
    return 0


if __name__ == "__main__":
    sys.exit(main())
