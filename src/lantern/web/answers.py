"""JSON answers, by the fast encoder."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any
from urllib.parse import quote

import orjson
from fastapi.responses import Response


def json_answer(content: Any, status: int = 200, headers: Mapping[str, str] | None = None) -> Response:
    data = orjson.dumps(content, option=orjson.OPT_NON_STR_KEYS | orjson.OPT_SERIALIZE_NUMPY)
    return Response(data, status, dict(headers or {}), "application/json")


def attachment(name: str) -> dict[str, str]:
    """The header that names a download; letters outside ASCII as in RFC 6266 and RFC 8187, with a plain name beside it."""
    plain = "".join(c if c.isascii() and c.isprintable() and c not in '"\\/' else "_" for c in name)
    exact = "" if plain == name else f"; filename*=UTF-8''{quote(name, safe='')}"
    return {"Content-Disposition": f'attachment; filename="{plain}"{exact}'}
