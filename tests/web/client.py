"""A client of the web application to whom addresses are those of the first site, as scripts of its pages have them."""

from __future__ import annotations

from typing import Any

import httpx
from fastapi.testclient import TestClient

OF_A_SITE = (
    "/survey",
    "/takes",
    "/bench",
    "/links",
    "/rehearse",
    "/walk",
    "/compare",
    "/timetables",
    "/marks",
    "/counts",
)
OF_A_SITE += (
    "/lists",
    "/people-lists",
    "/persons",
    "/members",
    "/revisions",
    "/detectors",
    "/studies",
    "/events",
    "/places",
    "/devices",
    "/recording",
    "/lead",
    "/plan",
    "/diff",
)
SITE = "/sites/1"


class AtSite(TestClient):
    def request(self, method: str, url: Any, **named: Any) -> httpx.Response:
        at_site = isinstance(url, str) and url.startswith(OF_A_SITE)
        return super().request(method, f"{SITE}{url}" if at_site else url, **named)


def words_of(answer: httpx.Response) -> str:
    """Return a page with each run of white space as one blank, as a browser shows it."""
    return " ".join(answer.text.split())
