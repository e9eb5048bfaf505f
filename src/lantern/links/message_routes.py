"""Messages of a site: a text, a sound that somebody brings, or a tone; measured before it is ever played, and heard in the browser."""

from __future__ import annotations

from dataclasses import asdict
from functools import partial
from typing import Any

from fastapi import APIRouter, Body, HTTPException, Query, Request
from fastapi.responses import Response
from pydantic import Field
from sqlalchemy.orm import Session
from starlette.concurrency import run_in_threadpool

from lantern.core.modelled import Strict
from lantern.core.spoken import Measured, Sound, tone
from lantern.db.base import transaction
from lantern.db.numbers import Id
from lantern.formats.documents import read_model
from lantern.formats.sounds import read_sound, write_wav
from lantern.links.actions import DELETED
from lantern.links.compounds import delete_message, save_message
from lantern.links.sounds import keep_sound, sound_of, sounds_of
from lantern.links.tables import MessageRow, MessageSoundRow, rows_of
from lantern.web.access import may, site_id_of
from lantern.web.answers import attachment, json_answer
from lantern.web.door import user_id
from lantern.web.outside import read_given

router = APIRouter()
WAV = "audio/wav"
MEDIA = {"wav": WAV, "flac": "audio/flac", "ogg": "audio/ogg", "oga": "audio/ogg"}


class Tone(Strict):
    """A tone by numbers."""

    name: str = Field(min_length=1, max_length=200)
    hertz: float
    length_s: float
    level_dbfs: float = -6.0


def messages_shown(session: Session, site_id: int) -> list[dict[str, Any]]:
    """Return the messages of a site, with what is known of their sounds."""
    sounds = sounds_of(session, site_id)
    return [_shown(row, sounds.get(row.name)) for row in rows_of(session, MessageRow, site_id)]


def _shown(row: MessageRow, sound: Measured | None) -> dict[str, Any]:
    if sound is None:
        return {"id": row.id, "sound": None, **row.body}
    told = {"below_db": sound.below_db(), "room_db": sound.room_db(), "is_quiet": sound.is_quiet()}
    return {"id": row.id, "sound": asdict(sound) | told, **row.body}


@router.post("/messages", **may("engineer", "made or changed a message"))
def keep_message(request: Request, document: dict[str, Any] = Body()) -> Response:
    with transaction() as session:
        row = save_message(session, site_id_of(request), document, user_id=user_id(request))
        return json_answer(_shown(row, None))


@router.post("/messages/sound", **may("engineer", "brought a sound of a message"))
async def bring_sound(
    request: Request, name: str = Query(min_length=1, max_length=200), file: str = Query(min_length=1, max_length=200)
) -> Response:
    """The body is a WAV, FLAC or OGG; a message of that name is made, or has it from now on."""
    data = await request.body()
    sound = await read_given(request, partial(read_sound, where=file), data, name=file)
    media = MEDIA.get(file.rsplit(".", 1)[-1].lower(), WAV)
    return await run_in_threadpool(_keep, request, name, file, data, media, sound)


@router.post("/messages/tone", **may("engineer", "made a tone"))
def make_tone(request: Request, document: dict[str, Any] = Body()) -> Response:
    asked = read_model(Tone, document, where="tone")
    sound = tone(asked.hertz, asked.length_s, level_dbfs=asked.level_dbfs)
    file = f"tone {asked.hertz:g} Hz.wav"
    return _keep(request, asked.name, file, write_wav(sound), WAV, sound)


def _keep(request: Request, name: str, file: str, data: bytes, media: str, sound: Sound) -> Response:
    with transaction() as session:
        row = keep_sound(session, site_id_of(request), name, file, data, media, sound, user_id(request))
        return json_answer(_shown(row, sounds_of(session, row.site_id).get(row.name)))


@router.get("/messages/{message_id}/sound", **may("viewer"))
def heard(message_id: Id) -> Response:
    """The sound as it was brought."""
    with transaction() as session:
        row, kept = session.get_one(MessageRow, message_id), _sound(session, message_id)
        return Response(kept.data, 200, attachment(row.model.file or row.name), kept.media)


def _sound(session: Session, message_id: int) -> MessageSoundRow:
    found = sound_of(session, message_id)
    if found is None:
        raise HTTPException(404, f"The message {message_id} has no sound.")
    return found


@router.delete("/messages/{message_id}", **may("engineer", "deleted a message"))
def drop_message(request: Request, message_id: Id) -> Response:
    with transaction() as session:
        row = session.get_one(MessageRow, message_id)
        delete_message(session, row, reason=DELETED, user_id=user_id(request))
        return json_answer({"deleted": message_id})
