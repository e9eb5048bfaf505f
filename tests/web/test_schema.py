"""Every address of the program, called with whatever its own description allows and does not: nothing may fail inside.

By schemathesis, with a fixed seed, against web server and engine as they run, with a database of their own. Streams, which do not end, and
the log-out, which would end the run, are left out.
"""

from __future__ import annotations

import os
import subprocess
import sys
import urllib.request
from pathlib import Path

import httpx
import pytest

from lantern.cluster import free_port
from seeded import small_site
from web.test_door import form_token

SECONDS = 20
SERVE = "import sys; from lantern.parts import serve_web; serve_web('127.0.0.1', int(sys.argv[1]))"
DRIVE = (
    "import sys; from lantern.parts import serve_engine; serve_engine(int(sys.argv[1]), '127.0.0.1', int(sys.argv[2]))"
)
SCHEMATHESIS = Path(sys.executable).with_name("schemathesis")


@pytest.mark.timeout(600)
def test_no_request_makes_the_program_fail(database: str, tmp_path: Path) -> None:
    small_site(tmp_path)
    port, engine_port = free_port(), free_port()
    address = f"http://127.0.0.1:{port}"
    environment = os.environ | {"LANTERN_BODY_S": "5", "LANTERN_ENGINE_URL": f"http://127.0.0.1:{engine_port}"}
    environment |= {"LANTERN_TRY_WAIT_S": "0.5"}
    commands = [[SERVE, str(port)], [DRIVE, str(engine_port), str(free_port())]]
    parts = [subprocess.Popen([sys.executable, "-c", *each], env=environment) for each in commands]
    try:
        with httpx.Client(base_url=address, transport=httpx.HTTPTransport(retries=20), timeout=60) as client:
            token = form_token(client.get("/login").text)
            client.post("/login", data={"login": "ida", "password": "open sesame", "csrf": token})
            page = client.get("/sites/1/survey", headers={"accept": "text/html"}).text
            credentials = {"Cookie": f"lantern={client.cookies['lantern']}", "X-CSRF-Token": form_token(page)}
        command = [SCHEMATHESIS, "run", f"{address}/openapi.json", "--checks", "not_a_server_error"]
        command += ["--seed", "20260101", "--max-time", str(SECONDS), "--phases", "coverage,fuzzing"]
        command += [
            "--exclude-path-regex",
            "/stream$|^/logout$",
            "--continue-on-failure",
            "--warnings",
            "off",
            "--no-color",
        ]
        for name, value in credentials.items():
            command += ["--header", f"{name}: {value}"]
        done = subprocess.run(command, capture_output=True, text=True, cwd=tmp_path, check=False, timeout=500)
        assert done.returncode == 0, done.stdout[-20_000:] + done.stderr[-5_000:]
        assert "No issues found" in done.stdout, done.stdout[-5_000:]
        urllib.request.urlopen(f"{address}/health").close()  # it still answers
    finally:
        for part in parts:
            part.terminate()
        for part in parts:
            part.wait(30)
