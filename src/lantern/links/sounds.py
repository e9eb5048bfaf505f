"""The sounds of a site's messages: kept as they came, measured, and made into what a speaker takes."""

from __future__ import annotations

import shutil
import subprocess
from collections.abc import Mapping
from dataclasses import asdict, fields
from functools import lru_cache
from typing import Any

from sqlalchemy import select
from sqlalchemy.orm import Session

from lantern.core.effects.effect import filled
from lantern.core.faults import Fault, Refused
from lantern.core.spoken import Measured, Sound, laid_out, measured
from lantern.db.base import now, transaction
from lantern.formats.sounds import Coding, read_sound, write_wav
from lantern.links.compounds import save_message
from lantern.links.tables import MessageRow, MessageSoundRow, rows_of

RATES_HZ: Mapping[Coding, int] = {"pcm16": 16_000, "mu-law": 8_000, "a-law": 8_000}  # G.711: 8 kHz
VOICE = "espeak-ng"
VOICE_TIMEOUT_S = 30.0
KEPT = 16  # sounds that are laid out already


def keep_sound(
    session: Session, site_id: int, name: str, file: str, data: bytes, media: str, sound: Sound, user_id: int | None
) -> MessageRow:
    """Make a message of a sound, or give the one of that name another; how long it lasts is measured."""
    facts = measured(sound)
    document = {"name": name, "file": file, "length_s": facts.length_s}
    row = save_message(session, site_id, document, reason=f"The sound {file}.", user_id=user_id)
    told = asdict(facts) | {"rate_hz": sound.rate_hz, "channels": sound.samples.shape[1]}
    session.merge(MessageSoundRow(message_id=row.id, media=media, data=data, facts=told, at=now()))
    session.flush()
    _laid.cache_clear()
    return row


def sound_of(session: Session, message_id: int) -> MessageSoundRow | None:
    return session.get(MessageSoundRow, message_id)


def facts_of(session: Session, site_id: int) -> dict[int, dict[str, Any]]:
    """Return what is known of the sounds of a site's messages, by message."""
    query = select(MessageSoundRow.message_id, MessageSoundRow.facts).join(
        MessageRow, MessageRow.id == MessageSoundRow.message_id
    )
    found = session.execute(query.where(MessageRow.site_id == site_id))
    return {row.message_id: row.facts for row in found}


def sounds_of(session: Session, site_id: int) -> dict[str, Measured]:
    """Return what was measured of the sounds of a site's messages, by name."""
    facts = facts_of(session, site_id)
    keys = [each.name for each in fields(Measured)]
    return {
        row.name: Measured(**{key: facts[row.id][key] for key in keys})
        for row in rows_of(session, MessageRow, site_id)
        if row.id in facts
    }


def sound_for(site_id: int, body: Mapping[str, Any], names: Mapping[str, str], ability: Mapping[str, Any]) -> bytes:
    """Return what is posted to a speaker for an order of `say`: as often and as loud as it says, in what the speaker takes. Raises
    `Refused` where there is no such message, or nothing to be heard of it.
    """
    name = str(body["message"])
    with transaction() as session:
        row = session.scalar(select(MessageRow).where(MessageRow.site_id == site_id, MessageRow.name == name))
        if row is None:
            raise Refused([Fault("message", f"the site has no {name!r} any more", "one that it has")])
        message, kept = row.model, session.get(MessageSoundRow, row.id)
        data, stamp = (None, "") if kept is None else (kept.data, f"{row.id} {kept.at.isoformat()}")
    if data is None and message.text is None:
        raise Refused([Fault("message", f"{name}: nobody has brought {message.file} yet", "its sound, on its page")])
    coding: Coding = ability.get("sound", "pcm16")
    repeats, gain_db = int(body.get("repeats", 1)), float(body.get("gain_db", 0.0))
    if data is None:
        data = _voiced(filled(str(message.text), names))
        return _out(data, coding, repeats, gain_db)
    return _laid(stamp, data, coding, repeats, gain_db)


@lru_cache(maxsize=KEPT)
def _laid(stamp: str, data: bytes, coding: Coding, repeats: int, gain_db: float) -> bytes:
    return _out(data, coding, repeats, gain_db)


def _out(data: bytes, coding: Coding, repeats: int, gain_db: float) -> bytes:
    sound = read_sound(data, where="the sound")
    return write_wav(laid_out(sound, rate_hz=RATES_HZ[coding], repeats=repeats, gain_db=gain_db), coding)


def has_voice() -> bool:
    """Return whether this machine speaks texts."""
    return shutil.which(VOICE) is not None


@lru_cache(maxsize=KEPT)
def _voiced(text: str) -> bytes:
    """Return a text as it is spoken, as WAV. Raises `Refused` where nothing here speaks."""
    program = shutil.which(VOICE)
    if program is None:
        raise Refused([Fault("message", "nothing on this machine speaks a text", f"{VOICE}, or a sound of it")])
    done = subprocess.run(  # noqa: S603 - a fixed program; the text comes in by its input
        [program, "--stdin", "--stdout"], input=text.encode(), capture_output=True, check=False, timeout=VOICE_TIMEOUT_S
    )
    if done.returncode != 0 or not done.stdout:
        said = done.stderr.decode(errors="replace")[:120]
        raise Refused([Fault("message", f"{VOICE} did not speak it: {said}", "a sound of it")])
    return done.stdout
