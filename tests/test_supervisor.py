"""The whole program started as by `./lantern up`: one at a time, kept running, stopped clean, nothing left however it ends."""

from __future__ import annotations

import asyncio
import json
import os
import signal
import socket
import ssl
import subprocess
import time
import urllib.request
from collections.abc import Callable, Iterator
from contextlib import suppress
from pathlib import Path
from typing import Any

import psycopg
import pytest

from conftest import LANTERN, open_folder
from lantern.cluster import DATABASE, free_port
from lantern.service import ServiceError, unit
from lantern.serving import server
from lantern.supervisor import _free, _listening, stopped_cluster
from loops import in_a_loop

PATIENCE_S = 120.0


def until(condition: Callable[[], bool]) -> None:
    deadline = time.monotonic() + PATIENCE_S
    while not condition():
        assert time.monotonic() < deadline, "it did not happen in time"
        time.sleep(0.1)


def answers(port: int, scheme: str = "http") -> bool:
    try:
        unverified = ssl._create_unverified_context() if scheme == "https" else None
        urllib.request.urlopen(f"{scheme}://127.0.0.1:{port}/health", timeout=1, context=unverified).close()
    except OSError:
        return False
    return True


def running() -> dict[int, int]:
    """Every process that is alive, and its parent. Only `stat` is read: to ask for a command line or an environment can wait without end for the memory of a process that is being taken down."""
    found = {}
    for entry in Path("/proc").glob("[0-9]*"):
        try:
            state, parent = (entry / "stat").read_text().rpartition(")")[2].split()[:2]
        except OSError:
            continue
        if state != "Z":
            found[int(entry.name)] = int(parent)
    return found


def family(of: int) -> set[int]:
    """A process and all that descend from it."""
    alive, found = running(), {of}
    while more := {pid for pid, parent in alive.items() if parent in found} - found:
        found |= more
    return found


@pytest.fixture
def state() -> Iterator[Path]:
    with open_folder() as folder:
        yield folder / "state"


def surroundings(state: Path) -> dict[str, str]:
    plain = {k: v for k, v in os.environ.items() if not k.startswith("LANTERN_")}
    return plain | {"LANTERN_STATE_DIR": str(state), "LANTERN_INGEST_PORT": str(free_port())}


def start(state: Path, port: int, *options: str) -> subprocess.Popen[str]:
    command = ["setpriv", "--pdeathsig", "TERM", str(LANTERN), "serve", "--port", str(port), *options]
    process = subprocess.Popen(
        command, env=surroundings(state), stdout=subprocess.PIPE, stderr=subprocess.STDOUT, text=True
    )
    until(lambda: process.poll() is not None or (is_up(state, process.pid) and answers(port)))
    return process


def is_up(state: Path, pid: int) -> bool:
    """Has this very process told where it is? What a killed one left behind tells of that one."""
    try:
        return (state / "supervisor.pid").read_text() == str(pid) and (state / "address").exists()
    except OSError:
        return False


def command(state: Path, *arguments: str) -> subprocess.CompletedProcess[str]:
    return subprocess.run(
        [LANTERN, *arguments], env=surroundings(state), capture_output=True, text=True, check=False, timeout=PATIENCE_S
    )


def parts(port: int) -> dict[str, dict[str, Any]]:
    with urllib.request.urlopen(f"http://127.0.0.1:{port}/health", timeout=5) as answer:
        return {part["name"]: part for part in json.load(answer)["parts"]}


def test_one_at_a_time_each_part_comes_back_alone_and_it_stops_clean(state: Path) -> None:
    """The database server comes back too, and all the others ride it out. Each start takes a while: one for all of this."""
    port = free_port()
    process = start(state, port)
    second = start(state, free_port())
    assert second.wait(PATIENCE_S) == 1
    assert "running already" in (second.stdout.read() if second.stdout else "")
    order = ["database", "web", "engine", "worker", "stand-ins"]
    first = dict(zip(order, map(int, (state / "parts.pid").read_text().split()), strict=True))
    for name in order:
        os.kill(first[name], signal.SIGKILL)

        def back(name: str = name) -> bool:
            try:
                return parts(port)[name]["starts"] == 2 and parts(port)[name]["running"]
            except OSError:
                return False

        until(back)
    page = f"http://127.0.0.1:{port}/login"

    def answers() -> bool:
        """It says 503 as long as the database server has not come back."""
        try:
            return urllib.request.urlopen(page, timeout=5).status == 200
        except OSError:
            return False

    until(answers)
    assert {part["starts"] for part in parts(port).values()} == {2}
    now = dict(zip(order, map(int, (state / "parts.pid").read_text().split()), strict=True))
    assert set(now.values()).isdisjoint(first.values())
    members = family(process.pid)
    process.send_signal(signal.SIGINT)
    assert process.wait(PATIENCE_S) == 0
    assert "Stopped." in (process.stdout.read() if process.stdout else "")
    until(lambda: members.isdisjoint(running()))
    assert "part ended" in (state / "lantern.log").read_text()


def test_killed_it_leaves_nothing_behind_and_starts_again_at_once(state: Path) -> None:
    """The supervisor alone, whose children the kernel ends; then every process at one time, as when the power fails."""
    port = free_port()
    process = start(state, port)
    for everything in (False, True):
        members = family(process.pid)
        assert len(members) > 3
        for pid in members if everything else {process.pid}:
            with suppress(ProcessLookupError):
                os.kill(pid, signal.SIGKILL)
        process.wait(PATIENCE_S)
        process = start(state, port)
        assert process.poll() is None, process.stdout and process.stdout.read()
        assert answers(port)
        assert members.isdisjoint(running())  # nothing of the killed one is left
    process.terminate()
    assert process.wait(PATIENCE_S) == 0


def certificate(folder: Path) -> tuple[str, str]:
    """Of its own making, as a site would begin with."""
    made = [folder / "cert.pem", folder / "key.pem"]
    subprocess.run(
        ["openssl", "req", "-x509", "-newkey", "rsa:2048", "-nodes", "-days", "2", "-subj", "/CN=bench.test",
         "-out", made[0], "-keyout", made[1]], check=True, capture_output=True,
    )  # fmt: skip
    return str(made[0]), str(made[1])


def test_with_a_certificate_pages_come_encrypted(state: Path, tmp_path: Path) -> None:
    port = free_port()
    cert, key = certificate(tmp_path)
    lone = command(state, "serve", "--port", str(port), "--certificate", cert)
    assert (lone.returncode, "go together" in lone.stderr) == (1, True)
    swapped = command(state, "serve", "--port", str(port), "--certificate", key, "--key", cert)
    assert (swapped.returncode, "cannot be used" in swapped.stderr) == (1, True)
    options = [
        "setpriv",
        "--pdeathsig",
        "TERM",
        LANTERN,
        "serve",
        "--port",
        str(port),
        "--certificate",
        cert,
        "--key",
        key,
    ]
    process = subprocess.Popen(options, env=surroundings(state), stdout=subprocess.PIPE, text=True)
    until(lambda: process.poll() is not None or is_up(state, process.pid))
    assert answers(port, "https")
    assert not answers(port, "http")
    process.terminate()
    assert process.wait(PATIENCE_S) == 0
    assert f"https://127.0.0.1:{port}" in (process.stdout.read() if process.stdout else "")


def test_a_backup_is_made_while_it_runs_and_put_back_while_it_does_not(state: Path, tmp_path: Path) -> None:
    target = tmp_path / "all.lantern"
    nothing = command(state, "backup", str(target))
    assert (nothing.returncode, "nothing in this folder yet" in nothing.stderr) == (1, True)
    process = start(state, free_port())
    assert command(state, "backup", str(target)).returncode == 0
    running = command(state, "restore", str(target))
    assert (running.returncode, "running already" in running.stderr) == (1, True)
    process.terminate()
    process.wait(PATIENCE_S)
    assert command(state, "restore", str(target)).returncode == 0  # nothing is there that could be lost
    with stopped_cluster(state) as cluster, psycopg.connect(cluster.address(DATABASE)) as connection:
        connection.execute(
            "INSERT INTO site (id, name, zone, demo, live, extras, recording_mb) "
            "VALUES (1, 'mine', 'UTC', false, true, '{}', 10)"
        )
    kept = command(state, "restore", str(target))
    assert (kept.returncode, "--overwrite replaces all of it" in kept.stderr) == (1, True)
    asked = command(state, "restore", str(target), "--overwrite")  # nobody answers
    assert asked.returncode == 1
    assert command(state, "restore", str(target), "--overwrite", "--yes").returncode == 0
    with stopped_cluster(state) as cluster, psycopg.connect(cluster.address(DATABASE)) as connection:
        assert connection.execute("SELECT count(*) FROM site").fetchone() == (0,)


def test_what_cannot_be_started_is_told_in_a_sentence(state: Path) -> None:
    beyond = command(state, "serve", "--port", "80000")
    assert beyond.returncode == 2
    assert "65535" in beyond.stderr
    assert "Traceback" not in beyond.stderr
    full = subprocess.run(  # a disk that takes one more megabyte
        ["bash", "-c", f"ulimit -f 1024; trap '' XFSZ; exec {LANTERN} serve --port {free_port()}"],
        env=surroundings(state), capture_output=True, text=True, check=False, timeout=PATIENCE_S,
    )  # fmt: skip
    assert full.returncode == 1
    assert "Traceback" not in full.stderr + full.stdout
    assert full.stderr.strip()


def test_the_service_unit_names_this_folder_and_restarts(tmp_path: Path) -> None:
    (tmp_path / "lantern").touch()
    text = unit(tmp_path, user="olu", options="--port 443")
    assert f"ExecStart={tmp_path}/lantern up --port 443\n" in text
    for line in ("User=olu", "Restart=always", "WantedBy=multi-user.target"):
        assert f"\n{line}\n" in text
    for wrong in ({"user": "a b"}, {"user": "x\nExecStart=/bin/sh"}, {"options": "%h"}):
        with pytest.raises(ServiceError):
            unit(tmp_path, **({"user": "", "options": ""} | wrong))
    with pytest.raises(ServiceError, match="no lantern to start"):
        unit(tmp_path / "elsewhere", user="", options="")


def test_the_way_in_for_devices_is_held_and_served_by_whoever_takes_over() -> None:
    """From the moment it is picked no other program can have it; a device that comes while nobody serves waits."""

    async def page(scope: Any, receive: Any, send: Any) -> None:
        await send({"type": "http.response.start", "status": 200, "headers": []})
        await send({"type": "http.response.body", "body": b"heard"})

    async def run() -> bytes:
        port = free_port()
        with _listening("127.0.0.1", port) as held:
            assert _free("127.0.0.1", port) != port
            device = socket.create_connection(("127.0.0.1", port), timeout=20)  # before anybody serves
            served = server(page, "127.0.0.1", port, listens=held)
            serving = asyncio.create_task(served.serve())
            device.sendall(b"GET / HTTP/1.1\r\nHost: here\r\nConnection: close\r\n\r\n")
            answer = await asyncio.to_thread(lambda: b"".join(iter(lambda: device.recv(4096), b"")))
            device.close()
            served.should_exit = True
            await serving
        return answer

    assert b"heard" in in_a_loop(run)
