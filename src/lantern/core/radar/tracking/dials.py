"""The dials by which bare detections become targets."""

from __future__ import annotations

from lantern.core.dials import Dials, dial

MEMORY = "common practice, from memory"


class Tracking(Dials):
    """What is dropped before anything is followed, what belongs together, and when a target is one."""

    min_snr_db: float | None = dial(
        None, unit="dB", low=-20.0, high=100.0, step=0.5, meaning="Detections less far above the noise are dropped"
    )
    false_alarm_exponent: float | None = dial(
        None,
        low=1.0,
        high=12.0,
        step=0.5,
        meaning="Detections are dropped that noise alone gives more often than once in ten to this; where the unit says by how many cells it knows the noise",
        source="cell-averaging CFAR, its closed formula (Rohling 1983, from memory)",
    )
    clutter_db: float | None = dial(
        None,
        unit="dB",
        low=-20.0,
        high=60.0,
        step=0.5,
        meaning="Where the clutter map knows something: to be told from it, so far above it",
    )
    gate_percent: float = dial(
        99.0,
        unit="%",
        low=50.0,
        high=99.99,
        step=0.5,
        meaning="Share of a target's own detections that its gate lets in",
        source=MEMORY,
    )
    acceleration_mps2: float = dial(
        1.0, unit="m/s²", low=0.05, high=50.0, step=0.05, reach=6.0, meaning="How hard targets speed up, brake and turn"
    )
    range_sigma_m: float = dial(
        0.15,
        unit="m",
        low=0.005,
        high=20.0,
        step=0.01,
        reach=1.0,
        meaning="Spread of measured ranges, one standard deviation",
    )
    azimuth_sigma_deg: float = dial(
        1.0,
        unit="°",
        low=0.05,
        high=30.0,
        step=0.05,
        reach=5.0,
        meaning="Spread of measured azimuths, one standard deviation",
    )
    confirm_hits: float = dial(
        3.0, low=1.0, high=20.0, step=1.0, reach=8.0, meaning="So many detections make a target", source=MEMORY
    )
    confirm_within_s: float = dial(
        1.0, unit="s", low=0.05, high=60.0, step=0.1, reach=4.0, meaning="Within so long", source=MEMORY
    )
    give_up_s: float = dial(
        1.0,
        unit="s",
        low=0.05,
        high=60.0,
        step=0.1,
        reach=6.0,
        meaning="A target that was not detected for so long is given up",
        source=MEMORY,
    )


GROUPS = (
    ("Following", ("gate_percent", "acceleration_mps2", "confirm_hits", "confirm_within_s", "give_up_s")),
    ("Dropped before", ("min_snr_db", "false_alarm_exponent", "clutter_db")),
    ("Measuring", ("range_sigma_m", "azimuth_sigma_deg")),
)
