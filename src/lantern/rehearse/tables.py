"""Rehearsals of sites, kept in figures."""

from __future__ import annotations

from datetime import datetime
from typing import Any

from sqlalchemy import ForeignKey, Index
from sqlalchemy.dialects.postgresql import JSONB
from sqlalchemy.orm import Mapped, mapped_column

from lantern.core.linking.runs import Run
from lantern.db.base import Base, now


class RunRow(Base):
    """`state`: the site's newest revision then; `takes`: those that it was played on."""

    __tablename__ = "rehearsal_run"
    __table_args__ = (Index("ix_rehearsal_run_site_id_id", "site_id", "id"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"))
    at: Mapped[datetime] = mapped_column(default=now)
    laid: Mapped[str]
    state: Mapped[int]
    takes: Mapped[list[str]] = mapped_column(JSONB)
    figures: Mapped[dict[str, Any]] = mapped_column(JSONB)

    @property
    def run(self) -> Run:
        return Run.model_validate(self.figures)
