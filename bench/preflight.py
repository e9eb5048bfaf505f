"""The preflight of a large site: 300 devices, 500 detectors, 300 links; in the same run that of a tenth of it."""

from __future__ import annotations

from collections.abc import Iterator
from typing import Any

from bench.figures import Figure, seconds, sized

DEVICES, DETECTORS, LINKS = sized((300, 500, 300), (20, 30, 20))
BOX = [{"name": "r", "shape": "box", "points": [[10, 10], [200, 200]]}]


def run() -> Iterator[Figure]:
    from lantern.core.preflight.checked import Checked
    from lantern.core.preflight.rules import preflight
    from lantern.core.site import Site

    def taken(share: float) -> tuple[float, int]:
        site = Site.model_validate(_site(*(max(int(n * share), 2) for n in (DEVICES, DETECTORS, LINKS))))
        found: list[int] = []
        took = seconds(lambda: found.append(len(preflight(Checked(site, {})))))
        return took, found[-1]

    whole, count = taken(1.0)
    tenth, _ = taken(0.1)
    yield Figure(f"{DEVICES} devices, {DETECTORS} detectors, {LINKS} links: {count} findings", whole, "s", 1.0)
    yield Figure("ratio to a tenth of it (10: each costs the same)", whole / tenth, "")


def _site(devices: int, detectors: int, links: int) -> dict[str, Any]:
    cameras = [
        {
            "code": f"V{n}", "name": f"Camera {n}", "kind": "camera", "ability": {"width": 1920, "height": 1080, "fps": 12},
            "address": {"url": f"http://10.0.{n // 250}.{n % 250}/stream"},
            "mount": {"x_m": 10.0 + n % 30 * 15, "y_m": 10.0 + n // 30 * 15, "height_m": 5.0, "azimuth_deg": n * 37 % 360,
                      "tilt_deg": 15.0, "focal_mm": 4.0, "sensor_width_mm": 5.37},
        }
        for n in range(devices - 1)
    ]  # fmt: skip
    module = {
        "code": "M1", "name": "Module", "kind": "io_module", "address": {"host": "10.1.0.1", "port": 502},
        "outputs": [{"name": f"lamp {n}", "coil": n} for n in range(links)],
    }  # fmt: skip
    return {
        "name": "Large", "zone": "UTC", "plan": {"width_m": 500, "height_m": 200},
        "places": [{"name": "Yard", "devices": [*cameras, module]}],
        "detectors": [
            {"name": f"zone {n}", "kind": "zone", "device": f"V{n % (devices - 1)}", "regions": BOX, "dials": {"gap_s": 2}}
            for n in range(detectors)
        ],
        "timetables": [{"name": "night", "zone": "UTC", "hours": [{"day": d, "start_min": 0, "end_min": 360} for d in range(7)]}],
        "links": [
            {"name": f"link {n}", "detector": f"zone {n % detectors}", "timetable": "night", "effects": [{"output": f"lamp {n}"}]}
            for n in range(links)
        ],
    }  # fmt: skip
