"""The family of readings: thermal pictures, or readings recorded as such, one number a region held against a level."""

from __future__ import annotations

from collections.abc import Mapping

from lantern.core.device_kind import LENS, DeviceKind
from lantern.core.family import Family
from lantern.core.readings.heat import dials as heat_dials
from lantern.core.readings.heat import kind as heat
from lantern.core.readings.heat import reading as heat_reading
from lantern.core.readings.heat.dials import HeatDials
from lantern.core.readings.kind import AnySeriesKind, SeriesKind, pair_of
from lantern.core.readings.region import ReadingDetector
from lantern.core.readings.skin import dials as skin_dials
from lantern.core.readings.skin import kind as skin
from lantern.core.readings.skin.dials import SkinDials
from lantern.core.readings.subject import judge
from lantern.core.readings.watch import ReadingWatch
from lantern.core.signals import Frames, Series

HEAT = SeriesKind(
    name="heat",
    says="a region is warmer, colder, rises faster or differs more than it may",
    dials=HeatDials,
    groups=heat_dials.GROUPS,
    signals=("heat", "series"),
    exact=heat.exact,
    readings=heat_reading.readings,
    wanted=heat_reading.wanted,
    readings_of_series=heat_reading.readings_of_series,
    reader=heat_reading.Reader,
    reading_key=heat_reading.reading_key,
    decide=heat.decide,
    evaluate=heat.evaluate,
    explain=heat.explain,
    cautions=heat.cautions,
    rule=heat.rule_for,
    matters=heat.matters,
    alternatives=heat.alternatives,
    unit=heat_reading.unit,
    pair=pair_of(heat.exact),
)
SKIN = SeriesKind(
    name="skin",
    says="a face is warmer than those screened before it",
    dials=SkinDials,
    groups=skin_dials.GROUPS,
    signals=("heat",),
    exact=skin.exact,
    readings=skin.readings,
    wanted=skin.wanted,
    readings_of_series=skin.readings_of_series,
    reader=skin.Reader,
    reading_key=skin.reading_key,
    decide=skin.decide,
    evaluate=skin.evaluate,
    explain=skin.explain,
    cautions=skin.cautions,
    rule=skin.rule_for,
    matters=skin.matters,
    alternatives=skin.alternatives,
    unit=skin.unit,
    pair=pair_of(skin.exact),
    notice=skin.NOTICE,
)
PROBE = DeviceKind("probe", "probe or meter that sends readings", ("series",), "sends")
THERMAL = DeviceKind(
    "thermal", "thermal camera", ("heat", "series"), "sends", pictured=True, figures=(LENS,), usual_height_m=(1.5, 15.0)
)
FAMILY: Family[ReadingDetector, AnySeriesKind, Frames | Mapping[str, Series]] = Family(
    name="readings",
    kinds=(HEAT, SKIN),
    signals={"heat": "thermal pictures", "series": "readings over time"},
    devices=(THERMAL, PROBE),
    judge=judge,
    watch=ReadingWatch,
)
