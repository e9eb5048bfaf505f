"""Where a finding is mended: the page of the thing that it names."""

from __future__ import annotations

import re
from urllib.parse import quote

from sqlalchemy.orm import Session

from lantern.links.tables import CompoundRow, links_of_site, rows_of
from lantern.register.tables import inputs_of, listed_devices
from lantern.tune.tables import detectors_of_site

NAMED = re.compile(r"(\w+(?:\.\w+)?)\[([^\]]*)\]")


class Jumps:
    """The pages of a site by what a place in its file names."""

    def __init__(self, session: Session, site_id: int) -> None:
        self.devices = {row.code: row.id for row in listed_devices(session, site_id)}
        self.detectors = {row.name: row.id for row in detectors_of_site(session, site_id, retired=True)}
        self.inputs = {each.name: device.id for device, each in inputs_of(session, site_id)}
        self.compounds = {row.name: row.id for row in rows_of(session, CompoundRow, site_id)}
        self.links = {row.name: row for row in links_of_site(session, site_id)}

    def to(self, at: str) -> str:
        """Return the address beneath the site's, of what lies deepest in `at` and has a page."""
        named = dict(NAMED.findall(at))
        for what, page in (
            ("devices", self._device), ("detectors", self._detector), ("links", self._link), ("compounds", self._compound),
        ):  # fmt: skip
            found = page(named[what]) if what in named else None
            if found is not None:
                return f"{found}/duty" if at.endswith(".duty") else found
        if "timetables" in named and self.detectors:
            return f"/links/{min(self.detectors.values())}"
        return {"plan.aims": "/plan", "messages": "/compounds"}.get(next(iter(named), ""), "/survey")

    def _device(self, code: str) -> str | None:
        return f"/devices/{self.devices[code]}" if code in self.devices else None

    def _detector(self, name: str) -> str | None:
        return f"/bench/{self.detectors[name]}" if name in self.detectors else None

    def _compound(self, name: str) -> str | None:
        return f"/compounds?compound={self.compounds[name]}" if name in self.compounds else None

    def _link(self, name: str) -> str | None:
        link = self.links.get(name)
        if link is None:
            return None
        if link.detector_id is not None:
            return f"/links/{link.detector_id}"
        if link.compound is not None:
            return f"/compound-links/{self.compounds[link.compound]}"
        return f"/input-links/{self.inputs[str(link.input)]}?input={quote(str(link.input))}"
