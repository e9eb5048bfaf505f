"""Every form that a page sends goes to a route that is there, with what that route takes and no more."""

from __future__ import annotations

import re
from html.parser import HTMLParser
from pathlib import Path
from typing import Any

from fastapi import FastAPI

import lantern
from lantern.application.app import make_app
from seeded import Small
from web.test_access import log_in

PAGES = (
    "/sites", "/people", "/account", "/sites/1/people", "/sites/1/survey", "/sites/1/devices", "/sites/1/devices/new?kind=camera",
    "/sites/1/devices/{camera}", "/sites/1/devices/{module}", "/sites/1/bench/{detector}", "/sites/1/bench/{detector}/revisions",
    "/sites/1/takes", "/sites/1/links/{detector}", "/sites/1/rehearse/{detector}", "/sites/1/walk/{detector}", "/sites/1/types",
    "/sites/1/lists", "/sites/1/plan",
)  # fmt: skip


class Forms(HTMLParser):
    """Forms of a page that its script sends as JSON: (method, address, names of fields)."""

    def __init__(self, page: str) -> None:
        super().__init__()
        self.found: list[tuple[str, str, set[str]]] = []
        self.by_id: dict[str, set[str]] = {}
        self._names: set[str] | None = None
        self.feed(page)

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        has = {key: value or "" for key, value in attrs}
        if tag == "form":
            self._names = set()
            if "data-send" in has:
                self._names = {name for name in has.get("data-lists", "").split() if name}
                self.found.append((has["data-send"], has["data-to"], self._names))
                self.by_id[has.get("id", "")] = self._names
        elif tag in ("input", "select", "textarea") and has.get("name"):
            names = self.by_id.get(has["form"], set()) if "form" in has else self._names
            if names is not None:
                names.add(has["name"].split(".")[0])

    def handle_endtag(self, tag: str) -> None:
        if tag == "form":
            self._names = None


def body_of(app: FastAPI, method: str, path: str) -> tuple[str, set[str] | None, set[str]]:
    """(address of the route, keys that its body may have, keys that it must have). None: whatever a model elsewhere takes."""
    document: dict[str, Any] = app.openapi()
    for address, operations in document["paths"].items():
        if method.lower() in operations and re.fullmatch(re.sub(r"\{\w+\}", "[^/]+", address), path):
            content = operations[method.lower()].get("requestBody", {}).get("content", {})
            ref = content.get("application/json", {}).get("schema", {}).get("$ref", "")
            schema = document["components"]["schemas"].get(ref.rpartition("/")[2], {})
            closed = schema.get("additionalProperties") is False
            return address, set(schema.get("properties", {})) if closed else None, set(schema.get("required", []))
    raise AssertionError(f"no route for {method} {path}")


def test_each_form_says_what_its_route_takes(small: Small) -> None:
    app = make_app()
    client = log_in(app, "ida", "open sesame")
    seen = set()
    for page in PAGES:
        address = page.format(camera=small.camera, module=small.module, detector=small.detector)
        answer = client.get(address, headers={"accept": "text/html"}, follow_redirects=True)
        assert answer.status_code == 200, address
        for method, to, names in Forms(answer.text).found:
            path, _, _ = to.partition("?")
            path = path.removeprefix("~") if path.startswith("~") else f"/sites/1{path}"
            route, may, must = body_of(app, method, path)
            filled = set(re.findall(r"\{(\w+)\}", to))
            assert filled <= names, (address, to)
            if method != "DELETE":
                assert may is None or names <= may, (address, to)
                assert must <= names, (address, to)
            seen.add((method, route))
    assert len(seen) > 12


def test_expressions_in_pages_are_such_as_the_page_policy_allows() -> None:
    """Alpine's build without eval parses a part of JavaScript: no optional chaining, arrows, templates or spreads."""
    beyond = re.compile(r"""\s(?:x-[\w:.-]+|[:@][\w:.-]+)="[^"]*(?:\?\.|\?\?|=>|`|\.\.\.\w)[^"]*\"""")
    pages = list(Path(lantern.__file__).parent.rglob("templates/*.html"))
    assert len(pages) > 40
    assert [(page.name, found.group()) for page in pages for found in beyond.finditer(page.read_text())] == []
