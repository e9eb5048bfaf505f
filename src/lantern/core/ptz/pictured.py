"""What is in the picture of a head that turns, of many moments or places at once."""

from __future__ import annotations

import numpy as np

from lantern.core.ptz.head import Head
from lantern.core.signals import Floats

NEAREST_M = 1e-6


def pictured(head: Head, zoom: Floats) -> Floats:
    """(n,): the tangent of half the vertical field at each zoom (H05)."""
    out: Floats = np.tan(np.radians(head.fov_wide_deg) / 2) / zoom
    return out


def in_picture(head: Head, looks: Floats, places: Floats, wide: Floats, high: Floats) -> tuple[np.ndarray, Floats]:
    """Return (n,) whether each place (n, 3) is in the picture of a head that looks there, (n, 3) pan, tilt, zoom; and how far away it is, m.

    By its place in the picture, for pans near the zenith turn it. `wide`, `high` (n,): tangents of half the field.
    """
    ex, ey, up = (places - (head.x_m, head.y_m, head.height_m)).T
    pan, tilt = np.radians(looks[:, 0]), np.radians(looks[:, 1])
    sp, cp, st, ct = np.sin(pan), np.cos(pan), np.sin(tilt), np.cos(tilt)
    ahead = ex * sp * ct + ey * cp * ct - up * st
    right = ex * cp - ey * sp
    down = -(ex * sp * st + ey * cp * st + up * ct)
    inside = (ahead > 0) & (np.abs(right) <= ahead * wide) & (np.abs(down) <= ahead * high)
    return inside, np.sqrt(ex * ex + ey * ey + up * up)
