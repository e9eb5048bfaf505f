"""Jobs, done: what takes long runs in a worker, wherever that is, each job in a process of its own.

A job is a row that the page follows. Its process is killed when the row says cancel; when its worker is killed it is taken up
again, and not a third time.
"""

from __future__ import annotations

import asyncio
from collections.abc import AsyncIterator, Callable
from contextlib import asynccontextmanager, suppress
from functools import partial
from pathlib import Path
from typing import Any, cast

import procrastinate
import psycopg
import structlog
from sqlalchemy import select, text, update
from sqlalchemy.orm import Session

from lantern.bounds import Bounds
from lantern.child import Cancelled, Died, Stuck, run_in_child
from lantern.core.faults import Fault
from lantern.db.base import StoreAwayError, transaction
from lantern.db.migrate import plain_url
from lantern.demo.seed import run_demo
from lantern.jobs import app, defer_study
from lantern.live.tasks import Patience
from lantern.persons.erasing import open_again, run_erasure
from lantern.persons.gallery import push, waiting_devices
from lantern.persons.keeping import look as look_for_due
from lantern.persons.tables import ErasureRow
from lantern.preflight.looking import look_at_all
from lantern.recordings.actions import make_take
from lantern.recordings.tables import RecordingRow
from lantern.settings import settings
from lantern.sites.tables import SiteJobRow
from lantern.takes.actions import drop_abandoned_uploads, run_import
from lantern.takes.exports import ExportRow, drop_old_exports, run_export
from lantern.takes.tables import ImportRow
from lantern.tune.studies import judge_again, run_study
from lantern.tune.tables import StudyRow

log = structlog.get_logger()
AT_ONCE = 2
HEARTBEAT_S, LOOK_S = 1.0, 2.0
SILENT_S = 5.0  # a worker that was silent for so long is gone: its jobs are taken up again
ABANDONED_S = 600.0  # between two looks for uploads that nobody ended
PERSONS_S = 10.0
MOST_ATTEMPTS = 2
Row = type[ImportRow] | type[ExportRow] | type[StudyRow] | type[SiteJobRow] | type[RecordingRow] | type[ErasureRow]
AnyRow = ImportRow | ExportRow | StudyRow | SiteJobRow | RecordingRow | ErasureRow


def _get(session: Session, table: Row, row_id: int) -> AnyRow | None:
    """The job's row, locked."""
    return cast(AnyRow | None, session.get(table, row_id, with_for_update=True))


AMONG_JOBS = 20_260_101  # the first half of the keys by which a job is held by one worker alone
ELSEWHERE_S = 20.0


@app.task(name="import_take", queue="takes")
async def import_take(import_id: int) -> None:
    held = settings()
    bounds = Bounds(held.import_silent_s, held.import_memory_bytes)
    await _do(ImportRow, import_id, lambda folder: _import(import_id, folder), bounds)


@app.task(name="export_take", queue="takes")
async def export(export_id: int) -> None:
    await _do(ExportRow, export_id, lambda folder: run_export(export_id, folder))


@app.task(name="run_study", queue="studies")
async def study(study_id: int) -> None:
    await _do(StudyRow, study_id, lambda folder: run_study(study_id))


@app.task(name="set_demo_up", queue="sites")
async def set_demo_up(job_id: int) -> None:
    await _do(SiteJobRow, job_id, lambda folder: run_demo(job_id, folder))


@app.task(name="make_take", queue="takes")
async def take_of_recording(recording_id: int) -> None:
    await _do(RecordingRow, recording_id, lambda folder: make_take(recording_id))


@app.task(name="erase_person", queue="sites")
async def erasure(erasure_id: int) -> None:
    await _do(ErasureRow, erasure_id, lambda folder: run_erasure(erasure_id))


TASKS: dict[Any, Row] = {
    import_take: ImportRow,
    export: ExportRow,
    study: StudyRow,
    set_demo_up: SiteJobRow,
    take_of_recording: RecordingRow,
    erasure: ErasureRow,
}
ARGUMENT: dict[Row, str] = {
    ImportRow: "import_id",
    ExportRow: "export_id",
    StudyRow: "study_id",
    SiteJobRow: "job_id",
    RecordingRow: "recording_id",
    ErasureRow: "erasure_id",
}


def _import(import_id: int, folder: Path) -> None:
    take_id = run_import(import_id, folder)
    if take_id is not None:
        for study_id in judge_again(take_id):
            defer_study(study_id)


# ---- one job ---------------------------------------------------------------------------------------------------------


async def _do(table: Row, row_id: int, work: Callable[[Path], None], bounds: Bounds = Bounds()) -> None:
    """Do a job in a process of its own, unless another worker does; whatever becomes of it, its row says so."""
    async with _held_alone(table, row_id) as alone:
        if not alone:
            log.warning("job is done by another worker", table=table.__tablename__, id=row_id)
            return
        while await _stored(lambda: _begin(table, row_id)):
            try:
                await run_in_child(work, lambda: _wanted(table, row_id), bounds)
            except Cancelled:
                await _stored(lambda: _end(table, row_id, "cancelled", []))
            except Stuck as stuck:
                fault = Fault("the file", str(stuck), "a file that is whole, or a larger LANTERN_IMPORT_SILENT_S")
                await _stored(partial(_end, table, row_id, "refused", [fault.as_dict()]))
            except Died as died:
                log.error("job ended its process", table=table.__tablename__, id=row_id, cause=str(died))
                continue
            except StoreAwayError:
                await _stored(lambda: _uncount(table, row_id))
                continue
            except asyncio.CancelledError:  # the worker is told to end: no fault of the job
                with suppress(StoreAwayError):
                    _uncount(table, row_id)
                raise
            return


def _begin(table: Row, row_id: int) -> bool:
    """Count the attempt; returns whether there is to be one."""
    with transaction() as session:
        row = _get(session, table, row_id)
        if row is None or not row.open:
            return False
        if row.attempts >= MOST_ATTEMPTS:
            what = f"ended the program's worker {row.attempts} times"
            row.finish("failed", [Fault("program", what, "a look at the log, and a smaller or other input").as_dict()])
            return False
        row.attempts += 1
        return True


def _uncount(table: Row, row_id: int) -> None:
    """The attempt ended through no fault of its own."""
    with transaction() as session:
        session.execute(update(table).where(table.id == row_id).values(attempts=table.attempts - 1))


def _end(table: Row, row_id: int, state: str, faults: list[Any]) -> None:
    with transaction() as session:
        row = _get(session, table, row_id)
        if row is not None and row.open:
            row.finish(state, faults)


async def _wanted(table: Row, row_id: int) -> bool:
    """Return whether nobody has cancelled it. While the store is away, nobody has."""
    try:
        with transaction() as session:
            return session.scalar(select(table.cancel).where(table.id == row_id)) is False
    except StoreAwayError:
        return True


async def _stored(work: Callable[[], Any]) -> Any:
    """Do it in the store, as soon as that is there."""
    patience = Patience()
    while True:
        try:
            return work()
        except StoreAwayError as error:
            log.warning("a job waits for the store", error=str(error))
            await asyncio.sleep(patience.lose())


@asynccontextmanager
async def _held_alone(table: Row, row_id: int) -> AsyncIterator[bool]:
    """Hold a job so that no other worker does it too; the hold goes with this process, however it ends."""
    key = f"{table.__tablename__} {row_id}"
    loop, patience = asyncio.get_running_loop(), Patience()
    deadline, connection, alone = loop.time() + ELSEWHERE_S, None, False
    try:
        while not alone and loop.time() < deadline:
            try:
                if connection is None or connection.closed:
                    connection = await psycopg.AsyncConnection.connect(plain_url(), autocommit=True)
                asked = await connection.execute("SELECT pg_try_advisory_lock(%s, hashtext(%s))", [AMONG_JOBS, key])
                alone = (await asked.fetchone() or (False,))[0]
            except psycopg.OperationalError:
                deadline = loop.time() + ELSEWHERE_S
            if not alone:
                await asyncio.sleep(patience.lose())  # the server may not have noticed yet that the last holder is gone
        yield alone
    finally:
        if connection is not None:
            await connection.close()


# ---- the queue -------------------------------------------------------------------------------------------------------


async def work(stop: asyncio.Event) -> None:
    """Run jobs until told to stop; whatever fails, the store included, work goes on as soon as it can."""
    patience = Patience()
    while not stop.is_set():
        try:
            await _work(stop, patience)
        except Exception as error:
            again_in_s = patience.lose()
            log.error("the worker begins anew", error=repr(error), again_in_s=again_in_s)
            with suppress(TimeoutError):
                async with asyncio.timeout(again_in_s):
                    await stop.wait()


async def _work(stop: asyncio.Event, patience: Patience) -> None:
    connector = procrastinate.PsycopgConnector(conninfo=plain_url(), min_size=1, max_size=AT_ONCE + 2)
    with app.replace_connector(connector) as queue:
        async with queue.open_async():
            running = [
                asyncio.create_task(
                    queue.run_worker_async(
                        concurrency=AT_ONCE,
                        install_signal_handlers=False,
                        update_heartbeat_interval=HEARTBEAT_S,
                        stalled_worker_timeout=SILENT_S,
                        fetch_job_polling_interval=LOOK_S,
                        shutdown_graceful_timeout=0.5,
                    )
                ),
                asyncio.create_task(_take_up_again(queue, patience)),
                asyncio.create_task(_look_after_persons()),
                asyncio.create_task(_look_at_sites()),
                asyncio.create_task(stop.wait()),
            ]
            try:
                done, _ = await asyncio.wait(running, return_when=asyncio.FIRST_COMPLETED)
                for task in done:
                    task.result()
            finally:
                for task in running:
                    task.cancel()
                await asyncio.gather(*running, return_exceptions=True)


async def _take_up_again(queue: procrastinate.App, patience: Patience) -> None:
    """Jobs whose worker is gone, again and again: it may go, and come back, at any time."""
    looked, loop = 0.0, asyncio.get_running_loop()
    while True:
        for job in await queue.job_manager.get_stalled_jobs(seconds_since_heartbeat=SILENT_S):
            log.warning("a job is taken up again: its worker is gone", job=job.id, task=job.task_name)
            await queue.job_manager.retry_job(job)
        await queue.job_manager.prune_stalled_workers(SILENT_S)
        for task, table in TASKS.items():
            for row_id in _without_a_job(task.name, table):
                log.warning("a job is queued again: it was cut off", task=task.name, id=row_id)
                await task.defer_async(**{ARGUMENT[table]: row_id})
        if loop.time() - looked > ABANDONED_S:
            looked = loop.time()
            drop_abandoned_uploads()
            drop_old_exports()
        patience.rest()
        await asyncio.sleep(LOOK_S)


async def _look_at_sites() -> None:
    """Have the preflight look at each site that has changed and is at rest again; again and again."""
    before: dict[int, str] = {}
    while True:
        try:
            before = await asyncio.to_thread(look_at_all, before)
        except Exception as error:
            log.error("sites are looked at again in a while", error=repr(error))
        await asyncio.sleep(LOOK_S)


async def _look_after_persons() -> None:
    """Have go whose time is over, and devices hold whom they are to hold; again and again."""
    while True:
        try:
            await asyncio.to_thread(look_for_due)
            for device_id in await asyncio.to_thread(waiting_devices):
                await asyncio.to_thread(push, device_id)
            await asyncio.to_thread(open_again)  # they are queued as all that waits
        except Exception as error:
            log.error(
                "persons are looked after again in a while", error=type(error).__name__
            )  # its text may hold a name
        await asyncio.sleep(PERSONS_S)


def _without_a_job(task: str, table: Row) -> list[int]:
    """Rows that wait to be done, or say that they are being done, and that nobody does: the program ended in between."""
    query = text(
        f"SELECT id FROM {table.__tablename__} WHERE state IN ('waiting', 'reading', 'running') AND NOT EXISTS ("  # noqa: S608 - our own names
        "SELECT 1 FROM procrastinate_jobs WHERE task_name = :task AND status IN ('todo', 'doing') "
        f"AND (args->>'{ARGUMENT[table]}')::int = {table.__tablename__}.id) ORDER BY id"
    )
    with transaction() as session:
        return list(session.scalars(query, {"task": task}))
