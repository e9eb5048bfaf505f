"""The outbox after a long life: a million events with two million effects, and what is asked of it every second or with each raise."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime

from bench.figures import Figure, percentile
from bench.store import store

EVENTS = 1_000_000
OUTPUTS = 8
ROUNDS = 60
WISH_MS = 5.0
FILL = f"""
INSERT INTO event (detector_id, revision, region, raised_at, cleared_at, cleared_by, repeat, reading, why, own, outcome)
SELECT 1, 1, 'r', now() - interval '1 s' * ({EVENTS} - n), now() - interval '1 s' * ({EVENTS} - n), 'reading', false, 50, '{{}}', '{{}}', 'fired'
FROM generate_series(1, {EVENTS}) n;
INSERT INTO effect (event_id, device_id, output, active, due_at, expires_at, state, attempts, next_try_at, delivered_at, note, holds)
SELECT n, 2, 'lamp ' || mod(n, {OUTPUTS}), a, now() - interval '1 s' * ({EVENTS} - n), now(), 'delivered', 1, now(),
       now() - interval '1 s' * ({EVENTS} - n), '', false
FROM generate_series(1, {EVENTS}) n, (VALUES (true), (false)) v(a);
INSERT INTO output_state SELECT 2, 'lamp ' || n, mod(n, 2) = 0, 1, now() FROM generate_series(0, {OUTPUTS - 1}) n;
ANALYZE;
"""
OVER_ALL = """
SELECT DISTINCT ON (output) output, active FROM effect WHERE device_id = 2 AND state = 'delivered'
ORDER BY output, delivered_at DESC, id DESC
"""


def run() -> Iterator[Figure]:
    with store():
        yield from _measured()


def _measured() -> Iterator[Figure]:
    from sqlalchemy import text

    from bench.live import site_of_cameras
    from lantern.core.decide import Change, State
    from lantern.core.watch import Turn
    from lantern.db.base import transaction
    from lantern.links.tables import armed_links
    from lantern.live import outbox
    from lantern.live.recorder import Happening, record

    site_of_cameras(relay_port=0, cameras=1)
    with transaction() as session:
        session.connection().exec_driver_sql(FILL)
    with transaction() as session:
        links = armed_links(session, 1, 1)

    def over_all() -> None:
        with transaction() as session:
            session.execute(text(OVER_ALL)).all()

    def latched() -> None:
        with transaction() as session:
            outbox.latched(session, 2, "lamp 0")

    def raised() -> None:
        turn = Turn("r", (Change("raise", 1.0),), State(raised=True), 60.0, {})
        record(Happening(1, 1, 1, datetime.now(UTC), turn), links)

    reference_ms = _median_ms(over_all, rounds=3)
    yield Figure(f"states of outputs, looked up in {2 * EVENTS:,} effects: reference", reference_ms, "ms")
    for what, work in (
        ("states of outputs", lambda: outbox.active_outputs(2)),
        ("is an output latched", latched),
        ("what is due", lambda: outbox.due_effects(2)),
    ):
        took_ms = _median_ms(work)
        yield Figure(what, took_ms, "ms", WISH_MS)
        yield Figure(f"{what}, of the reference", took_ms / reference_ms, "")
    yield Figure("a raise with its effects stored", _median_ms(raised), "ms")


def _median_ms(work: Callable[[], object], *, rounds: int = ROUNDS) -> float:
    times = []
    for _ in range(rounds):
        began = time.perf_counter()
        work()
        times.append((time.perf_counter() - began) * 1000)
    return percentile(times, 0.5)
