"""What a stand-in needs seconds to work out, kept on disk for its next start. Made anew where the code that makes it has changed."""

from __future__ import annotations

import hashlib
import pickle
from collections.abc import Callable
from pathlib import Path
from typing import TypeVar

import structlog

log = structlog.get_logger()
Made = TypeVar("Made")
MAKERS = Path(__file__).parent


def kept(folder: Path, name: str, make: Callable[[], Made]) -> Made:
    """Return what `make` gives, from the folder if it is there. The folder is the program's own: nobody else writes to
    it.
    """
    digest = hashlib.sha256(b"".join(path.read_bytes() for path in sorted(MAKERS.glob("*.py")))).hexdigest()[:16]
    path = folder / f"{name}-{digest}.pickle"
    try:
        return pickle.loads(path.read_bytes())  # type: ignore[no-any-return] # noqa: S301 - our own file
    except (OSError, pickle.UnpicklingError, EOFError, AttributeError):
        made = make()
    try:
        folder.mkdir(parents=True, exist_ok=True)
        for old in folder.glob(f"{name}-*.pickle"):
            old.unlink()
        path.with_suffix(".new").write_bytes(pickle.dumps(made))
        path.with_suffix(".new").replace(path)
    except OSError as error:
        log.warning("not kept for the next start", name=name, error=str(error))
    return made
