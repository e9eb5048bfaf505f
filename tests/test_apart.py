"""Reading in a process of its own: it takes so much and no more, ends when nobody waits, and harms nobody by its end."""

from __future__ import annotations

import os
import signal
import subprocess
import sys
import time
from functools import partial
from pathlib import Path

import pytest

from lantern import apart
from lantern.apart import GivenUp, read_apart
from lantern.bounds import Bounds
from lantern.core.faults import Fault, Refused
from lantern.formats.documents import read_json

MIB = 1024**2
SPINS = "sum(iter(int, 1))"


def read(code: str, bounds: Bounds = Bounds(20.0, 200 * MIB)) -> object:
    return read_apart(eval, code, name="x.dxf", bounds=bounds)


def test_what_it_returns_comes_back_and_what_it_prints_does_not_disturb() -> None:
    assert read("[n * n for n in range(4)]") == [0, 1, 4, 9]
    assert read("(print('heard'), 7)[1]") == 7


def test_a_refusal_comes_back_as_the_reader_made_it() -> None:
    with pytest.raises(Refused) as refused:
        read_apart(partial(read_json, where="types.json"), b"{", name="types.json", bounds=Bounds(20.0))
    assert all(isinstance(fault, Fault) and fault.where.startswith("types.json") for fault in refused.value.faults)


@pytest.mark.parametrize(
    ("code", "bounds", "what"),
    [
        (SPINS, Bounds(1.0, 200 * MIB), "took 1 s of processor time"),
        ("bytearray(400 * 1024**2)", Bounds(20.0, 100 * MIB), "more memory than a reader may take"),
        ("__import__('os').abort()", Bounds(20.0), "ends it"),
        ("__import__('os')._exit(3)", Bounds(20.0), "it ended with code 3"),
        ("1 // 0", Bounds(20.0), "ZeroDivisionError"),
    ],
)
def test_what_takes_too_much_or_breaks_its_reader_is_refused(code: str, bounds: Bounds, what: str) -> None:
    with pytest.raises(Refused, match=what) as refused:
        read(code, bounds)
    assert refused.value.faults[0].where == "x.dxf"


def test_it_ends_soon_after_nobody_waits_and_so_does_one_that_waits_for_its_turn() -> None:
    began = time.monotonic()
    with pytest.raises(GivenUp):
        read_apart(eval, SPINS, name="x", bounds=Bounds(60.0), wanted=lambda: time.monotonic() - began < 1.0)
    assert time.monotonic() - began < 20  # generous: the machine may be starved; a cancel is measured by the bench
    for _ in range(apart.AT_ONCE):
        apart._turns.acquire()
    try:
        with pytest.raises(GivenUp):
            read_apart(eval, "1", name="x", bounds=Bounds(60.0), wanted=lambda: False)
    finally:
        for _ in range(apart.AT_ONCE):
            apart._turns.release()


def test_it_ends_with_whoever_started_it(tmp_path: Path) -> None:
    note = tmp_path / "pid"
    spins = f"(open({str(note)!r}, 'w').write(str(__import__('os').getpid())), {SPINS})"
    code = f"from lantern.apart import *; read_apart(eval, {spins!r}, name='x', bounds=Bounds(120.0))"
    with subprocess.Popen([sys.executable, "-c", code]) as parent:
        while not (note.exists() and note.read_text()):
            time.sleep(0.05)
        child = int(note.read_text())
        parent.send_signal(signal.SIGKILL)
    for _ in range(400):
        state = Path(f"/proc/{child}/stat")
        if not state.exists() or state.read_text().split()[2] == "Z":
            return
        time.sleep(0.05)
    os.kill(child, signal.SIGKILL)
    pytest.fail("the reader goes on")
