"""Log files are put aside before they grow too large, whoever holds them open."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

from lantern.logs import KEPT, put_aside


def test_the_newest_are_kept_and_the_oldest_go(tmp_path: Path) -> None:
    path = tmp_path / "a.log"
    for number in range(KEPT + 3):
        path.write_text(f"{number} " + "x" * 100)
        assert put_aside(path, 50)
        assert not path.exists()
    kept = sorted(each.name for each in tmp_path.iterdir())
    assert kept == [f"a.log.{n}" for n in range(1, KEPT + 1)]
    assert (tmp_path / "a.log.1").read_text().startswith(f"{KEPT + 2} ")
    path.write_text("short")
    assert not put_aside(path, 50)


def test_one_that_is_held_open_is_emptied_in_its_place(tmp_path: Path) -> None:
    path = tmp_path / "a.log"
    with path.open("a") as held:
        held.write("x" * 100)
        held.flush()
        assert put_aside(path, 50, held_open=True)
        held.write("new")
    assert path.read_text() == "new"
    assert (tmp_path / "a.log.1").read_text() == "x" * 100


PROGRAM = """
import structlog, logging, sys
from pathlib import Path
from lantern.logs import logs_to, put_aside
path = Path(sys.argv[1])
logs_to(path)
log = structlog.get_logger("lantern.test")
log.info("first", code=1)
put_aside(path, 1)
log.warning("second")
logging.getLogger("other").warning("third of %s", 3)
try:
    1 / 0
except ZeroDivisionError:
    log.exception("fourth")
path.unlink(); path.mkdir()
log.warning("a disk that takes nothing stops nobody")
print("alive")
"""


def test_lines_go_to_the_new_file_and_a_failing_disk_stops_nobody(tmp_path: Path) -> None:
    path = tmp_path / "a.log"
    script = PROGRAM.replace("path.unlink()", "print(path.read_text()); path.unlink()")
    done = subprocess.run([sys.executable, "-c", script, path], capture_output=True, text=True, check=False)
    assert done.returncode == 0, done.stderr
    assert done.stdout.rstrip().endswith("alive")
    assert "event='first' code=1" in (tmp_path / "a.log.1").read_text()
    for words in ("event='second'", "event='third of 3'", "event='fourth'", "ZeroDivisionError"):
        assert words in done.stdout
