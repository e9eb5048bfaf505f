"""The addresses of a page of lists: made, changed, deleted, restored. What stands on a list, and how it is checked, is the family's."""

from __future__ import annotations

from collections.abc import Callable, Mapping
from dataclasses import dataclass
from typing import Annotated, Any

from fastapi import APIRouter, Body, HTTPException, Query, Request
from fastapi.responses import HTMLResponse, Response
from sqlalchemy.orm import Session

from lantern.db.base import transaction
from lantern.db.numbers import Count, Id
from lantern.lists.actions import delete_list, save_list
from lantern.lists.shown import COLOURS
from lantern.lists.tables import ListRow, list_of, saved_list
from lantern.revisions import hold, restored
from lantern.sites.tables import SiteRow, site_of
from lantern.web.access import may, site_id_of
from lantern.web.answers import json_answer
from lantern.web.door import user_id
from lantern.web.pages import render

Reason = Annotated[str, Query(max_length=400)]
Document = Mapping[str, Any]


@dataclass(frozen=True)
class ListPages:
    """Lists of one sort: those whose body has `holding`. `checked` gives a document whole (raises `Refused`), `shown` what the page
    shows of a site; `again` what of an old state comes back.
    """

    base: str
    template: str
    holding: str
    words: str  # "a list of plates"
    checked: Callable[[Document], dict[str, Any]]
    shown: Callable[[Session, SiteRow], dict[str, Any]]
    again: Callable[[dict[str, Any]], dict[str, Any]] = lambda body: body
    also: Callable[[Request], dict[str, Any]] = lambda request: {}  # what it shows to whoever asks

    def row(self, session: Session, list_id: int) -> ListRow:
        """Return that list. Raises `HTTPException` where there is none of this sort."""
        row = list_of(session, list_id, holding=self.holding)
        if row is None:
            raise HTTPException(404, f"There is no {self.words.removeprefix('a ')} {list_id}.")
        return row

    def page(self, request: Request, session: Session) -> dict[str, Any]:
        site = site_of(session, site_id_of(request))
        return self.shown(session, site) | {"colours": COLOURS, "zone": site.zone} | self.also(request)


def list_router(pages: ListPages) -> APIRouter:
    """Return the routes of one sort of lists."""
    router = APIRouter()

    @router.get(pages.base, **may("viewer"))
    def lists_page(request: Request) -> HTMLResponse:
        with transaction() as session:
            return render(request, session, pages.template, stage="link", data=pages.page(request, session))

    @router.get(f"{pages.base}/all", **may("viewer"))
    def every_list(request: Request) -> Response:
        """Return what the page shows, anew."""
        with transaction() as session:
            return json_answer(pages.page(request, session))

    @router.post(pages.base, **may("engineer", f"made {pages.words}"))
    def make(request: Request, document: dict[str, Any] = Body()) -> Response:
        with transaction() as session:
            site_id, by = site_id_of(request), user_id(request)
            row = save_list(session, site_id, pages.checked(document), list_id=None, reason="Made.", user_id=by)
            return json_answer({"id": row.id, "revision": row.revision})

    @router.put(pages.base + "/{list_id}", **may("engineer", f"changed {pages.words}"))
    def change(
        request: Request, list_id: Id, base: Count, reason: Reason, document: dict[str, Any] = Body()
    ) -> Response:
        """`base`: the revision that was changed; refused where somebody else has changed it meanwhile."""
        with transaction() as session:
            site_id, by, body = pages.row(session, list_id).site_id, user_id(request), pages.checked(document)
            row = save_list(session, site_id, body, list_id=list_id, base=base, reason=reason, user_id=by)
            return json_answer({"id": row.id, "revision": row.revision})

    @router.delete(pages.base + "/{list_id}", **may("engineer", f"deleted {pages.words}"))
    def remove(request: Request, list_id: Id, base: Count, reason: Reason = "Deleted.") -> Response:
        with transaction() as session:
            row = pages.row(session, list_id)
            hold(session, row, base)
            delete_list(session, row, reason=reason, user_id=user_id(request))
            return json_answer({"deleted": list_id})

    @router.post(pages.base + "/revisions/{revision_id}/restore", **may("engineer", f"restored {pages.words}"))
    def restore(request: Request, revision_id: Id, base: Count) -> Response:
        """`base`: the number of the list's newest revision, as the page has it."""
        with transaction() as session:
            saved = saved_list(session, revision_id, holding=pages.holding)
            if saved is None:
                raise HTTPException(404, f"There is no revision {revision_id} of {pages.words}.")
            body, why = pages.checked(pages.again(saved.document)), restored(saved.number, saved)
            by, list_id = user_id(request), saved.subject_id
            row = save_list(session, saved.site_id, body, list_id=list_id, base=base, reason=why, user_id=by)
            return json_answer({"id": row.id, "revision": row.revision})

    return router
