"""Starts everything, keeps it running and stops everything: the private database, web, worker, engine and stand-ins.

All parts are forked from this process once it has imported them, which costs the imports once; the kernel ends each part
when this process goes, however it goes.
"""

from __future__ import annotations

import fcntl
import os
import secrets
import shutil
import signal
import socket
import ssl
import time
import urllib.request
from collections.abc import Iterator
from contextlib import contextmanager
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any, TextIO

import structlog

from lantern.cluster import DATABASE, Cluster, free_port
from lantern.core.faults import LanternError
from lantern.db.base import StoreAwayError
from lantern.logs import logs_to, put_aside
from lantern.parts import (
    LOOPBACK,
    import_parts,
    ingest_is_encrypted,
    own_certificate,
    serve_engine,
    serve_standins,
    serve_web,
    work,
)
from lantern.processes import PIDS, STANDING, Processes, end_left_overs, is_ours
from lantern.settings import settings

log = structlog.get_logger()
PATIENCE_S = 120.0
DEFAULT_PORT = 8420
BACKLOG = 128  # of devices that wait while an engine is started anew
LOOK_S = 0.1
LOGS_S = 30.0
LEFT_OVERS_S = 3.0
ENGINE_ENDS_S, PARTS_END_S = 8.0, 8.0


class StartError(LanternError):
    """The program could not be started; the message says what to do."""


@dataclass
class Supervisor:
    state_dir: Path
    host: str = "127.0.0.1"
    port: int | None = None
    demo: bool = False
    certificate: Path | None = None
    key: Path | None = None
    cluster: Cluster = field(init=False)
    processes: Processes = field(init=False)
    ingest: socket.socket | None = None  # for devices; open as long as the program runs
    _lock: TextIO | None = None
    _ending: bool = False

    def __post_init__(self) -> None:
        self.state_dir.mkdir(parents=True, exist_ok=True)
        self.cluster = Cluster(self.state_dir)

    def serve(self) -> int:
        """Start, say where, keep all parts running until told to end, stop. Returns the exit code."""
        self._lock = take_lock(self.state_dir)
        self.processes = Processes(self.state_dir, closing=[self._lock.fileno()])
        for number in (signal.SIGINT, signal.SIGTERM, signal.SIGHUP):
            signal.signal(number, self._end)
        try:
            self._start()
            self._watch()
        except KeyboardInterrupt:
            pass
        except StoreAwayError as error:
            free_mib = shutil.disk_usage(self.cluster.data_dir.parent).free // 2**20
            raise StartError(f"{error} {free_mib} MiB are free where its data lies; see {self.cluster.log}.") from error
        finally:
            self._stop()
        return 0

    # ---- starting ----

    def _start(self) -> None:
        began = time.monotonic()
        (self.state_dir / "supervisor.pid").write_text(str(os.getpid()))
        end_left_overs(self.state_dir, LEFT_OVERS_S)
        self._check_certificate()
        self._check_ports()
        self.cluster.start()
        self.processes.adopt("database", self.cluster.launch, self.cluster.pid)
        self._set_environment()
        database = self.state_dir / "database"
        database.touch(mode=0o600)
        database.write_text(self.cluster.url)
        logs_to(self.state_dir / "lantern.log")

        from lantern.db.backup import backup_before_migrating
        from lantern.db.base import engine
        from lantern.db.migrate import migrate
        from lantern.persons.erasing import replay

        backup_before_migrating(self.state_dir)
        migrate()
        replay(engine())  # however an older state of the data came back
        if self.demo:
            if self.host not in LOOPBACK:
                raise StartError(
                    "The demo's account has a password that everybody knows: it is not opened beyond loopback. "
                    "Use ./lantern up, and look at the demo from the page of sites."
                )
            from lantern.demo.seed import seed_if_missing

            if seed_if_missing():
                print(f"Seeded the demo site in {time.monotonic() - began:.0f} s.", flush=True)
        known = self._known_account()
        code = self._guard_accounts(known)
        engine().dispose()  # no connection is shared with the parts
        import_parts()
        port = (
            self._port()
        )  # only now: whoever picks ports while takes are simulated finds them taken when they are wanted
        ingest_host, ingest_port = self._ingest()
        self.ingest = _listening(ingest_host, ingest_port)
        engine_port, control_port, relay_port = free_port(), free_port(), free_port()
        self._set_ports(engine_port, control_port, ingest_port)
        self.processes.add("web", lambda: serve_web(self.host, port))
        self.processes.add("engine", lambda: serve_engine(engine_port, ingest_host, ingest_port, self.ingest))
        self.processes.add("worker", work)
        ingest_url = _ingest_url(ingest_host, ingest_port)
        self.processes.add("stand-ins", lambda: serve_standins(control_port, relay_port, ingest_url))
        self._wait_for_web(port)
        address = f"{self._scheme}://{self.host}:{port}"
        (self.state_dir / "address").write_text(f"{address}\n")
        print(f"Rust Lantern is at {address} ({time.monotonic() - began:.1f} s)", flush=True)
        print(f"Devices send their frames to {ingest_url}", flush=True)
        if code:
            print(f"Nobody has an account yet. The page asks for this code: {code}", flush=True)
        if known:
            from lantern.demo.skerrow import LOGIN, PASSWORD

            print(f"Log in as {LOGIN} with the password {PASSWORD}. Ctrl-C stops everything.", flush=True)

    def _guard_accounts(self, known: bool) -> str:
        """Beyond loopback nobody but who can read this console makes the first account; returns the code for that.

        Raises `StartError` where an account's password is one that everybody knows.
        """
        from lantern.db.base import transaction
        from lantern.demo.skerrow import LOGIN
        from lantern.people.accounts import nobody_yet

        if self.host in LOOPBACK:
            return ""
        if known:
            raise StartError(
                f"The account {LOGIN} has the demo's password, which everybody knows: it is not opened beyond loopback. "
                f"Set another with: ./lantern people password {LOGIN}"
            )
        with transaction() as session:
            code = f"{secrets.randbelow(10**8):08d}" if nobody_yet(session) else ""
        os.environ["LANTERN_SETUP_CODE"] = code
        settings.cache_clear()
        return code

    def _known_account(self) -> bool:
        """Return whether the demo's account still has the password that stands in the manual."""
        from lantern.db.base import transaction
        from lantern.demo.skerrow import LOGIN, PASSWORD
        from lantern.people.tables import user_by_password

        with transaction() as session:
            return user_by_password(session, LOGIN, PASSWORD) is not None

    @property
    def _scheme(self) -> str:
        return "http" if self.certificate is None else "https"

    def _set_ports(self, engine_port: int, control_port: int, ingest_port: int) -> None:
        """Set where the parts find each other, and what the pages tell of the way in."""
        os.environ |= {
            "LANTERN_ENGINE_URL": f"http://127.0.0.1:{engine_port}",
            "LANTERN_STANDINS_URL": f"http://127.0.0.1:{control_port}",
            "LANTERN_INGEST_PORT": str(ingest_port),
        }
        settings.cache_clear()

    def _set_environment(self) -> None:
        os.environ |= {
            "LANTERN_DATABASE_URL": self.cluster.url,
            "LANTERN_STATE_DIR": str(self.state_dir.resolve()),
            "LANTERN_ENGINE_SECRET": secrets.token_urlsafe(32),
            "OPENBLAS_NUM_THREADS": "1",
        }
        if self.certificate is not None:
            os.environ |= {"LANTERN_CERTIFICATE": str(self.certificate), "LANTERN_KEY": str(self.key)}
        settings.cache_clear()

    def _check_certificate(self) -> None:
        if (self.certificate is None) != (self.key is None):
            raise StartError("--certificate and --key go together: one is missing.")
        if self.certificate is None or self.key is None:
            return
        try:
            ssl.create_default_context(ssl.Purpose.CLIENT_AUTH).load_cert_chain(self.certificate, self.key)
        except (OSError, ssl.SSLError) as error:
            raise StartError(
                f"the certificate {self.certificate} with the key {self.key} cannot be used: {error}. "
                "Both must be PEM files, and belong together."
            ) from error

    def _check_ports(self) -> None:
        """Check the ports that somebody chose, and say what cannot be had before anything long begins."""
        if self.port is not None:
            self._port()
        if "LANTERN_INGEST_PORT" in os.environ:
            self._ingest()

    def _port(self) -> int:
        wanted = DEFAULT_PORT if self.port is None else self.port
        found = _free(self.host, wanted)
        if isinstance(found, int):
            return found
        if self.port is not None:
            raise StartError(
                f"port {wanted} on {self.host} is taken or not allowed: {found}. Choose another with --port."
            )
        return free_port()

    def _ingest(self) -> tuple[str, int]:
        """Return where devices send to. Only where nobody chose the port may it be another one."""
        held = settings()
        found = _free(held.ingest_host, held.ingest_port)
        if isinstance(found, int):
            return held.ingest_host, found
        if "LANTERN_INGEST_PORT" in os.environ:
            raise StartError(
                f"port {held.ingest_port} on {held.ingest_host}, where devices send to, is taken or not allowed: {found}. "
                "Choose another with LANTERN_INGEST_PORT."
            )
        print(f"Port {held.ingest_port} is taken: devices have another one this time.", flush=True)
        return held.ingest_host, free_port()

    def _wait_for_web(self, port: int) -> None:
        host = "127.0.0.1" if self.host == "0.0.0.0" else self.host  # noqa: S104 - compared, not bound
        trusted = own_certificate() if self.certificate is not None else None
        deadline = time.monotonic() + PATIENCE_S
        while time.monotonic() < deadline:
            self.processes.look()
            try:
                with urllib.request.urlopen(f"{self._scheme}://{host}:{port}/health", timeout=2, context=trusted):  # noqa: S310 - our own address
                    return
            except OSError:
                time.sleep(0.05)
        raise StartError(
            f"the web server did not answer within {PATIENCE_S:.0f} s; see {self.state_dir / 'lantern.log'}"
        )

    # ---- running and ending ----

    def _watch(self) -> None:
        logs_due = 0.0
        while True:
            time.sleep(LOOK_S)
            self.processes.look()
            if time.monotonic() > logs_due:
                logs_due = time.monotonic() + LOGS_S
                self._put_logs_aside()

    def _put_logs_aside(self) -> None:
        try:
            put_aside(self.state_dir / "lantern.log", settings().log_bytes)
            put_aside(self.cluster.log, settings().log_bytes, held_open=True)
        except OSError as error:
            log.warning("logs cannot be put aside", error=str(error))

    def _end(self, number: int, frame: Any) -> None:
        if not self._ending:
            self._ending = True
            raise KeyboardInterrupt

    def _stop(self) -> None:
        """The engine first, which switches outputs off, for which it needs the others; the database last."""
        self._ending = True
        self.processes.end("engine", within_s=ENGINE_ENDS_S)
        self.processes.end("web", "worker", "stand-ins", within_s=PARTS_END_S)
        self.cluster.stop()
        for name in ("supervisor.pid", "address", "database", STANDING, PIDS):
            (self.state_dir / name).unlink(missing_ok=True)
        print("Stopped.", flush=True)


def _listening(host: str, port: int) -> socket.socket:
    """A socket that devices can reach from now on, and that no other program can have."""
    made = socket.socket()
    made.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
    made.bind((host, port))
    made.listen(BACKLOG)
    return made


def _free(host: str, port: int) -> int | str:
    """The port, if it is free; else why it is not."""
    with socket.socket() as probe:
        probe.setsockopt(socket.SOL_SOCKET, socket.SO_REUSEADDR, 1)
        try:
            probe.bind((host, port))
        except OSError as error:
            return str(error.strerror or error)
        found: int = probe.getsockname()[1]
        return found


def _ingest_url(host: str, port: int) -> str:
    scheme = "wss" if ingest_is_encrypted(host) else "ws"
    return f"{scheme}://{'127.0.0.1' if host == '0.0.0.0' else host}:{port}"  # noqa: S104 - compared, not bound


def take_lock(state_dir: Path) -> TextIO:
    """One program a folder. Raises `StartError` while another runs; a program that was killed holds nothing."""
    lock = (state_dir / "lock").open("a+")
    deadline = time.monotonic() + LEFT_OVERS_S
    while True:
        try:
            fcntl.flock(lock, fcntl.LOCK_EX | fcntl.LOCK_NB)
            return lock
        except OSError as error:
            if _supervisor_runs(state_dir) or time.monotonic() > deadline:
                lock.close()
                raise StartError("It is running already from this folder. Stop it with ./lantern stop.") from error
        time.sleep(0.02)  # whom a supervisor left behind is about to end


def _supervisor_runs(state_dir: Path) -> bool:
    try:
        return is_ours(int((state_dir / "supervisor.pid").read_text()))
    except (OSError, ValueError):
        return False


def is_running(state_dir: Path) -> bool:
    try:
        take_lock(state_dir).close()
    except StartError:
        return True
    except OSError:
        pass
    return False


def stop(state_dir: Path) -> bool:
    """End what runs from this folder; returns whether something did."""
    pid_file = state_dir / "supervisor.pid"
    if not is_running(state_dir) or not pid_file.exists():
        return False
    os.kill(int(pid_file.read_text()), signal.SIGTERM)
    deadline = time.monotonic() + PATIENCE_S
    while is_running(state_dir) and time.monotonic() < deadline:
        time.sleep(0.1)
    return True


def running_database(state_dir: Path) -> dict[str, str]:
    """The settings by which a command reaches the database of the program that runs from this folder."""
    path = state_dir / "database"
    if not path.exists():
        raise StartError("Nothing runs from this folder: start it with ./lantern demo or ./lantern up.")
    return {"LANTERN_DATABASE_URL": path.read_text(), "LANTERN_STATE_DIR": str(state_dir.resolve())}


@contextmanager
def stopped_cluster(state_dir: Path) -> Iterator[Cluster]:
    """The database server alone, for work that needs the program to be stopped. Raises `StartError` while it runs."""
    state_dir.mkdir(parents=True, exist_ok=True)
    lock = take_lock(state_dir)
    cluster = Cluster(state_dir)
    try:
        end_left_overs(state_dir, LEFT_OVERS_S)
        cluster.start()
        yield cluster
    finally:
        cluster.stop()
        lock.close()


@contextmanager
def database_of(state_dir: Path) -> Iterator[str]:
    """The address of this folder's database, as the driver takes it, whether the program runs or not."""
    if is_running(state_dir):
        yield running_database(state_dir)["LANTERN_DATABASE_URL"].replace("postgresql+psycopg://", "postgresql://")
    elif Cluster(state_dir).exists:
        with stopped_cluster(state_dir) as cluster:
            yield cluster.address(DATABASE)
    else:
        raise StartError("There is nothing in this folder yet: start it with ./lantern demo or ./lantern up.")


def reset(state_dir: Path) -> None:
    """Delete the database of this folder."""
    stop(state_dir)
    Cluster(state_dir).remove()
