"""The plan of a site, and the pictures that were brought for its ground."""

from __future__ import annotations

from typing import Any

from sqlalchemy import ForeignKey, UniqueConstraint, select
from sqlalchemy.orm import Mapped, Session, mapped_column

from lantern.core.promise.plan import Plan
from lantern.db.base import Base
from lantern.revisions import Revised


class PlanRow(Revised, Base):
    """The plan of a site, one at most: its body is the `plan` of the site's file."""

    __tablename__ = "plan"
    __table_args__ = (UniqueConstraint("site_id"),)
    WHAT = "plan"

    @property
    def model(self) -> Plan:
        return Plan.model_validate({key: value for key, value in self.body.items() if key != "name"})


class PlanPictureRow(Base):
    """A ground picture that was brought for a plan. Its name has a few letters of what it holds; earlier states of the plan lead to it."""

    __tablename__ = "plan_picture"
    __table_args__ = (UniqueConstraint("site_id", "name"),)

    id: Mapped[int] = mapped_column(primary_key=True)
    site_id: Mapped[int] = mapped_column(ForeignKey("site.id"))
    name: Mapped[str]
    media: Mapped[str]
    width_px: Mapped[float]
    height_px: Mapped[float]
    metres_per_px: Mapped[float | None]  # where the file says its scale by itself
    paper_mm_per_px: Mapped[float | None]
    data: Mapped[bytes] = mapped_column(deferred=True)

    def as_dict(self) -> dict[str, Any]:
        """Return it as the pages have it."""
        keys = ("name", "media", "width_px", "height_px", "metres_per_px", "paper_mm_per_px")
        return {key: getattr(self, key) for key in keys}


def plan_of(session: Session, site_id: int) -> PlanRow | None:
    """The site's plan, if it has one."""
    return session.scalar(select(PlanRow).where(PlanRow.site_id == site_id))
