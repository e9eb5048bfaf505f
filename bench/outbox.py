"""The outbox after a long life: a million events with two million orders, and what is asked of it every second or with each raise."""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator
from datetime import UTC, datetime

from bench.figures import Figure, percentile, sized
from bench.store import store

EVENTS = sized(1_000_000, 2_000)
OUTPUTS = 8
ROUNDS = sized(60, 3)
WISH_MS = 5.0
FILL = f"""
INSERT INTO event (detector_id, revision, region, raised_at, cleared_at, cleared_by, repeat, reading, why, own, outcome, because)
SELECT 1, 1, 'r', now() - interval '1 s' * ({EVENTS} - n), now() - interval '1 s' * ({EVENTS} - n), 'reading', false, 50, '{{}}', '{{}}', 'fired', ''
FROM generate_series(1, {EVENTS}) n;
INSERT INTO effect_order (event_id, link, device_id, "do", thing, body, names, attempts, at, length_s, priority, expire_s, stage, from_at, to_at,
  result, because)
SELECT n, l, 2, 'switch', 'lamp ' || mod(n, {OUTPUTS}), '{{}}', '{{}}', 0, now() - interval '1 s' * ({EVENTS} - n), 1, 5, 60, 'over',
       now() - interval '1 s' * ({EVENTS} - n), now() - interval '1 s' * ({EVENTS} - n), 'done', ''
FROM generate_series(1, {EVENTS}) n, (VALUES ('one'), ('other')) v(l);
INSERT INTO output_state (device_id, output, active, at, attempts, error)
SELECT 2, 'lamp ' || n, mod(n, 2) = 0, now(), 0, '' FROM generate_series(0, {OUTPUTS - 1}) n;
ANALYZE;
"""
OVER_ALL = """
SELECT DISTINCT ON (thing) thing, to_at FROM effect_order WHERE device_id = 2 AND result = 'done'
ORDER BY thing, from_at DESC, id DESC
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

    def acknowledged() -> None:
        with transaction() as session:
            outbox.acknowledge(session, 2, "lamp 0", datetime.now(UTC))

    def raised() -> None:
        turn = Turn("r", (Change("raise", 1.0),), State(raised=True), 60.0, {})
        record(Happening(1, 1, 1, datetime.now(UTC), turn), links)

    reference_ms = _median_ms(over_all, rounds=3)
    yield Figure(f"states of outputs, looked up in {2 * EVENTS:,} orders: reference", reference_ms, "ms")
    for what, work in (
        ("what is due, and what is on", lambda: outbox.look(2, datetime.now(UTC))),
        ("an acknowledgement", acknowledged),
        ("what an output said is kept", lambda: outbox.confirm(2, "lamp 0", True, datetime.now(UTC))),
    ):
        took_ms = _median_ms(work)
        yield Figure(what, took_ms, "ms", WISH_MS)
        yield Figure(f"{what}, of the reference", took_ms / reference_ms, "")
    yield Figure("a raise with its orders stored", _median_ms(raised), "ms")


def _median_ms(work: Callable[[], object], *, rounds: int = ROUNDS) -> float:
    times = []
    for _ in range(rounds):
        began = time.perf_counter()
        work()
        times.append((time.perf_counter() - began) * 1000)
    return percentile(times, 0.5)
