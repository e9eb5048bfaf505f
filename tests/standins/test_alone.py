"""A stand-in alone, as a process of its own, posts to the address it is given with its token."""

from __future__ import annotations

import json
import subprocess
import sys
import threading
from collections.abc import Iterator
from http.server import BaseHTTPRequestHandler, HTTPServer
from pathlib import Path
from queue import Queue
from typing import Any

import pytest

LANTERN = Path(sys.executable).with_name("lantern")
Posted = tuple[str, str, dict[str, Any]]


@pytest.fixture
def address() -> Iterator[tuple[str, Queue[Posted]]]:
    got: Queue[Posted] = Queue()

    class Ingest(BaseHTTPRequestHandler):
        def do_POST(self) -> None:
            body = self.rfile.read(int(self.headers["Content-Length"]))
            got.put((self.path, self.headers["Authorization"], json.loads(body)))
            self.send_response(200)
            self.end_headers()
            self.wfile.write(b"{}")

        def log_message(self, *_: object) -> None:
            """Nothing on the tests' output."""

    server = HTTPServer(("127.0.0.1", 0), Ingest)
    thread = threading.Thread(target=server.serve_forever, daemon=True)
    thread.start()
    yield f"http://127.0.0.1:{server.server_port}/ingest/X9", got
    server.shutdown()
    server.server_close()


@pytest.mark.parametrize(
    ("device", "written"),
    [("face", "lantern-looks/1"), ("radar", "lantern-scan/1")],
)
def test_a_device_posts_to_where_it_is_told(device: str, written: str, address: tuple[str, Queue[Posted]]) -> None:
    url, got = address
    command = [str(LANTERN), "standin", device, "--to", url, "--token", "abc"]
    running = subprocess.Popen(command, stdout=subprocess.DEVNULL)
    try:
        path, said, document = got.get(timeout=60)
    finally:
        running.terminate()
        running.wait(20)
    assert (path, said) == ("/ingest/X9", "Bearer abc")
    assert document["format"] == written
