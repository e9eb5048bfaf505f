"""The stage of rehearsals, as the frame of every page knows it."""

from __future__ import annotations

from lantern.web.frame import Stage

STAGE = Stage(key="rehearse", label="Rehearse", place=5, address="/rehearse", owners={})
