"""The dials of the kind `skin`: one face at a time in a box, a reference source in a second region."""

from __future__ import annotations

from typing import Literal, Self

from pydantic import model_validator

from lantern.core.dials import Dials, dial
from lantern.core.rule import Rule
from lantern.core.time_dials import clear_dial, rearm_dial, reset_dial

STANDARD = "IEC 80601-2-59:2017, ISO/TR 13154:2017 (from memory)"


GROUPS: tuple[tuple[str, tuple[str, ...]], ...] = (
    (
        "Screening",
        (
            "threshold",
            "threshold_c",
            "spread_k",
            "least_margin_c",
            "lowest_c",
            "highest_c",
            "population",
            "hottest_px",
            "sustain_s",
            "hysteresis_c",
            "clear_s",
            "rearm_s",
            "gap_s",
        ),
    ),
    (
        "Reference and face",
        ("reference_c", "most_offset_c", "most_jump_c", "face_c", "face_px", "emissivity", "reflected_c"),
    ),
)


class SkinDials(Dials):
    """Screening of skin temperature. A screening, never a diagnosis."""

    threshold: Literal["fixed", "adaptive"] = dial(
        "fixed", meaning="One temperature for all, or one that follows those who passed lately"
    )
    threshold_c: float = dial(
        37.5,
        unit="°C",
        low=30.0,
        high=45.0,
        step=0.1,
        meaning="Corrected skin temperature beyond which a person is asked aside",
    )
    spread_k: float = dial(
        4.0,
        unit="sd",
        low=0.0,
        high=20.0,
        step=0.5,
        meaning="Adaptive: median of the population plus so many robust deviations",
    )
    least_margin_c: float = dial(
        0.5,
        unit="°C",
        low=0.0,
        high=5.0,
        step=0.1,
        meaning="Adaptive: at least so far above the median",
        difference=True,
    )
    lowest_c: float = dial(
        36.5,
        unit="°C",
        low=30.0,
        high=45.0,
        step=0.1,
        meaning="Adaptive: never below; an event tells when it was cut here",
    )
    highest_c: float = dial(
        38.0,
        unit="°C",
        low=30.0,
        high=45.0,
        step=0.1,
        meaning="Adaptive: never above; an event tells when it was cut here",
    )
    population: float = dial(
        50,
        unit="people",
        low=10,
        high=100,
        step=5,
        meaning="Adaptive: so many of the last who passed without being asked aside",
    )
    reference_c: float = dial(
        35.0,
        unit="°C",
        low=20.0,
        high=45.0,
        step=0.1,
        meaning="True temperature of the reference source",
        source=STANDARD,
    )
    most_offset_c: float = dial(
        1.0,
        unit="°C",
        above=0.0,
        high=10.0,
        step=0.1,
        difference=True,
        meaning="The reference may read so far off; beyond, it is taken for lost and readings are refused",
    )
    most_jump_c: float = dial(
        0.3,
        unit="°C",
        above=0.0,
        high=5.0,
        step=0.05,
        difference=True,
        meaning="The reference may step so far; beyond, readings are refused until it stands again",
    )
    face_c: float = dial(
        31.0, unit="°C", low=15.0, high=40.0, step=0.5, meaning="Pixels of the box beyond this are a face"
    )
    face_px: float = dial(
        900,
        unit="px",
        low=1,
        high=1_000_000,
        step=50,
        meaning="A face must cover so many; a smaller one is not measured",
        source=STANDARD,
    )
    hottest_px: float = dial(
        4,
        unit="px",
        low=1,
        high=1000,
        step=1,
        meaning="The reading is the coolest of so many hottest pixels (the inner corners of the eyes)",
    )
    emissivity: float | None = dial(
        0.98,
        unit="",
        above=0.0,
        high=1.0,
        step=0.01,
        meaning="Of skin; empty: as the take was recorded",
        source="handbook value, from memory",
    )
    reflected_c: float | None = dial(
        None,
        unit="°C",
        above=-273.15,
        high=100,
        step=1,
        meaning="Reflected apparent temperature; empty: as the take was recorded",
    )
    sustain_s: float = dial(
        0.5, unit="s", low=0.0, high=60, step=0.25, meaning="How long a face must read beyond the threshold"
    )
    hysteresis_c: float = dial(
        0.2,
        unit="°C",
        low=0.0,
        high=5,
        step=0.1,
        meaning="How far the reading must come back before it clears",
        difference=True,
    )
    clear_s: float = clear_dial(high=60, step=0.25)
    rearm_s: float = rearm_dial(2.0, high=3600)
    gap_s: float | None = reset_dial(high=3600)

    @model_validator(mode="after")
    def _agree(self) -> Self:
        if self.lowest_c >= self.highest_c:
            raise ValueError(f"lowest_c {self.lowest_c:g} is not below highest_c {self.highest_c:g}")
        return self

    @property
    def adaptive(self) -> bool:
        return self.threshold == "adaptive"

    def rule(self, default_gap_s: float) -> Rule:
        """Fixed: on the corrected temperature. Adaptive: on its excess over the threshold in force."""
        return Rule(
            sense="above",
            level=0.0 if self.adaptive else self.threshold_c,
            hysteresis=self.hysteresis_c,
            sustain_s=self.sustain_s,
            clear_s=self.clear_s,
            rearm_s=self.rearm_s,
            gap_s=default_gap_s if self.gap_s is None else self.gap_s,
        )
