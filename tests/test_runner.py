"""The tests' own scheduler: a worker that dies costs one test, and never the run."""

from __future__ import annotations

from types import SimpleNamespace
from typing import Any

from conftest import BrowserTestsTogether

TESTS = [*(f"tests/browser/test_a.py::{name}" for name in "abc"), *(f"tests/test_b.py::{name}" for name in "defg")]


class Worker:
    shutting_down = False
    gateway = SimpleNamespace(id="gw")

    def __init__(self) -> None:
        self.sent: list[str] = []

    def send_runtest_some(self, indices: list[int]) -> None:
        self.sent += [TESTS[i] for i in indices]

    def shutdown(self) -> None:
        self.shutting_down = True


def scheduler(workers: list[Any], numnodes: int = 2) -> BrowserTestsTogether:
    config: Any = SimpleNamespace(
        getvalue=lambda name: ["popen"] * numnodes, option=SimpleNamespace(loadscopereorder=True), hook=None
    )
    made = BrowserTestsTogether(config)
    for worker in workers:
        made.add_node(worker)
        made.add_node_collection(worker, TESTS)
    made.schedule()
    return made


def test_the_browser_s_tests_go_to_one_worker() -> None:
    one, other = Worker(), Worker()
    scheduler([one, other])
    assert one.sent[:3] == TESTS[:3]
    assert not set(other.sent) & set(TESTS[:3])


def test_what_a_dead_worker_had_before_it_is_run_by_others_and_nothing_twice() -> None:
    one, other, fresh = Worker(), Worker(), Worker()
    made = scheduler([one, other])
    for test in other.sent[:1]:
        made.mark_test_complete(other, TESTS.index(test))
    made.mark_test_complete(one, 0)
    assert made.remove_node(one) == TESTS[1]
    made.add_node(fresh)
    made.add_node_collection(fresh, TESTS)
    made.schedule()
    workers = [other, fresh]
    for _ in TESTS:  # each is run as it comes
        for worker in workers:
            for test in worker.sent:
                if not made.assigned_work[worker][made._split_scope(test)][test]:
                    made.mark_test_complete(worker, TESTS.index(test))
    assert sorted(other.sent + fresh.sent + TESTS[:2]) == sorted(TESTS)
    assert not made.has_pending
    assert all(worker.shutting_down for worker in workers)
