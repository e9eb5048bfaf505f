"""The job queue (procrastinate, in PostgreSQL): what takes long runs in a worker, wherever that is."""

from __future__ import annotations

import asyncio

import procrastinate

from lantern.db.migrate import plain_url

app = procrastinate.App(connector=procrastinate.PsycopgConnector())


@app.task(name="import_take", queue="takes", pass_context=False)
def import_take(import_id: int) -> None:
    from lantern.takes.actions import run_import
    from lantern.tune.studies import judge_again, run_study

    take_id = run_import(import_id)
    if take_id is not None:
        for study_id in judge_again(take_id):
            run_study(study_id)


@app.task(name="run_study", queue="studies", pass_context=False)
def study(study_id: int) -> None:
    from lantern.tune.studies import run_study

    run_study(study_id)


def defer_import(import_id: int) -> None:
    """Queue an import; from a thread of the web process."""
    _defer("import_take", "takes", import_id=import_id)


def defer_study(study_id: int) -> None:
    _defer("run_study", "studies", study_id=study_id)


def _defer(task: str, queue_name: str, **arguments: int) -> None:
    connector = procrastinate.SyncPsycopgConnector(conninfo=plain_url())
    with app.replace_connector(connector) as queue, queue.open():
        queue.configure_task(task, queue=queue_name).defer(**arguments)


async def work(stop: asyncio.Event) -> None:
    """Run jobs until told to stop. Jobs that an earlier worker left half-done are taken up again."""
    connector = procrastinate.PsycopgConnector(conninfo=plain_url(), min_size=1, max_size=3)
    with app.replace_connector(connector) as queue:
        async with queue.open_async():
            await _take_up_again(queue)
            worker = asyncio.create_task(queue.run_worker_async(concurrency=2, install_signal_handlers=False))
            await stop.wait()
            worker.cancel()
            await asyncio.gather(worker, return_exceptions=True)


async def _take_up_again(queue: procrastinate.App) -> None:
    for job in await queue.job_manager.get_stalled_jobs(seconds_since_heartbeat=30):
        await queue.job_manager.retry_job(job)
