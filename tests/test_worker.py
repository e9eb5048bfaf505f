"""Jobs in processes of their own: cancelled whatever they do, taken up again once, and no third time."""

from __future__ import annotations

import asyncio
import json
import os
import signal
import time
import zipfile
from collections.abc import Callable
from pathlib import Path

import pytest

from lantern import jobs, worker
from lantern.child import Bounds
from lantern.core.faults import Refused
from lantern.db.base import StoreAwayError, transaction
from lantern.formats.border import border
from lantern.formats.limits import MIB
from lantern.formats.progress import beat
from lantern.settings import settings
from lantern.takes import actions
from lantern.takes.tables import ImportRow, UploadPartRow
from lantern.tune.studies import begin_study
from lantern.tune.tables import DetectorRow, StudyRow
from lantern.tune.tuned import TunedDetector
from loops import in_a_loop
from seeded import Small
from takes_on_disk import pictures, raw, tiff_take

PATIENCE_S = 60.0


def an_import(small: Small) -> int:
    with transaction() as session:
        row = actions.begin_import(session, site_id=small.site, name="x.tif")
        actions.add_part(session, row, file="x.tif", part=0, data=b"no picture")
        actions.finish_upload(row)
        return row.id


def state_of(import_id: int) -> tuple[str, int, list[str]]:
    with transaction() as session:
        row = session.get_one(ImportRow, import_id)
        return row.state, row.attempts, [fault["what"] for fault in row.faults]


def do(import_id: int, work: Callable[[Path], None]) -> None:
    in_a_loop(lambda: worker._do(ImportRow, import_id, work))


def hangs(folder: Path) -> None:
    """In one call that no signal handler of Python's interrupts, and that looks at nothing."""
    import re

    signal.pthread_sigmask(signal.SIG_BLOCK, [signal.SIGTERM, signal.SIGINT])
    re.match(r"(a+)+$", "a" * 60 + "b")


def test_a_cancel_ends_a_job_whatever_it_does(small: Small) -> None:
    import_id = an_import(small)

    async def run() -> None:
        doing = asyncio.create_task(worker._do(ImportRow, import_id, hangs))
        await asyncio.sleep(0.5)
        assert not doing.done()
        with transaction() as session:
            session.get_one(ImportRow, import_id).state = "reading"
            session.get_one(ImportRow, import_id).ask_to_end()
        await asyncio.wait_for(doing, PATIENCE_S)  # the work itself never ends

    in_a_loop(run)
    assert state_of(import_id) == ("cancelled", 1, [])
    with transaction() as session:
        assert session.query(UploadPartRow).count() == 0


def test_a_job_that_ends_its_process_twice_is_not_tried_again_and_says_so(small: Small, tmp_path: Path) -> None:
    import_id, tries = an_import(small), tmp_path / "tries"

    def dies(folder: Path) -> None:
        with tries.open("a") as file:
            file.write("x")
        os.kill(os.getpid(), signal.SIGKILL)

    do(import_id, dies)
    assert tries.read_text() == "xx"
    assert state_of(import_id) == ("failed", 2, ["ended the program's worker 2 times"])
    do(import_id, dies)
    assert tries.read_text() == "xx"


def test_a_store_that_is_away_is_no_fault_of_the_job(small: Small, tmp_path: Path) -> None:
    import_id, tries = an_import(small), tmp_path / "tries"

    def away_at_first(folder: Path) -> None:
        count = len(tries.read_text()) if tries.exists() else 0
        tries.write_text("x" * (count + 1))
        if count < 4:
            raise StoreAwayError("away")
        actions.run_import(import_id, folder)

    do(import_id, away_at_first)
    assert tries.read_text() == "xxxxx"
    assert state_of(import_id)[:2] == ("refused", 1)


def test_its_folder_is_empty_and_is_gone_afterwards(small: Small, tmp_path: Path) -> None:
    note = tmp_path / "note"

    def looks(folder: Path) -> None:
        (folder / "left").write_text("behind")
        note.write_text(str(folder))

    do(an_import(small), looks)
    assert note.exists()
    assert not Path(note.read_text()).exists()


def test_two_workers_do_a_job_once(small: Small, tmp_path: Path) -> None:
    import_id, tries = an_import(small), tmp_path / "tries"

    def slowly(folder: Path) -> None:
        with tries.open("a") as file:
            file.write("x")
        time.sleep(1.0)
        actions.run_import(import_id, folder)

    async def both() -> None:
        await asyncio.gather(*(worker._do(ImportRow, import_id, slowly) for _ in range(2)))

    in_a_loop(both)
    assert tries.read_text() == "x"


def test_the_worker_takes_up_what_a_killed_one_left_and_what_was_never_queued(small: Small) -> None:
    """One job is held by a worker whose heart has stopped, another row waits without a job: both are done."""
    left, unqueued = an_import(small), an_import(small)
    jobs.defer_import(left)
    with transaction() as session:
        connection = session.connection()
        connection.exec_driver_sql("INSERT INTO procrastinate_workers (last_heartbeat) VALUES (now() - interval '6 s')")
        connection.exec_driver_sql(
            "UPDATE procrastinate_jobs SET status = 'doing', worker_id = (SELECT id FROM procrastinate_workers)"
        )
        row = session.get_one(ImportRow, left)
        row.state, row.attempts = "reading", 1

    async def run() -> None:
        stop, began = asyncio.Event(), time.monotonic()
        working = asyncio.create_task(worker.work(stop))
        while {state_of(left)[0], state_of(unqueued)[0]} != {"refused"}:
            assert time.monotonic() - began < PATIENCE_S
            await asyncio.sleep(0.05)
        stop.set()
        await working

    in_a_loop(run)
    assert state_of(left)[1] == 2


def test_a_study_is_cancelled_alike(small: Small) -> None:
    with transaction() as session:
        row = session.get_one(DetectorRow, small.detector)
        asked = {"detector": row.body, "takes": [small.take], "wishes": {}}
        study = begin_study(session, TunedDetector(row), "advice", asked)
        study_id = study.id
        study.state, study.cancel = "running", True
    in_a_loop(lambda: worker._do(StudyRow, study_id, hangs))
    with transaction() as session:
        assert session.get_one(StudyRow, study_id).state == "cancelled"


# ---- what an import may take -----------------------------------------------------------------------------------------


def test_an_import_that_gets_nowhere_is_ended_and_told_why(small: Small) -> None:
    import_id = an_import(small)
    in_a_loop(lambda: worker._do(ImportRow, import_id, hangs, Bounds(silent_s=0.5)))
    state, attempts, faults = state_of(import_id)
    assert (state, attempts) == ("refused", 1)
    assert faults == ["0.5 s of processor time without getting on"]
    with transaction() as session:
        assert session.query(UploadPartRow).count() == 0


def test_one_that_gets_on_is_not(small: Small, tmp_path: Path) -> None:
    """It works for three times as long as it may be silent, and says now and then that it gets on."""
    import_id = an_import(small)

    def works(folder: Path) -> None:
        began = time.process_time()
        while time.process_time() - began < 1.5:
            beat()
        actions.run_import(import_id, folder)

    in_a_loop(lambda: worker._do(ImportRow, import_id, works, Bounds(silent_s=0.5)))
    assert state_of(import_id)[2] != ["0.5 s of processor time without getting on"]
    assert state_of(import_id)[1] == 1


def test_memory_beyond_the_bound_is_refused_within_the_process(small: Small, tmp_path: Path) -> None:
    import_id, told = an_import(small), tmp_path / "told"

    def takes(folder: Path) -> None:
        few = bytearray(20 * MIB)
        try:
            with border("huge.tif"):
                bytearray(400 * MIB)
        except Refused as error:
            told.write_text(f"{len(few)} {error}")
        actions.run_import(import_id, folder)

    in_a_loop(lambda: worker._do(ImportRow, import_id, takes, Bounds(memory_bytes=100 * MIB)))
    assert told.read_text().startswith(f"{20 * MIB} huge.tif: needs more memory")


def test_two_uploads_that_hang_hold_up_no_good_one(
    small: Small, tmp_path: Path, monkeypatch: pytest.MonkeyPatch
) -> None:
    """Both places of the worker are taken by imports that never end; they are ended, and the good one beside them is stored."""
    hanging = [an_import(small), an_import(small)]
    tiff_take(tmp_path, raw(pictures(30)), "good.tif")
    with transaction() as session:
        row = actions.begin_import(session, site_id=small.site, name="good.tif")
        for part, name in enumerate(("good.tif", "good.tif.json")):
            actions.add_part(session, row, file=name, part=part, data=(tmp_path / name).read_bytes())
        actions.finish_upload(row)
        good = row.id
    run_import = actions.run_import
    monkeypatch.setattr(
        worker, "run_import", lambda i, folder: hangs(folder) if i in hanging else run_import(i, folder)
    )
    monkeypatch.setattr(settings(), "import_silent_s", 1.0)
    for import_id in (*hanging, good):
        jobs.defer_import(import_id)

    async def run() -> None:
        stop = asyncio.Event()
        working = asyncio.create_task(worker.work(stop))
        deadline = time.monotonic() + PATIENCE_S
        while [state_of(each)[0] for each in (*hanging, good)] != ["refused", "refused", "done"]:
            assert time.monotonic() < deadline, [state_of(each) for each in (*hanging, good)]
            await asyncio.sleep(0.05)
        stop.set()
        await working

    in_a_loop(run)
    assert state_of(hanging[0])[2] == ["1 s of processor time without getting on"]


def test_what_file_managers_leave_is_noted_at_the_import(small: Small, tmp_path: Path) -> None:
    tiff_take(tmp_path, raw(pictures(30)), "a.tif")
    info = json.loads((tmp_path / "a.tif.json").read_text()) | {"data": "a.tif"}
    with zipfile.ZipFile(tmp_path / "t.zip", "w") as archive:
        archive.writestr("take.json", json.dumps(info))
        archive.write(tmp_path / "a.tif", "a.tif")
        archive.writestr("__MACOSX/._a.tif", "x")
    with transaction() as session:
        row = actions.begin_import(session, site_id=small.site, name="t.zip")
        actions.add_part(session, row, file="t.zip", part=0, data=(tmp_path / "t.zip").read_bytes())
        actions.finish_upload(row)
        import_id = row.id
    (tmp_path / "work").mkdir()
    assert actions.run_import(import_id, tmp_path / "work") is not None
    with transaction() as session:
        assert session.get_one(ImportRow, import_id).notes == [
            "__MACOSX/._a.tif was skipped: a file manager left it there"
        ]
