"""The dials of the kind `heat`."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import model_validator

from lantern.core.dials import Dials, dial
from lantern.core.readings.heat.radiation import Model
from lantern.core.rule import Rule
from lantern.core.time_dials import clear_dial, rearm_dial, reset_dial

LOWEST_C = -273.15
HIGHEST_C = 3000.0


# as a page lays them out: title, dials in their order
GROUPS: tuple[tuple[str, tuple[str, ...]], ...] = (
    (
        "Alarm",
        (
            "statistic",
            "condition",
            "against",
            "rise_by",
            "extent_unit",
            "threshold_c",
            "delta_c",
            "window_s",
            "percentile",
            "extent",
            "baseline_s",
            "spread_k",
            "load_percent",
            "load_exponent",
            "sustain_s",
            "hysteresis_c",
            "clear_s",
            "rearm_s",
            "repeat",
            "gap_s",
        ),
    ),
    (
        "Radiation",
        ("model", "emissivity", "reflected_c", "distance_m", "air_c", "humidity_percent", "transmittance"),
    ),
    ("Shutter", ("shutter_s", "shutter_step_c")),
)


class HeatDials(Dials):
    """A temperature rule on a region of a thermal picture."""

    statistic: Literal["max", "min", "mean", "percentile", "extent"] = dial(
        "max", meaning="Which number of the region's pixels is watched"
    )
    percentile: float = dial(
        95.0,
        unit="%",
        above=0.0,
        high=100.0,
        step=1,
        meaning="So many percent of the region's pixels are no hotter than the reading",
    )
    against: Literal["alone", "neighbours", "baseline"] = dial(
        "alone",
        meaning="What the reading is held against: nothing, the coolest of the like regions beside it, or what it has learnt of itself",
    )
    condition: Literal["above", "below", "rise", "fall"] = dial("above", meaning="What raises the alarm")
    threshold_c: float = dial(
        60.0, unit="°C", low=LOWEST_C, high=HIGHEST_C, step=0.5, meaning="The reading beyond which the condition holds"
    )
    extent: float = dial(
        1.0, unit="px or %", above=0.0, high=10_000_000, step=1, meaning="How many pixels must be beyond the threshold"
    )
    extent_unit: Literal["px", "percent"] = dial("px", meaning="Pixels, or percent of the region's pixels")
    delta_c: float = dial(
        5.0,
        unit="°C",
        above=0.0,
        high=1000,
        step=0.1,
        meaning="The difference that raises: a change within the window, over the neighbours, or beyond the learnt band",
        difference=True,
    )
    rise_by: Literal["window", "points", "slope"] = dial(
        "window",
        meaning="A change against the extreme of the window, against its first point, or by the slope of a line through it",
    )
    window_s: float = dial(60.0, unit="s", above=0.0, high=86_400, step=1, meaning="How far back a rise or fall looks")
    baseline_s: float = dial(
        3600.0,
        unit="s",
        above=0.0,
        high=2_592_000,
        step=60,
        meaning="Over how long the baseline is learnt (median, frozen while raised)",
    )
    spread_k: float = dial(
        4.0,
        unit="sd",
        low=0.0,
        high=50,
        step=0.5,
        meaning="Half-width of the learnt band in robust standard deviations",
    )
    load_percent: float | None = dial(
        None,
        unit="%",
        above=0.0,
        high=200,
        step=5,
        meaning="Present load of the rated current; the difference is brought to full load",
    )
    load_exponent: float = dial(
        1.6,
        unit="",
        low=1.0,
        high=2.5,
        step=0.1,
        meaning="The difference grows with the current to this power (1.6 to 2)",
    )
    emissivity: float | None = dial(
        None, unit="", above=0.0, high=1.0, step=0.01, meaning="Of the target; empty: as the take was recorded"
    )
    reflected_c: float | None = dial(
        None,
        unit="°C",
        above=LOWEST_C,
        high=2000,
        step=1,
        meaning="Reflected apparent temperature; empty: as the take was recorded",
    )
    model: Model = dial(
        "total",
        meaning="Radiation model of the correction: all wavelengths, or the camera's band",
        source="total and 8 to 14 um differ by a fraction of a degree near room temperature (Planck's law)",
    )
    distance_m: float | None = dial(
        None, unit="m", low=0.0, high=5000, step=0.5, meaning="From camera to target; empty: as the take was recorded"
    )
    air_c: float | None = dial(
        None,
        unit="°C",
        low=-40.0,
        high=80,
        step=1,
        meaning="Air between camera and target; empty: as the take was recorded",
    )
    humidity_percent: float | None = dial(
        None, unit="%", low=0.0, high=100, step=5, meaning="Relative humidity; empty: as the take was recorded, else 50"
    )
    transmittance: float | None = dial(
        None,
        unit="",
        above=0.0,
        high=1.0,
        step=0.01,
        meaning="Of the air or a window; empty: from distance, air and humidity",
    )
    shutter_s: float = dial(
        0.0,
        unit="s",
        low=0.0,
        high=60,
        step=0.5,
        meaning="Leave readings out so long after all pixels stepped at once; 0: off",
    )
    shutter_step_c: float = dial(
        0.5,
        unit="°C",
        above=0.0,
        high=50,
        step=0.1,
        meaning="How far all pixels must step to be taken for the shutter",
        difference=True,
    )
    sustain_s: float = dial(
        3.0, unit="s", low=0.0, high=86_400, step=0.5, meaning="How long the condition must hold before it raises"
    )
    hysteresis_c: float = dial(
        2.0,
        unit="°C",
        low=0.0,
        high=500,
        step=0.1,
        meaning="How far the reading must come back before it clears",
        difference=True,
    )
    clear_s: float = clear_dial()
    rearm_s: float = rearm_dial(60.0, step=1)
    repeat: bool = dial(False, meaning="Raise again every re-arm time while it stays raised")
    gap_s: float | None = reset_dial()

    @model_validator(mode="after")
    def _agree(self) -> Self:
        if self.repeat and self.rearm_s == 0:
            raise ValueError(
                "repeat with rearm_s 0 would raise at every sample: set rearm_s above 0 or repeat to false"
            )
        if self.statistic == "extent" and self.condition in ("rise", "fall"):
            raise ValueError("statistic extent goes with condition above or below only")
        if self.against != "alone" and self.by_change:
            raise ValueError(f"condition {self.condition} goes with against alone only")
        if self.against != "alone" and self.statistic == "extent":
            raise ValueError("statistic extent goes with against alone only")
        if self.load_percent is not None and self.against != "neighbours":
            raise ValueError("load_percent goes with against neighbours only: leave it empty")
        if self.statistic == "extent" and self.extent_unit == "percent" and self.extent > 100:
            raise ValueError(f"extent {self.extent:g} percent: at most 100 percent")
        return self

    @property
    def by_change(self) -> bool:
        return self.condition in ("rise", "fall")

    @property
    def by_difference(self) -> bool:
        """Return whether the level is a difference (`delta_c`) rather than a temperature (`threshold_c`)."""
        return self.by_change or self.against != "alone"

    @property
    def learns(self) -> bool:
        return self.against == "baseline"

    def rule(self, default_gap_s: float) -> Rule:
        """The decision these dials mean; `default_gap_s` holds where `gap_s` is empty.

        A reading held against its neighbours is turned so that more is worse already (see `kind.readings`).
        """
        return Rule(
            sense="above" if self.against == "neighbours" else self.condition,
            level=self.delta_c if self.by_difference else self.threshold_c,
            hysteresis=self.hysteresis_c,
            window_s=self.window_s,
            sustain_s=self.sustain_s,
            clear_s=self.clear_s,
            rearm_s=self.rearm_s,
            repeat=self.repeat,
            gap_s=default_gap_s if self.gap_s is None else self.gap_s,
            rise_by=self.rise_by,
            baseline_s=self.baseline_s if self.learns else 0.0,
            spread_k=self.spread_k if self.learns else 0.0,
        )
