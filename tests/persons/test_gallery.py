"""What devices hold: given, taken over, let go; the difference is known while a device is away."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import Path

import pytest

from benches.faces.door import Door, door
from lantern.db.base import transaction
from lantern.devices.gallery import Gallery, GalleryError
from lantern.lists.actions import save_list
from lantern.lists.tables import ListRow
from lantern.persons.gallery import Difference, difference, push, waiting_devices
from lantern.persons.shown import gallery_shown
from lantern.persons.tables import PersonRow, secrets_of
from lantern.register.tables import DeviceRow
from lantern.standins.likeness import drawing
from persons.served import Served, bound, enrolled, face, portrait, served


@pytest.fixture
def at(database: str, tmp_path: Path) -> Door:
    return door(tmp_path)


@pytest.fixture
def device(at: Door) -> Iterator[Served]:
    with served(at.token) as held:
        bound(at, held.url)
        yield held


def left(at: Door) -> Difference:
    with transaction() as session:
        return difference(session, session.get_one(DeviceRow, at.camera))


def test_a_device_is_given_whom_its_lists_have_and_lets_go_who_left(at: Door, device: Served) -> None:
    enrolled(at, "x1")
    assert left(at) == Difference(given=("x1",), let_go=())
    assert waiting_devices() == [at.camera]
    assert not push(at.camera)
    assert device.gallery.names == ("x1",)
    with transaction() as session:
        assert "x1" in {row.member for row in session.query(PersonRow)}
        person = session.query(PersonRow).filter_by(member="x1").one()
        assert secrets_of(session, [person.id], "features")  # what the device made of it, sealed too
        shown = gallery_shown(session, session.get_one(DeviceRow, at.camera))
        assert (shown["held"], shown["without"], shown["algorithm"]) == (["x1"], ["x2"], "doorface 2.1")
        row = session.get_one(ListRow, at.lists["barred"])
        body = row.body | {"members": ["x2"]}
        save_list(session, at.site, body, list_id=row.id, base=row.revision, reason="Off.", user_id=at.user)
    assert left(at) == Difference(given=(), let_go=("x1",))
    assert not push(at.camera)
    assert device.gallery.names == ()


def test_another_picture_is_given_anew(at: Door, device: Served) -> None:
    enrolled(at, "x1", number=1)
    push(at.camera)
    first = device.gallery.members["x1"][1]
    enrolled(at, "x1", number=2)
    assert left(at).given == ("x1",)
    push(at.camera)
    assert device.gallery.members["x1"][1] == portrait(2).digest != first


def test_a_device_that_is_away_is_told_later_and_says_why(at: Door, device: Served) -> None:
    enrolled(at, "x1")
    device.away = True
    assert push(at.camera).given == ("x1",)
    with transaction() as session:
        assert gallery_shown(session, session.get_one(DeviceRow, at.camera))["trouble"] == "answers 401"
    device.away = False
    assert not push(at.camera)


def test_a_gallery_that_was_lost_is_found_out_and_filled_again(at: Door, device: Served) -> None:
    enrolled(at, "x1")
    push(at.camera)
    device.gallery.members.clear()
    assert not push(at.camera)
    assert device.gallery.names == ("x1",)


def test_whom_somebody_else_enrolled_there_is_shown_and_left_alone(at: Door, device: Served) -> None:
    device.gallery.give("of-the-neighbour", drawing(face(9)))
    push(at.camera)
    with transaction() as session:
        assert gallery_shown(session, session.get_one(DeviceRow, at.camera))["strange"] == ["of-the-neighbour"]
    assert device.gallery.names == ("of-the-neighbour",)


def test_a_picture_that_a_device_refuses_is_said_and_not_tried_for_ever(at: Door, device: Served) -> None:
    enrolled(at, "x1")
    with transaction() as session:  # a picture without a face
        import cv2
        import numpy as np

        from lantern.formats.portraits import read_portrait
        from lantern.persons.actions import Portrait, enrol

        plain = cv2.imencode(".png", np.full((200, 200), 128, np.uint8))[1].tobytes()
        enrol(
            session, at.site, member="x1", name=None, portrait=Portrait(*read_portrait(plain)), said=None, user_id=None
        )
    assert not push(at.camera)
    with transaction() as session:
        shown = gallery_shown(session, session.get_one(DeviceRow, at.camera))
    assert shown["refused"] == [["x1", "no face is found in it"]]


@pytest.mark.parametrize("url", ["http://192.0.2.7/gallery", "http://door.example/gallery"])
def test_pictures_leave_this_machine_encrypted_only(url: str) -> None:
    with pytest.raises(GalleryError, match="encrypted only"):
        Gallery(url, "t").give("x1", b"\x89PNG", "image/png")


def test_the_stand_in_says_what_is_wrong_with_a_picture() -> None:
    from lantern.standins.gallery import HeldGallery

    gallery = HeldGallery()
    gallery.give("a", drawing(face(1)))
    assert gallery.judged(drawing(face(1)))["duplicate_of"] == "a"
    assert gallery.judged(drawing(face(1)), "a")["duplicate_of"] is None
    assert gallery.judged(drawing(face(2)))["duplicate_of"] is None
    capped = gallery.judged(drawing(face(3), cap=True))
    assert not capped["accepted"]
    assert "covered" in capped["reasons"][0]
    assert gallery.scores(face(1))[0] == ("a", pytest.approx(99, abs=2))
