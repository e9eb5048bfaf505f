"""What goes wrong with hours: timetables that are never on, that nobody uses, of another zone; one that was left on."""

from __future__ import annotations

import re
from collections.abc import Iterator

from lantern.core.preflight.checked import Checked
from lantern.core.preflight.finding import Fix, Found, rule

ALWAYS = "always"
TRIAL = re.compile(r"\b(test|trial|tmp|temporary|try)", re.IGNORECASE)


@rule("It is on at no hour: what uses it never does anything.")
def hours_empty(checked: Checked) -> Iterator[Found]:
    for at, name in checked.uses_timetable():
        if checked.is_empty(name):
            yield Found("error", at, f"its timetable {name} has no hours", f"hours in {name}, or another timetable")


@rule("A timetable of no hours is found only on the day that it is needed.")
def timetable_empty(checked: Checked) -> Iterator[Found]:
    for each in checked.site.timetables:
        if each.is_never:
            yield Found(
                "warning", f"timetables[{each.name}]", "has no hours: it is on at none", "hours, or take it away"
            )


@rule("Left on after a test, it arms the site all day and all night.")
def trial_left_on(checked: Checked) -> Iterator[Found]:
    used = {name for _, name in checked.uses_timetable()}
    for each in checked.site.timetables:
        if each.name in used and each.summary == ALWAYS and TRIAL.search(each.name):
            yield Found(
                "warning", f"timetables[{each.name}]", "is always on, and is called a test", "the hours that are meant"
            )


@rule("Nobody goes by it; who changes it believes that something follows.")
def timetable_unused(checked: Checked) -> Iterator[Found]:
    used = {name for _, name in checked.uses_timetable()}
    for each in checked.site.timetables:
        if each.name not in used:
            yield Found("note", f"timetables[{each.name}]", "nothing uses it", "use it, or take it away")


@rule("Its hours are those of another clock: they begin and end at other times of the site's day.")
def zone_differs(checked: Checked) -> Iterator[Found]:
    for each in checked.site.timetables:
        if each.zone != checked.site.zone:
            what = f"goes by {each.zone}, the site by {checked.site.zone}"
            fix = Fix(f"Go by {checked.site.zone}", "timetable", each.name, ((("zone",), checked.site.zone),))
            yield Found("warning", f"timetables[{each.name}]", what, checked.site.zone, fix)


@rule("Its pictures and events carry another time than the site's.")
def channel_zone_differs(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        for n, channel in enumerate(device.channels):
            zone = channel.settings.get("time_zone")
            if zone and zone != checked.site.zone:
                what = f"its channel {channel.name or '1'} goes by {zone}, the site by {checked.site.zone}"
                sets = ((("channels", n, "settings", "time_zone"), checked.site.zone),)
                fix = Fix(f"Set it to {checked.site.zone}", "device", device.code, sets)
                yield Found("warning", checked.device_at(device.code), what, checked.site.zone, fix)


RULES = (hours_empty, timetable_empty, trial_left_on, timetable_unused, zone_differs, channel_zone_differs)
