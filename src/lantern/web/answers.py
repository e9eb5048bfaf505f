"""JSON answers, by the fast encoder."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

import orjson
from fastapi.responses import Response


def json_answer(content: Any, status: int = 200, headers: Mapping[str, str] | None = None) -> Response:
    data = orjson.dumps(content, option=orjson.OPT_NON_STR_KEYS | orjson.OPT_SERIALIZE_NUMPY)
    return Response(data, status, dict(headers or {}), "application/json")
