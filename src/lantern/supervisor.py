"""Starts everything and stops everything: the private database, web, worker, engine and stand-ins.

All parts are forked from this process once it has imported them, which costs the imports once; the kernel ends each part
when this process goes, however it goes.
"""

from __future__ import annotations

import ctypes
import fcntl
import os
import secrets
import signal
import socket
import sys
import time
import urllib.request
from collections.abc import Callable
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, TextIO

import structlog

from lantern.cluster import Cluster, free_port
from lantern.core.faults import LanternError
from lantern.parts import import_parts, logs_to, point_to_standins, serve_engine, serve_standins, serve_web, work
from lantern.settings import settings

PR_SET_PDEATHSIG = 1
PATIENCE_S = 120.0
DEFAULT_PORT = 8420


class StartError(LanternError):
    """The program could not be started; the message says what to do."""


@dataclass
class Supervisor:
    state_dir: Path
    host: str = "127.0.0.1"
    port: int | None = None
    demo: bool = False
    cluster: Cluster = field(init=False)
    children: dict[int, str] = field(default_factory=dict)
    _lock: TextIO | None = None
    _ending: bool = False

    def __post_init__(self) -> None:
        self.state_dir.mkdir(parents=True, exist_ok=True)
        self.cluster = Cluster(self.state_dir)

    def serve(self) -> int:
        """Start, say where, wait for Ctrl-C or the end of a part, stop. Gives the exit code."""
        self._take_lock()
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, self._end)
        try:
            self._start()
            return self._watch()
        except KeyboardInterrupt:
            return 0
        finally:
            self._stop()

    # ---- starting ----

    def _start(self) -> None:
        began = time.monotonic()
        port = self._port()
        self.cluster.start()
        engine_port, control_port, relay_port = free_port(), free_port(), free_port()
        os.environ |= {
            "LANTERN_DATABASE_URL": self.cluster.url,
            "LANTERN_STATE_DIR": str(self.state_dir.resolve()),
            "LANTERN_SECRET": self._secret(),
            "LANTERN_ENGINE_URL": f"http://127.0.0.1:{engine_port}",
            "LANTERN_STANDINS_URL": f"http://127.0.0.1:{control_port}" if self.demo else "",
            "OPENBLAS_NUM_THREADS": "1",
        }
        settings.cache_clear()
        database = self.state_dir / "database"
        database.touch(mode=0o600)
        database.write_text(self.cluster.url)
        logs_to(self.state_dir / "lantern.log")

        from lantern.db.base import engine
        from lantern.db.migrate import migrate

        migrate()
        tokens: dict[str, str] = {}
        if self.demo:
            from lantern.demo.seed import seed_if_missing

            if seed_if_missing():
                print(f"Seeded the demo site in {time.monotonic() - began:.0f} s.", flush=True)
            tokens = point_to_standins(relay_port, control_port)
        engine().dispose()  # no connection is shared with the parts
        import_parts()
        self._fork("web", lambda: serve_web(self.host, port))
        self._fork("engine", lambda: serve_engine(engine_port))
        self._fork("worker", work)
        if self.demo:
            self._fork("stand-ins", lambda: serve_standins(control_port, relay_port, engine_port, tokens))
        self._wait_for(
            f"http://127.0.0.1:{port}/health"
            if self.host in ("127.0.0.1", "0.0.0.0")  # noqa: S104 - compared, not bound
            else f"http://{self.host}:{port}/health"
        )
        (self.state_dir / "address").write_text(f"http://{self.host}:{port}\n")
        print(f"Rust Lantern is at http://{self.host}:{port} ({time.monotonic() - began:.1f} s)", flush=True)
        if self.demo:
            from lantern.demo.skerrow import LOGIN, PASSWORD

            print(f"Log in as {LOGIN} with the password {PASSWORD}. Ctrl-C stops everything.", flush=True)

    def _port(self) -> int:
        wanted = DEFAULT_PORT if self.port is None else self.port
        with socket.socket() as probe:
            probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
            try:
                probe.bind((self.host, wanted))
            except OSError as error:
                if self.port is not None:
                    raise StartError(
                        f"port {wanted} on {self.host} is taken or not allowed: {error.strerror}. Choose another with --port."
                    ) from error
                return free_port()
            port: int = probe.getsockname()[1]
            return port

    def _secret(self) -> str:
        path = self.state_dir / "secret"
        if not path.exists():
            path.touch(mode=0o600)
            path.write_text(secrets.token_urlsafe(32))
        return path.read_text()

    def _take_lock(self) -> None:
        self._lock = (self.state_dir / "lock").open("a+")
        os.set_inheritable(self._lock.fileno(), False)
        try:
            fcntl.flock(self._lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
        except OSError as error:
            raise StartError("It is running already from this folder. Stop it with ./lantern stop.") from error
        (self.state_dir / "supervisor.pid").write_text(str(os.getpid()))

    def _fork(self, name: str, part: Callable[[], None]) -> None:
        sys.stdout.flush()
        parent = os.getpid()
        pid = os.fork()
        if pid:
            self.children[pid] = name
            return
        code = 1
        try:
            ctypes.CDLL(None, use_errno=True).prctl(PR_SET_PDEATHSIG, signal.SIGTERM)
            if os.getppid() != parent:
                os._exit(1)
            os.setpgid(0, 0)  # Ctrl-C reaches the supervisor, which ends the parts in order
            for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
                signal.signal(number, signal.SIG_DFL)
            part()
            code = 0
        except BaseException:
            structlog.get_logger().exception("part ended", part=name)
        finally:
            os._exit(code)

    def _wait_for(self, url: str) -> None:
        deadline = time.monotonic() + PATIENCE_S
        while time.monotonic() < deadline:
            self._check_parts()
            try:
                with urllib.request.urlopen(url, timeout=1):  # noqa: S310 - our own address
                    return
            except OSError:
                time.sleep(0.05)
        raise StartError(
            f"the web server did not answer within {PATIENCE_S:.0f} s; see {self.state_dir / 'lantern.log'}"
        )

    # ---- running and ending ----

    def _watch(self) -> int:
        while True:
            time.sleep(0.3)
            self._check_parts()
            if self.cluster.process is not None and self.cluster.process.poll() is not None:
                raise StartError(f"the database server ended; see {self.state_dir / 'pg.log'}")

    def _check_parts(self) -> None:
        pid, status = os.waitpid(-1, os.WNOHANG) if self.children else (0, 0)
        if pid in self.children:
            name = self.children.pop(pid)
            raise StartError(
                f"{name} ended ({os.waitstatus_to_exitcode(status)}); see {self.state_dir / 'lantern.log'}"
            )

    def _end(self, number: int, frame: Any) -> None:
        if not self._ending:
            self._ending = True
            raise KeyboardInterrupt

    def _stop(self) -> None:
        self._ending = True
        for pid in self.children:
            os.kill(pid, signal.SIGTERM)
        deadline = time.monotonic() + 8
        while self.children and time.monotonic() < deadline:
            pid, _ = os.waitpid(-1, os.WNOHANG)
            self.children.pop(pid, None)
            if not pid:
                time.sleep(0.03)
        for pid in self.children:
            os.kill(pid, signal.SIGKILL)
            os.waitpid(pid, 0)
        self.children.clear()
        self.cluster.stop()
        for name in ("supervisor.pid", "address", "database"):
            (self.state_dir / name).unlink(missing_ok=True)
        print("Stopped.", flush=True)


def stop(state_dir: Path) -> bool:
    """End what runs from this folder; gives whether something did."""
    pid_file = state_dir / "supervisor.pid"
    if not pid_file.exists():
        return False
    pid = int(pid_file.read_text())
    command = Path(f"/proc/{pid}/cmdline")
    if not command.exists() or b"lantern" not in command.read_bytes():
        pid_file.unlink()
        return False
    os.kill(pid, signal.SIGTERM)
    deadline = time.monotonic() + PATIENCE_S
    while command.exists() and time.monotonic() < deadline:
        time.sleep(0.1)
    return True


def running_database(state_dir: Path) -> dict[str, str]:
    """The settings by which a command reaches the database of the program that runs from this folder."""
    path = state_dir / "database"
    if not path.exists():
        raise StartError("Nothing runs from this folder: start it with ./lantern demo or ./lantern up.")
    return {"LANTERN_DATABASE_URL": path.read_text(), "LANTERN_STATE_DIR": str(state_dir.resolve())}


def reset(state_dir: Path) -> None:
    """Delete the database of this folder."""
    stop(state_dir)
    Cluster(state_dir).remove()
