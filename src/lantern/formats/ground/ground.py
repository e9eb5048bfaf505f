"""What a ground picture is, whichever format it came in."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field

Outline = tuple[bool, Sequence[tuple[float, float]]]  # whether its last corner is joined to its first, and its corners


@dataclass(frozen=True)
class Ground:
    """A ground picture. A vector drawing's "pixels" are the units of its view box.

    `metres_per_px`: where the file says its scale by itself. `paper_mm_per_px`: where it says how large it is on paper, so that
    1 : N gives the scale. `said`: what was left out or changed, in words. `outlines`: of a drawing, by its layers, in the same units
    from the lower left corner, for whoever makes buildings of them.
    """

    name: str
    media: str
    data: bytes
    width_px: float
    height_px: float
    metres_per_px: float | None = None
    paper_mm_per_px: float | None = None
    pages: int = 1
    outlines: Mapping[str, Sequence[Outline]] = field(default_factory=dict)
    said: Sequence[str] = ()
