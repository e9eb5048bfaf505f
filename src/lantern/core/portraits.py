"""A picture by which somebody is to be known again: what can be measured of it without knowing faces, and what is wrong with it.

Where the face is, how far apart its eyes are, how it is turned and covered, only the device can say that will compare it.
"""

from __future__ import annotations

from dataclasses import dataclass

from lantern.core.faults import Fault

LEAST_SIDE_PX, FINE_SIDE_PX = 64, 160  # of the shorter side; common practice, no source
FINE_FOCUS = 60.0  # variance of the Laplacian of 8-bit grey at FINE_SIDE_PX; common practice, no source
DARK, BRIGHT = 60.0, 210.0  # mean of 8-bit grey; common practice, no source
MOST_CLIPPED = 0.3  # share of pixels at an end of the scale; common practice, no source


@dataclass(frozen=True)
class Measures:
    """`focus`: variance of the Laplacian of 8-bit grey, the shorter side brought to at most 160 px; `mean`: of 8-bit grey; `dark`,
    `bright`: shares of pixels at or below 4 and at or above 251.
    """

    width_px: int
    height_px: int
    focus: float
    mean: float
    dark: float
    bright: float

    @property
    def side_px(self) -> int:
        return min(self.width_px, self.height_px)


def fault_of(measures: Measures) -> Fault | None:
    """Return why nobody can be known by such a picture at all."""
    if measures.side_px >= LEAST_SIDE_PX:
        return None
    what = f"is {measures.width_px} x {measures.height_px} px"
    return Fault(
        "picture", what, f"a picture of {LEAST_SIDE_PX} px at least on its shorter side, better {FINE_SIDE_PX}"
    )


def cautions(measures: Measures) -> list[str]:
    """Return what will make matches worse, each with its figure and what to do."""
    out = []
    if measures.side_px < FINE_SIDE_PX:
        out.append(f"Small: {measures.side_px} px on its shorter side, {FINE_SIDE_PX} are wanted")
    if measures.focus < FINE_FOCUS:
        out.append(
            f"Out of focus or blurred: {measures.focus:.0f} where {FINE_FOCUS:.0f} are wanted; take it again, held still"
        )
    if measures.mean < DARK:
        out.append(f"Dark: {measures.mean:.0f} of 255 in the mean; more light on the face")
    elif measures.mean > BRIGHT:
        out.append(f"Bright: {measures.mean:.0f} of 255 in the mean; less exposure")
    for share, end in ((measures.dark, "black"), (measures.bright, "white")):
        if share > MOST_CLIPPED:
            out.append(f"{100 * share:.0f} % of it is plain {end}: what was there is lost; even light, no lamp behind")
    return out
