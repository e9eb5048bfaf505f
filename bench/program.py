"""The whole program in a folder of its own, for measurements from outside."""

from __future__ import annotations

import atexit
import os
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator, Sequence
from contextlib import ExitStack, contextmanager
from pathlib import Path
from typing import Any

from bench.figures import SMALL
from lantern.cluster import free_port
from lantern.demo.skerrow import LOGIN, PASSWORD

START_S = 120.0
TOLD = 12  # lines of each of its logs
_shared = ExitStack()  # a program that several measurements look at, where their figures mean nothing


@contextmanager
def program() -> Iterator[tuple[str, Path]]:
    """Start the demo; gives its address and its folder; stops it at the end. At a small size one is enough for all, which may run
    already: `LANTERN_BENCH_PROGRAM` holds its address and its folder then.
    """
    if not SMALL:
        with _program() as running:
            yield running
        return
    if not _running and (given := os.environ.get("LANTERN_BENCH_PROGRAM")):
        address, folder = given.split(maxsplit=1)
        _running.append((address, Path(folder)))
    if not _running:
        _running.append(_shared.enter_context(_program()))
        atexit.register(_shared.close)
    yield _running[0]


_running: list[tuple[str, Path]] = []


@contextmanager
def _program() -> Iterator[tuple[str, Path]]:
    with tempfile.TemporaryDirectory(prefix="lantern-bench-") as name:
        Path(name).chmod(0o755)
        port = free_port()
        plain = {key: value for key, value in os.environ.items() if not key.startswith("LANTERN_")}
        environment = plain | {"LANTERN_STATE_DIR": f"{name}/state", "LANTERN_INGEST_PORT": str(free_port())}
        environment |= {"LANTERN_DEMO_SHARE": "0.54"} if SMALL else {}
        command = [
            "setpriv",
            "--pdeathsig",
            "TERM",
            str(Path(sys.executable).with_name("lantern")),
            "serve",
            "--demo",
            "--port",
            str(port),
        ]
        said = Path(name) / "said.txt"
        with said.open("w") as out:
            process = subprocess.Popen(command, env=environment, stdout=out, stderr=out)
        try:
            _started(process, f"http://127.0.0.1:{port}/health", [said, Path(name) / "state" / "lantern.log"])
            yield f"http://127.0.0.1:{port}", Path(name) / "state"
        finally:
            process.terminate()
            process.wait(30)


def _started(process: subprocess.Popen[bytes], health: str, told: Sequence[Path], wait_s: float = START_S) -> None:
    """Wait until it answers. Raises `RuntimeError` with how it ended or how long it was waited for, and with what it said last."""
    deadline = time.monotonic() + wait_s
    while True:
        try:
            urllib.request.urlopen(health, timeout=1).close()
            return
        except OSError as error:
            code = process.poll()
            if code is None and time.monotonic() < deadline:
                time.sleep(0.2)
                continue
            how = f"did not answer within {wait_s:g} s ({error})" if code is None else f"ended with code {code}"
            last = [
                line for path in told if path.exists() for line in path.read_text(errors="replace").splitlines()[-TOLD:]
            ]
            raise RuntimeError("\n  ".join([f"the program {how}; it said last:", *last])) from None


def logged_in(play: Any, address: str) -> Any:
    """A page of the demo's user in a browser of its own; its browser is `page.context.browser`."""
    browser = play.chromium.launch(
        executable_path="/usr/bin/chromium-headless-shell", args=["--no-sandbox", "--disable-gpu"]
    )
    page = browser.new_page(viewport={"width": 1280, "height": 800})
    page.goto(f"{address}/login")
    page.fill("#login", LOGIN)
    page.fill("#password", PASSWORD)
    page.get_by_role("button", name="Log in").click()
    page.wait_for_url(lambda url: "/login" not in url)  # to the site, or to the list of several
    return page
