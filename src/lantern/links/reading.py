"""A text of an effect as it would have read of the newest event of its cause, before it is kept."""

from __future__ import annotations

from typing import Annotated, Any

from fastapi import APIRouter, Request
from fastapi.responses import Response
from pydantic import Field

from lantern.core.effects.effect import checked_text, filled
from lantern.core.faults import Fault, Refused
from lantern.core.logic.causes import Cause
from lantern.core.modelled import Strict
from lantern.db.base import transaction
from lantern.live.naming import names_of, newest
from lantern.web.access import may, site_id_of
from lantern.web.answers import json_answer

router = APIRouter()


class Asked(Strict):
    """`texts`: by the part of the effect that they are."""

    cause: Cause
    texts: dict[str, Annotated[str, Field(max_length=20_000)]] = Field(max_length=8)


@router.post("/link-text", **may("viewer"))
def read(request: Request, asked: Asked) -> Response:
    """The texts with the names of the newest event filled in. Refused for braces that name nothing; none of them where nothing came yet."""
    for key, text in asked.texts.items():
        try:
            checked_text(text)
        except ValueError as error:
            raise Refused([Fault(key, str(error), "names that are filled in, in braces")]) from error
    with transaction() as session:
        event = newest(session, site_id_of(request), asked.cause)
        if event is None:
            return json_answer({"texts": None, "at": None})
        names = names_of(session, event)
        texts: dict[str, Any] = {key: filled(text, names) for key, text in asked.texts.items()}
        return json_answer({"texts": texts, "at": event.raised_at.timestamp()})
