"""Somebody is erased: afterwards nothing is found of them, in no table, take, file of the database or export, nor after an older
backup is put back."""

from __future__ import annotations

import json
from collections.abc import Iterator
from pathlib import Path

import psycopg
import pytest
from sqlalchemy import select

from benches.faces.door import Door, day, door
from conftest import open_folder, use_database
from lantern.cluster import DATABASE, Cluster
from lantern.core.faults import Refused
from lantern.core.scoring.marks import Mark
from lantern.db.backup import back_up, restore
from lantern.db.base import engine, now, transaction
from lantern.db.migrate import migrate
from lantern.lists.actions import save_list
from lantern.lists.tables import ListRow
from lantern.live.late import keep_late
from lantern.live.tables import EventRow
from lantern.persons.actions import names_of
from lantern.persons.captures import Capture, keep, picture_of
from lantern.persons.erasing import erase, open_again, replay, replay_at, run_erasure
from lantern.persons.gallery import push
from lantern.persons.keys import key_folder, key_store
from lantern.persons.rotating import rotate_all
from lantern.persons.tables import ErasureRow, PersonRow, gallery_of, pending_at
from lantern.persons.traces import replaced
from lantern.signals.faces.signal import FaceLooks
from lantern.signals.faces.table import write_faces
from lantern.standins.likeness import drawing
from lantern.takes.actions import import_path
from lantern.takes.marking import add_marks
from lantern.takes.store import value_of_take
from lantern.takes.tables import TakeRow
from persons.served import NAME, Served, bound, enrolled, face, portrait, served

MEMBER = "p-77aa1234"


@pytest.fixture
def own() -> Iterator[Cluster]:
    """A server of its own, whose files can be searched."""
    with open_folder() as folder:
        made = Cluster(folder, durable=False)
        made.start()
        use_database(made.url, folder)
        migrate()
        yield made
        engine().dispose()
        made.stop()


@pytest.fixture
def at(own: Cluster, tmp_path: Path) -> Door:
    """A door where somebody is known by name and picture, and stands in all that the program keeps."""
    made = door(tmp_path)
    looks = FaceLooks().renamed(day(), "x1", MEMBER)
    assert looks is not None
    (tmp_path / "again.csv").write_text(write_faces(looks))
    sidecar = {"format": "lantern-take/1", "name": "Again", "kind": "faces", "device": "F1"}
    (tmp_path / "again.csv.json").write_text(json.dumps(sidecar | {"start": "2026-03-05T00:00:00+01:00"}))
    take = import_path(tmp_path / "again.csv", site_id=made.site)
    enrolled(made, MEMBER)
    keep(made.camera, [Capture("q1", 10.0, drawing(face(1)), MEMBER), Capture("q2", 10.0, drawing(face(2)))])
    keep_late(made.camera, "faces", 10.0, {"looks": [{"probe": "q3", "candidates": [[MEMBER, 81.0]]}]})
    with transaction() as session:
        add_marks(session, session.get_one(TakeRow, take), [Mark(1.0, 2.0, "expect", note=MEMBER)])
        row = session.get_one(ListRow, made.lists["barred"])
        why = f"{MEMBER} is on it now, as was asked."
        body = row.body | {"purpose": "For whom it may concern."}
        save_list(session, made.site, body, list_id=row.id, base=row.revision, reason=why, user_id=made.user)
        session.add(_event(made))
    return made


def _event(at: Door) -> EventRow:
    return EventRow(
        detector_id=at.detector, revision=1, region="", raised_at=now(), repeat=False, reading=91.0,
        why={"probe": "q1"}, own={"list": "barred"}, outcome="no link", because=f"{MEMBER} came.", object=MEMBER,
        device_t=10.0,
    )  # fmt: skip


def needles() -> list[bytes]:
    """The name, what devices call them, and a part of the pixels of their picture and of a look at them."""
    pixels = portrait(1).data
    return [NAME.encode(), MEMBER.encode(), pixels[pixels.index(b"IDAT") + 40 :][:24]]


def in_tables(address: str) -> dict[str, set[str]]:
    """Return in which tables each text stands, as they print, in every table of the database."""
    found: dict[str, set[str]] = {text: set() for text in (NAME, MEMBER)}
    with psycopg.connect(address) as connection:
        tables = connection.execute(
            "SELECT table_name FROM information_schema.tables WHERE table_schema = 'public' AND table_type = 'BASE TABLE'"
        ).fetchall()
        for (name,) in tables:
            for text, where in found.items():
                query = f'SELECT count(*) FROM "{name}" t WHERE strpos(t::text, %s) > 0'.encode()
                if connection.execute(query, [text]).fetchone()[0]:
                    where.add(name)
    return found


def in_takes() -> bool:
    with transaction() as session:
        values = [value_of_take(session, take) for take in session.scalars(select(TakeRow))]
        return any(MEMBER in value.candidate.words for value in values)


def in_files(*folders: Path) -> list[tuple[str, bytes]]:
    files = [path for folder in folders for path in folder.rglob("*") if path.is_file()]
    held = ((path.name, _bytes_of(path)) for path in files)
    return [(name, needle) for name, data in held for needle in needles() if needle in data]


def _bytes_of(path: Path) -> bytes:
    try:
        return path.read_bytes()
    except FileNotFoundError:  # the server has let go of it meanwhile
        return b""


def erased(at: Door, why: str = "They asked for it.") -> int:
    with transaction() as session:
        person = session.scalars(select(PersonRow).where(PersonRow.member == MEMBER)).one()
        return erase(session, person, why=why, user_id=at.user).id


def test_nothing_is_found_of_somebody_who_was_erased(own: Cluster, at: Door) -> None:
    address = own.address(DATABASE)
    before = in_tables(address)
    assert before[NAME] == set()  # sealed from the beginning
    assert {"event", "named_list", "revision", "mark", "late_sample", "person"} <= before[MEMBER]
    assert in_takes()
    assert MEMBER in {needle.decode("latin-1") for _, needle in in_files(own.data_dir)}
    with transaction() as session:
        person = session.scalars(select(PersonRow).where(PersonRow.member == MEMBER)).one()
        person_id, key_id = person.id, person.key_id
    assert key_id is not None
    key = key_store().of([key_id])[key_id]

    run_erasure(erased(at))

    assert in_tables(address) == {NAME: set(), MEMBER: set()}
    assert not in_takes()
    assert key_store().of([key_id]) == {}
    assert key not in b"".join(path.read_bytes() for path in key_folder().iterdir())
    with transaction() as session:
        gone = session.get_one(PersonRow, person_id)
        assert (gone.member, gone.key_id, gone.erased is not None) == (None, None, True)
        [row] = session.scalars(select(ErasureRow))
        assert (row.state, row.member) == ("done", None)
        assert row.counts["frame_block"] == 1
        # the evidence stands: the same looks and scores, of somebody whom nobody can find out any more
        take = session.scalars(select(TakeRow).where(TakeRow.name == "Again")).one()
        looks = value_of_take(session, take)
        assert looks.score.tolist() == day().score.tolist()
        assert [word for word in looks.candidate.words if word.startswith("erased-")]
    engine().dispose()
    assert in_files(own.data_dir, own.folder, key_folder()) == []


def test_an_older_backup_does_not_bring_them_back(own: Cluster, at: Door, tmp_path: Path) -> None:
    target = tmp_path / "older.lantern"
    engine().dispose()
    back_up(own.address(DATABASE), target)
    run_erasure(erased(at))
    engine().dispose()
    restore(own, target, replay_at)
    use_database(own.url, own.folder)
    assert in_tables(own.address(DATABASE)) == {NAME: set(), MEMBER: set()}
    assert not in_takes()
    with transaction() as session:
        [row] = session.scalars(select(ErasureRow))
        assert "backup" in row.why
        probes = list(session.scalars(select(PersonRow.member)))
    assert probes == [None]
    assert replay(engine()) == 0  # once is enough


def test_without_the_journal_the_backup_would(own: Cluster, at: Door, tmp_path: Path) -> None:
    """What the journal is for: a restore without it brings the name that devices have back, and nothing that can be opened."""
    target = tmp_path / "older.lantern"
    engine().dispose()
    back_up(own.address(DATABASE), target)
    run_erasure(erased(at))
    engine().dispose()
    restore(own, target)
    use_database(own.url, own.folder)
    assert in_tables(own.address(DATABASE))[MEMBER]
    assert in_tables(own.address(DATABASE))[NAME] == set()
    with transaction() as session:
        person = session.scalars(select(PersonRow).where(PersonRow.member == MEMBER)).one()
        assert names_of(session, [person]) == {person.id: None}


@pytest.fixture
def device(at: Door) -> Iterator[Served]:
    with served(at.token) as held:
        bound(at, held.url)
        push(at.camera)
        assert held.gallery.names == (MEMBER,)
        yield held


def test_devices_are_told(at: Door, device: Served) -> None:
    erasure = erased(at)
    run_erasure(erasure)
    assert device.gallery.names == ()
    with transaction() as session:
        row = session.get_one(ErasureRow, erasure)
        assert (row.devices, pending_at(session, erasure), row.member) == (["F1"], [], None)
        assert gallery_of(session, at.camera) == {}


def test_a_device_that_is_away_is_pending_and_all_is_cleared_again_once_it_was_told(
    own: Cluster, at: Door, device: Served
) -> None:
    device.away = True
    erasure = erased(at)
    run_erasure(erasure)
    with transaction() as session:
        assert pending_at(session, erasure) == ["F1"]
        session.add(_event(at))  # it still knows them, and says so
    assert in_tables(own.address(DATABASE))[MEMBER] >= {"event", "gallery", "erasure"}
    assert open_again() == []
    device.away = False
    push(at.camera)
    assert device.gallery.names == ()
    assert open_again() == [erasure]
    run_erasure(erasure)
    assert in_tables(own.address(DATABASE))[MEMBER] == set()


def test_who_is_erased_is_not_erased_again(at: Door) -> None:
    erased(at)
    with transaction() as session:
        person = session.scalars(select(PersonRow)).one()
        with pytest.raises(Refused, match="erased already"):
            erase(session, person, why="Again.", user_id=None)


@pytest.mark.parametrize(
    ("name", "text", "then"),
    [
        (
            "m-003",
            "m-003 came, and m-0031, m-003-b and xm-003 did not.",
            "gone came, and m-0031, m-003-b and xm-003 did not.",
        ),
        ("grey", "A grey door for grey.", "A grey door for grey."),  # a word like any other: only where it stands alone
        ("a.c-1", "a.c-1 is not abc-1", "gone is not abc-1"),
    ],
)
def test_a_name_is_replaced_where_it_is_that_name(at: Door, name: str, text: str, then: str) -> None:
    with transaction() as session:
        row = session.get_one(ListRow, at.lists["crew"])
        row.body = row.body | {"purpose": text, "members": [name, "other"], "colour": "green"}
        session.flush()
        replaced(session, at.site, name, "gone")
        body = session.get_one(ListRow, at.lists["crew"]).body
    assert body["purpose"] == then
    assert body["members"] == ["gone", "other"]
    assert body["colour"] == "green"


def test_a_name_of_another_site_is_left_alone(at: Door) -> None:
    with transaction() as session:
        assert replaced(session, at.site + 1, MEMBER, "gone") == {}


def test_other_keys_open_the_same_and_the_old_ones_nothing(at: Door) -> None:
    with transaction() as session:
        person = session.scalars(select(PersonRow).where(PersonRow.member == MEMBER)).one()
        old, person_id = person.key_id, person.id
    assert rotate_all() == 1
    with transaction() as session:
        person = session.get_one(PersonRow, person_id)
        assert person.key_id != old
        assert names_of(session, [person]) == {person_id: NAME}
        found = picture_of(session, at.camera, "q1")
        assert found is not None
        assert found[1] == drawing(face(1))
    assert old is not None
    assert key_store().of([old]) == {}
