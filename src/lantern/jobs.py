"""The job queue (procrastinate, in PostgreSQL): what takes long is queued here, and done by a worker, wherever that is."""

from __future__ import annotations

import procrastinate

from lantern.db.migrate import plain_url

app = procrastinate.App(connector=procrastinate.PsycopgConnector())


def defer_import(import_id: int) -> None:
    """Queue an import; from a thread of the web process."""
    _defer("import_take", "takes", import_id=import_id)


def defer_export(export_id: int) -> None:
    _defer("export_take", "takes", export_id=export_id)


def defer_study(study_id: int) -> None:
    _defer("run_study", "studies", study_id=study_id)


def defer_recording(recording_id: int) -> None:
    _defer("make_take", "takes", recording_id=recording_id)


def defer_erasure(erasure_id: int) -> None:
    _defer("erase_person", "sites", erasure_id=erasure_id)


def defer_demo(job_id: int) -> None:
    _defer("set_demo_up", "sites", job_id=job_id)


def _defer(task: str, queue_name: str, **arguments: int) -> None:
    connector = procrastinate.SyncPsycopgConnector(conninfo=plain_url())
    with app.replace_connector(connector) as queue, queue.open():
        queue.configure_task(task, queue=queue_name).defer(**arguments)
