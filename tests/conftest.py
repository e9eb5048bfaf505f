"""Fixtures: a private database server a worker, a fresh database a test, and the whole program for the browser."""

from __future__ import annotations

import os
import shutil
import subprocess
import sys
import tempfile
import time
import urllib.request
from collections.abc import Iterator, Sequence
from contextlib import contextmanager
from dataclasses import replace
from pathlib import Path

import psycopg
import pytest
from argon2 import PasswordHasher
from hypothesis import HealthCheck
from hypothesis import settings as settings_of_examples
from xdist.scheduler import LoadScopeScheduling
from xdist.workermanage import WorkerController

from lantern.cluster import Cluster, free_port
from lantern.db.base import engine
from lantern.people import tables
from lantern.settings import settings
from lantern.tune.judging import MEMORY
from seeded import Small, small_site

CHROMIUM = "/usr/bin/chromium-headless-shell"  # Debian's, without the window that nobody sees: a third of the work less
LANTERN = Path(sys.executable).with_name("lantern")
START_S = 600
settings_of_examples.register_profile("starved", suppress_health_check=[HealthCheck.too_slow], deadline=None)
settings_of_examples.load_profile("starved")  # on a machine with too much to do a slow draw says nothing of the test
ROOM_BYTES = 6 * 2**30


# Those that share a program each worker starts one for; two such groups take half as long as one.
OWN_PROGRAM = ("test_own_site.py", "test_made_up.py")
SECOND = (
    "test_accessible.py",
    "test_pressed.py",
    "test_persons.py",
    "test_evidence.py",
    "test_controls.py",
    "test_pen.py",
)


class BrowserTestsTogether(LoadScopeScheduling):
    """Tests of the browser in two groups, each on one worker, for they share the one program that is running there, but for those that
    run another; every other test by itself.
    """

    def _split_scope(self, nodeid: str) -> str:
        file = nodeid.split("::", maxsplit=1)[0]
        if not file.startswith("tests/browser/"):
            return nodeid
        if file.endswith(OWN_PROGRAM):
            return file
        return "browser, second" if file.endswith(SECOND) else "browser"

    def remove_node(self, node: WorkerController) -> str | None:
        """When a worker has died: the test it died at, which is not tried again; what it had before it goes to others.

        The base class hands on what was done already, too; a worker that gets such a scope alone waits for ever.
        """
        work = self.assigned_work.pop(node)
        left = [(scope, test) for scope, tests in work.items() for test, done in tests.items() if not done]
        for scope, test in left[1:]:
            self.workqueue.setdefault(scope, {})[test] = False
        for other in self.nodes if left else []:
            self._reschedule(other)
        return left[0][1] if left else None


def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    """What takes longest begins first, or one worker waits for it at the end."""
    items.sort(key=lambda item: (not _shares_a_program(item.nodeid), "test_schema" not in item.nodeid))


def _shares_a_program(nodeid: str) -> bool:
    file = nodeid.split("::", maxsplit=1)[0]
    return file.startswith("tests/browser/") and not file.endswith(OWN_PROGRAM)


STARTED: list[subprocess.Popen[bytes]] = []


@pytest.hookimpl(trylast=True)
def pytest_runtest_teardown(item: pytest.Item, nextitem: pytest.Item | None) -> None:
    """A program that no later test looks at would take a part of the machine until the last test is over."""
    if _shares_a_program(item.nodeid) and (nextitem is None or not _shares_a_program(nextitem.nodeid)):
        for process in STARTED:
            process.terminate()
            process.wait(90)
        STARTED.clear()


def pytest_xdist_make_scheduler(config: pytest.Config, log: object) -> LoadScopeScheduling:
    return BrowserTestsTogether(config, log)


@contextmanager
def open_folder() -> Iterator[Path]:
    """A folder that the database server's own user can enter. Not under pytest's, which every later run closes to others. In memory
    where there is room: to copy a database takes a tenth of the time there.
    """
    memory = Path("/dev/shm")
    roomy = memory.is_dir() and os.access(memory, os.W_OK) and shutil.disk_usage(memory).free > ROOM_BYTES
    where = str(memory) if roomy else None
    with tempfile.TemporaryDirectory(prefix="lantern-test-", ignore_cleanup_errors=True, dir=where) as name:
        Path(name).chmod(0o711)
        yield Path(name)
        for beside in Path(name).parent.glob(
            f"{Path(name).name}*-keys"
        ):  # keys of persons lie beside a state, never in it
            shutil.rmtree(beside, ignore_errors=True)


@pytest.fixture(scope="session")
def cluster() -> Iterator[Cluster]:
    with open_folder() as folder:
        made = Cluster(folder, durable=False)
        made.start()
        yield made
        made.stop()


@pytest.fixture(scope="session", autouse=True)
def cheap_passwords() -> None:
    """Passwords of the tests' own users cost next to nothing: hundreds of tests log in."""
    tables._hasher = PasswordHasher(time_cost=1, memory_cost=8, parallelism=1)


def use_database(url: str, folder: Path) -> None:
    os.environ |= {"LANTERN_DATABASE_URL": url, "LANTERN_STATE_DIR": str(folder), "LANTERN_ENGINE_SECRET": "test"}
    settings.cache_clear()
    engine.cache_clear()
    MEMORY.forget()


@pytest.fixture(scope="session")
def template(cluster: Cluster, tmp_path_factory: pytest.TempPathFactory) -> str:
    """A migrated database to copy from."""
    from lantern.db.migrate import migrate

    use_database(cluster.url, tmp_path_factory.mktemp("state"))
    migrate()
    engine().dispose()
    return "lantern"


def copied(cluster: Cluster, template: str, name: str, folder: Path) -> str:
    """A new database like the template, in use from now on; gives its address."""
    address = cluster.url.replace("postgresql+psycopg://", "postgresql://").rsplit("/", 1)[0]
    with psycopg.connect(f"{address}/postgres", autocommit=True) as connection:
        connection.execute(f'CREATE DATABASE "{name}" TEMPLATE "{template}" STRATEGY FILE_COPY'.encode())
    url = f"{cluster.url.rsplit('/', 1)[0]}/{name}"
    use_database(url, folder)
    return url


def dropped(cluster: Cluster, name: str) -> None:
    """Hundreds of databases would fill the disk, and the machine's memory with what is written to it."""
    engine().dispose()
    address = cluster.url.replace("postgresql+psycopg://", "postgresql://").rsplit("/", 1)[0]
    with psycopg.connect(f"{address}/postgres", autocommit=True) as connection:
        connection.execute(f'DROP DATABASE "{name}" WITH (FORCE)'.encode())


@pytest.fixture
def database(cluster: Cluster, template: str, tmp_path: Path) -> Iterator[str]:
    """A fresh database for one test; gives its address."""
    name = f"t{time.monotonic_ns()}"
    yield copied(cluster, template, name, tmp_path)
    dropped(cluster, name)


@pytest.fixture(scope="session")
def seeded(cluster: Cluster, template: str, tmp_path_factory: pytest.TempPathFactory) -> tuple[str, Small]:
    """A database with the small site to copy from, for to seed it takes longer than most tests."""
    folder = tmp_path_factory.mktemp("seeded")
    copied(cluster, template, "seeded", folder)
    small = small_site(folder)
    engine().dispose()
    return "seeded", small


@pytest.fixture
def small(cluster: Cluster, seeded: tuple[str, Small], tmp_path: Path) -> Iterator[Small]:
    """A fresh database for one test, with the small site in it."""
    template, small = seeded
    name = f"t{time.monotonic_ns()}"
    copied(cluster, template, name, tmp_path)
    yield replace(small)
    dropped(cluster, name)


@pytest.fixture(scope="session")
def program_folder() -> Iterator[Path]:
    """Where the program of the demo site keeps all that it has."""
    with open_folder() as folder:
        yield folder / "state"


@pytest.fixture(scope="session")
def program(program_folder: Path) -> Iterator[str]:
    """The whole program with the demo site (half of each take), as a user starts it; gives its address."""
    yield from running(program_folder, "--demo")


@pytest.fixture
def empty_program() -> Iterator[str]:
    """The whole program with nothing in it, as on a fresh machine; gives its address."""
    with open_folder() as folder:
        yield from running(folder / "state", LANTERN_INGEST_PORT=str(free_port()))


def running(state: Path, *options: str, command: Sequence[str] = (str(LANTERN),), **given: str) -> Iterator[str]:
    """The program as long as its address is in use; `given`: settings."""
    port = free_port()
    environment = {k: v for k, v in os.environ.items() if not k.startswith(("LANTERN_", "PYTHONDONTWRITE"))}
    environment |= {"LANTERN_STATE_DIR": str(state), "LANTERN_DEMO_SHARE": "0.54"} | given
    # the kernel ends it with this process, however this process ends; and it ends all it started
    whole = ["setpriv", "--pdeathsig", "TERM", *command, "serve", *options, "--port", str(port)]
    with (state.parent / "out.txt").open("w") as out:
        process = subprocess.Popen(whole, env=environment, stdout=out, stderr=out)
    STARTED.append(process)
    address = f"http://127.0.0.1:{port}"
    try:
        deadline = time.monotonic() + START_S
        while True:
            try:
                urllib.request.urlopen(f"{address}/health", timeout=1).close()
                break
            except OSError:
                if process.poll() is not None or time.monotonic() > deadline:
                    pytest.fail((state.parent / "out.txt").read_text(), pytrace=False)
                time.sleep(0.2)
        yield address
    finally:
        process.terminate()
        process.wait(90)
        if process in STARTED:
            STARTED.remove(process)


# ---- the browser -----------------------------------------------------------------------------------------------------


@pytest.fixture(scope="session")
def browser_type_launch_args() -> dict[str, object]:
    quiet = ["--no-sandbox", "--disable-gpu", "--disable-quic", "--no-first-run", "--disable-background-networking"]
    return {"executable_path": CHROMIUM, "args": [*quiet, "--disable-component-update", "--disable-sync"]}


@pytest.fixture(scope="session")
def browser_context_args(program: str) -> dict[str, object]:
    return {"base_url": program, "viewport": {"width": 1280, "height": 800}, "color_scheme": "light"}
