"""Two bodies or sensors in one device, setting by setting: where they differ, and where they should agree."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from lantern.core.register.installed import Unit

Value = str | float | bool | None


@dataclass(frozen=True)
class Setting:
    """Something that each channel has of its own. `agree`: why the two should have the same; empty: they may differ."""

    name: str
    title: str
    agree: str = ""


BOTH_SEE = "what one picture shows should look the same in the other, or their classes part"
# common practice, no source
SETTINGS = (
    Setting("time_zone", "Time zone", "one event would bear two times"),
    Setting("classes", "Classes", "one would count what the other does not know"),
    Setting("exposure", "Exposure", BOTH_SEE),
    Setting("gain", "Gain", BOTH_SEE),
    Setting("white_balance", "White balance", BOTH_SEE),
    Setting("day_night", "Day and night", BOTH_SEE),
    Setting("sharpness", "Sharpness", BOTH_SEE),
    Setting("wide_dynamic_range", "Wide dynamic range", BOTH_SEE),
    Setting("noise_reduction", "Noise reduction", BOTH_SEE),
    Setting("codec", "Codec"),
    Setting("bit_rate", "Bit rate"),
)
DETECTORS_ON = Setting("detectors", "Detectors on", "what one body sees goes unnoticed in the other")
TIMETABLES = Setting("timetables", "Timetables", "one sleeps while the other watches")
PICTURE = Setting("picture", "Picture")
_KNOWN = {setting.name: setting for setting in SETTINGS}


@dataclass(frozen=True)
class Row:
    """One setting of all channels, in their order."""

    setting: Setting
    values: Sequence[Value]

    @property
    def differs(self) -> bool:
        return len({str(value) for value in self.values}) > 1

    @property
    def amiss(self) -> bool:
        """It differs, and should not."""
        return self.differs and bool(self.setting.agree)


def compared(unit: Unit) -> list[Row]:
    """Every setting that any channel has, those that are amiss first; none for a device of one channel."""
    names = unit.channel_names
    if len(names) < 2:
        return []
    own = {channel.name or str(number): channel for number, channel in enumerate(unit.channels, 1)}
    settings = [own[name].settings if name in own else {} for name in names]
    keys = [setting.name for setting in SETTINGS] + sorted({key for held in settings for key in held} - _KNOWN.keys())
    rows = [
        Row(_KNOWN.get(key) or Setting(key, key.replace("_", " ").capitalize()), [held.get(key) for held in settings])
        for key in keys
        if any(key in held for held in settings)
    ]
    working = [work for work in unit.works if work.enabled]
    kinds = [", ".join(sorted({w.kind for w in working if w.channel == name})) or "none" for name in names]
    hours = [", ".join(sorted({w.timetable or "always" for w in working if w.channel == name})) or "" for name in names]
    if any(work.channel is not None for work in working):
        rows += [Row(DETECTORS_ON, kinds), Row(TIMETABLES, [each or None for each in hours])]
    rows.append(Row(PICTURE, [unit.picture_of(name).words for name in names]))
    return sorted(rows, key=lambda row: (not row.amiss, not row.differs))
