"""One file holds everything: written and read back, refused where it is none, put back all or nothing; old data is brought up."""

from __future__ import annotations

import shutil
from collections.abc import Iterator
from pathlib import Path
from typing import Any

import psycopg
import pytest
from sqlalchemy import select

from conftest import open_folder, use_database
from lantern.cluster import DATABASE, Cluster
from lantern.core.faults import Refused
from lantern.db.backup import BackupError, back_up, backup_before_migrating, holds_data, restore, schema_in
from lantern.db.base import engine, transaction
from lantern.db.migrate import NewerSchemaError, migrate, newest_schema
from lantern.signals.register import signal_of
from lantern.takes.store import value_of_take
from lantern.takes.tables import TakeRow
from seeded import small_site

OLD = Path(__file__).parent / "dumps" / "0003.dump"
Rows = dict[str, list[dict[str, Any]]]


@pytest.fixture
def own() -> Iterator[Cluster]:
    """A server of its own, for a restore replaces its database."""
    with open_folder() as folder:
        made = Cluster(folder, durable=False)
        made.start()
        use_database(made.url, folder)
        yield made
        engine().dispose()
        made.stop()


def rows(address: str) -> Rows:
    """Every row of every table of ours, in the order of its key."""
    with psycopg.connect(address, row_factory=psycopg.rows.dict_row) as connection:
        tables = connection.execute(
            "SELECT table_name FROM information_schema.tables WHERE table_schema = 'public' "
            "AND table_name NOT LIKE 'procrastinate%' ORDER BY 1"
        ).fetchall()
        names = [table["table_name"] for table in tables]
        return {name: connection.execute(f'SELECT * FROM "{name}" t ORDER BY t::text').fetchall() for name in names}


def test_everything_comes_back_but_who_was_logged_in(own: Cluster, tmp_path: Path) -> None:
    migrate()
    small_site(tmp_path)
    address, target = own.address(DATABASE), tmp_path / "all.lantern"
    with psycopg.connect(address) as connection:
        connection.execute("INSERT INTO user_session VALUES ('\\x01', 1, 'x', now(), now(), 'here')")
    before = rows(address)
    assert len(before["take"]) == 1
    assert back_up(address, target) == target.stat().st_size
    engine().dispose()
    with psycopg.connect(address) as connection:
        connection.execute("DELETE FROM take")
        connection.execute("UPDATE site SET name = 'lost'")
    assert holds_data(own)
    restore(own, target)
    after = rows(address)
    assert after.pop("user_session") == []
    assert before.pop("user_session")
    assert after == before


def test_what_is_no_backup_or_a_broken_one_changes_nothing(own: Cluster, tmp_path: Path) -> None:
    migrate()
    small_site(tmp_path)
    address, target = own.address(DATABASE), tmp_path / "all.lantern"
    back_up(address, target)
    engine().dispose()
    before = rows(address)
    broken = tmp_path / "broken"
    data = target.read_bytes()
    broken.write_bytes(data[: len(data) * 3 // 4])
    with pytest.raises((BackupError, Refused)):
        restore(own, broken)
    for content in (b"", b"no backup", b"PGDMP" + b"\x00" * 40):
        broken.write_bytes(content)
        with pytest.raises(Refused, match="a backup made by lantern backup"):
            restore(own, broken)
    with pytest.raises(Refused, match="is no file"):
        schema_in(tmp_path / "nowhere")
    assert rows(address) == before
    restore(own, target)
    assert rows(address) == before


def test_a_backup_that_cannot_be_written_leaves_the_one_before(own: Cluster, tmp_path: Path) -> None:
    migrate()
    target = tmp_path / "kept"
    target.write_text("the one before")
    with pytest.raises(BackupError):
        back_up(own.address(DATABASE).replace("/lantern", "/no_such"), target)
    assert target.read_text() == "the one before"
    assert sorted(each.name for each in tmp_path.iterdir()) == ["kept"]
    with pytest.raises(BackupError, match="No backup was made"):
        back_up(own.address(DATABASE), target / "below")


# ---- schemas ---------------------------------------------------------------------------------------------------------


def test_an_older_program_refuses_newer_data(own: Cluster, tmp_path: Path) -> None:
    migrate()
    with psycopg.connect(own.address(DATABASE)) as connection:
        connection.execute("UPDATE alembic_version SET version_num = '9999'")
    engine().dispose()
    with pytest.raises(NewerSchemaError, match="newer version"):
        backup_before_migrating(tmp_path)
    back_up(own.address(DATABASE), tmp_path / "newer")
    with pytest.raises(NewerSchemaError):
        restore(own, tmp_path / "newer")


def test_detectors_of_one_name_on_a_site_are_told_apart_with_their_links_and_marks(
    own: Cluster, tmp_path: Path
) -> None:
    """Schema 0003 let two devices have detectors of one name; links and marks named them by it."""
    dump = tmp_path / "0003.dump"
    shutil.copyfile(OLD, dump)
    restore(own, dump)
    address = own.address(DATABASE)
    with psycopg.connect(address, row_factory=psycopg.rows.dict_row) as connection:
        first = connection.execute("SELECT * FROM detector ORDER BY id LIMIT 1").fetchone()
        assert first is not None
        take = connection.execute("SELECT * FROM take WHERE device_id != %s LIMIT 1", [first["device_id"]]).fetchone()
        assert take is not None
        [twin] = connection.execute(
            "INSERT INTO detector (device_id, name, kind, revision, body, verdict) "
            "SELECT %s, name, kind, revision, body, verdict FROM detector WHERE id = %s RETURNING id",
            [take["device_id"], first["id"]],
        )
        connection.execute(
            "INSERT INTO revision (detector_id, number, body, reason, scores, at) "
            "SELECT %s, number, body, reason, scores, at FROM revision WHERE detector_id = %s",
            [twin["id"], first["id"]],
        )
        drawn = '{"x": [1, 2], "y": [3], "misses": [[0, 2]], "false_alarms": [[3, 0]], "delay_s": [[1.5, null]]}'
        connection.execute(
            "INSERT INTO study (detector_id, what, asked, state, done, total, cancel, faults, result, created) "
            "SELECT %s, 'map', '{}', 'done', 1, 1, false, '[]', %s::jsonb, now()",
            [first["id"], drawn],
        )
        marked = "INSERT INTO mark (take_id, start_s, end_s, label, detector, note) VALUES (%s, 0, 1, 'expect', %s, '')"
        connection.execute(marked, [take["id"], first["name"]])
    migrate()
    engine().dispose()
    fresh = f"{first['name']} 2"
    after = rows(address)
    names = {row["id"]: row["name"] for row in after["detector"]}
    assert (names[first["id"]], names[twin["id"]]) == (first["name"], fresh)
    assert {
        row["body"]["name"]
        for row in after["revision"]
        if row["what"] == "detector" and row["subject_id"] == twin["id"]
    } == {fresh}
    name_of = {row["id"]: row["name"] for row in after["detector"]} | {None: ""}
    assert [name_of[row["detector_id"]] for row in after["mark"] if row["take_id"] == take["id"]][-1:] == [fresh]
    others = {name_of[row["detector_id"]] for row in after["mark"] if row["take_id"] != take["id"]}
    assert others <= {"", first["name"]}
    assert any("renamed a detector" in row["what"] for row in after["change"])  # and the site's log says so
    [drawn] = [row["result"] for row in after["study"] if row["what"] == "map"]
    assert drawn["values"] == {"misses": [[0, 2]], "false_alarms": [[3, 0]], "longest_delay_s": [[1.5, None]]}
    assert [measure["name"] for measure in drawn["measures"]] == list(drawn["values"])
    assert set(drawn) == {"x", "y", "values", "measures"}


def facts_by_hand(row: dict[str, Any]) -> dict[str, Any]:
    """What the columns of a take of before become, by its kind."""
    if row["kind"] == "series":
        return {"columns": row["columns"], "holds": row["columns"], "recorded": row["recorded"]}
    picture = {"width": row["width"], "height": row["height"]}
    if row["kind"] == "heat":
        return picture | {key: row[key] for key in ("dtype", "scale", "offset_c", "recorded")}
    return picture | {"holds": row["columns"]}


def test_landed_data_is_backed_up_and_brought_up_row_by_row(own: Cluster, tmp_path: Path) -> None:
    """The dump was made by the program of schema 0003: takes of each kind, events, effects in every state, jobs left half-done."""
    dump = tmp_path / "0003.dump"
    shutil.copyfile(OLD, dump)
    assert schema_in(dump) == "0003"
    restore(own, dump)
    address = own.address(DATABASE)
    before = rows(address)
    assert {name for name, held in before.items() if not held} == set()

    backup = backup_before_migrating(tmp_path)
    assert backup is not None
    assert schema_in(backup) == "0003"
    migrate()
    engine().dispose()
    assert backup_before_migrating(tmp_path) is None

    after = rows(address)
    assert after.pop("alembic_version") == [{"version_num": newest_schema()}]
    before.pop("alembic_version")
    dropped = before["upload_part"]  # of imports that have ended: what cancelled uploads had left behind
    before["upload_part"] = [part for part in dropped if part["import_id"] == 1]
    assert len(before["upload_part"]) == 1 < len(dropped)
    was = before.pop("take")  # what its signal says of a take moved into `facts`
    now = after["take"]
    assert {row["kind"] for row in was} == {"heat", "series", "tracks", "plan-tracks"} == {row["signal"] for row in now}
    own_columns = {"kind", "width", "height", "dtype", "scale", "offset_c", "recorded", "columns"}
    for old, new in zip(was, now, strict=True):
        assert {k: v for k, v in old.items() if k not in own_columns} == {
            k: new[k] for k in old if k not in own_columns
        }
        assert (old["kind"], new["facts"]) == (new["signal"], facts_by_hand(old))
    with transaction() as session:  # and they are read as before
        for take in session.scalars(select(TakeRow)):
            signal = signal_of(take.signal)
            value = value_of_take(session, take)
            assert (signal.samples(value), signal.length_s(value)) == (take.samples, pytest.approx(take.length_s))
            assert not signal.framed or sum(len(block) for block in value.blocks()) == take.samples
    names = {row["name"]: row["id"] for row in after["detector"]}
    for mark in before["mark"]:  # they speak of detectors by their numbers now; names that are no detector's stay
        mark["detector"] = "" if mark["detector"] in names else mark["detector"]
    assert {row["detector_id"] for row in after["mark"]} - {None} <= set(names.values())
    saved = {(row["what"], row["subject_id"], row["number"]): row for row in after["revision"]}
    for row in before["revision"] + before["detector"]:
        if row["body"]["kind"] == "count":  # counts had this re-arm time by default, and keep it
            row["body"]["dials"].setdefault("rearm_s", 5.0)
    for old in before.pop("revision"):  # of detectors
        new = saved.pop(("detector", old["detector_id"], old["number"]))
        assert (new["body"], new["reason"], new["facts"]) == (old["body"], old["reason"], {"scores": old["scores"]})
        assert (new["id"], new["user_id"], new["at"]) == (old["id"], old["user_id"], old["at"])
    for what in ("link", "timetable"):  # each begins with the state that it has
        for row in after[what]:
            new = saved.pop((what, row["id"], row["revision"]))
            assert (new["body"], new["name"], new["site_id"]) == (row["body"], row["name"], row["site_id"])
    assert not saved
    effects = before.pop("effect")
    ons = sorted((row["event_id"], row["output"], row["due_at"]) for row in effects if row["active"])
    assert ons == sorted((row["event_id"], row["thing"], row["at"]) for row in after["effect_order"])
    studied = [(row["id"], row.pop("detector_id")) for row in before["study"]]
    assert studied == [(row["id"], row["subject_id"]) for row in after["study"]]
    assert {row["sort"] for row in after["study"]} <= {"detector"}
    for table, held in before.items():
        kept = [{column: row[column] for column in held[0]} for row in after[table]]
        assert kept == held, table
    assert {row["revision"] for row in after["link"] + after["timetable"]} == {1}
    assert [row["demo"] for row in after["site"]] == [False]
    # Worked out by hand from the dump's effects: event 1's stop was acknowledged, event 2's and 3's stand, event 4's waits.
    stop, lamp = "stop", "lamp"
    holding = [row for row in after["effect_order"] if row["length_s"] is None and row["stage"] != "over"]
    assert sorted((row["event_id"], row["thing"]) for row in holding) == [(2, stop), (3, stop), (4, stop)]
    assert [(row["output"], row["active"]) for row in after["output_state"]] == [(lamp, True), (stop, True)]
