"""What goes wrong with heads: presets of one name, rounds that starve, places that nobody can see."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator
from typing import Any

from lantern.core.company import Stands
from lantern.core.faults import Refused
from lantern.core.preflight.checked import Checked
from lantern.core.preflight.finding import Fix, Found, rule
from lantern.core.ptz.pointing import towards
from lantern.core.ptz.rounds import findings
from lantern.core.ptz.standing import head_of
from lantern.core.ptz.turned import MOVED_DEG, Pointing
from lantern.core.site import Device
from lantern.core.watch import Aim


def _heads(checked: Checked) -> Iterator[tuple[Device, str, Pointing | None]]:
    for device in checked.in_use:
        if device.turned is not None or device.duty is not None:
            pixels = (
                (int(device.ability["width"]), int(device.ability["height"])) if device.ability.get("width") else None
            )
            head = head_of(Stands(device.mount, pixels))
            pointing = None if head is None or device.turned is None else Pointing(device.turned, head)
            yield device, checked.device_at(device.code), pointing


@rule("Whoever sends it to one of them gets the other.")
def presets_of_one_name(checked: Checked) -> Iterator[Found]:
    for device, at, _ in _heads(checked):
        names = Counter(each.name.casefold() for each in (device.turned.presets if device.turned else ()))
        for name, count in names.items():
            if count > 1:
                yield Found("warning", at, f"{count} of its presets are called {name!r}", "a name each")


@rule("One number with two meanings goes to either.")
def preset_number_twice(checked: Checked) -> Iterator[Found]:
    for device, at, _ in _heads(checked):
        numbers = Counter(each.number for each in (device.turned.presets if device.turned else ()))
        for number, count in numbers.items():
            if count > 1:
                yield Found("error", at, f"{count} of its presets have the number {number}", "a number each")


@rule("Two presets that the device keeps as one look to the same place.")
def preset_token_twice(checked: Checked) -> Iterator[Found]:
    for device, at, _ in _heads(checked):
        tokens = Counter(each.token for each in (device.turned.presets if device.turned else ()) if each.token)
        for token, count in tokens.items():
            if count > 1:
                yield Found("warning", at, f"{count} of its presets are {token!r} at the device", "a preset each")


@rule("From places near each other nothing sure follows for those far from them.")
def registration_weak(checked: Checked) -> Iterator[Found]:
    for _, at, pointing in _heads(checked):
        if pointing is None or not pointing.is_known:
            continue
        try:
            said = pointing.warnings()
        except Refused as refused:
            yield Found("error", at, str(refused.faults[0]), "register it again")
            continue
        for line in said:
            yield Found("warning", at, line.rstrip("."), "more places, spread out")


@rule("It was moved since: it looks beside what it is sent to.")
def head_moved(checked: Checked) -> Iterator[Found]:
    for _, at, pointing in _heads(checked):
        try:
            off = None if pointing is None or not pointing.is_known else pointing.check_off_deg
        except Refused:
            continue
        if off and off > MOVED_DEG:
            yield Found("error", at, f"its check point is missed by {off:.1f}°", "register it again")


@rule("It is to go to what it has not, or learns nothing where it stays.")
def round_wrong(checked: Checked) -> Iterator[Found]:
    for device, at, pointing in _heads(checked):
        if device.duty is None:
            continue
        looks = _looks(pointing)
        head = pointing.head if pointing is not None else head_of(Stands(device.mount, None))
        if head is None:
            continue
        for line in findings(device.duty, looks, head, _sharp(pointing)):
            word: Any = "warning" if "shorter than" in line else "error"
            yield Found(word, f"{at}.duty", line.rstrip("."), "a preset that it has, or a longer stay")


def _looks(pointing: Pointing | None) -> dict[int, Aim]:
    if pointing is None:
        return {}
    return {each.number: Aim(0.0, 0.0, 1.0) for each in pointing.turned.presets}


def _sharp(pointing: Pointing | None) -> dict[int, float]:
    """How long each preset's picture takes to become sharp, where that was measured."""
    presets = () if pointing is None else pointing.turned.presets
    return {each.number: each.sharp_after_s for each in presets if each.sharp_after_s is not None}


@rule("While it follows nobody else is seen: the round starves.")
def call_outlasts_wish(checked: Checked) -> Iterator[Found]:
    for device, at, _ in _heads(checked):
        sheet = device.duty
        wish = min(sheet.wishes.values(), default=None) if sheet is not None else None
        if sheet is None or wish is None:
            continue
        if sheet.call_most_s is None or sheet.call_most_s > wish:
            most = "for ever" if sheet.call_most_s is None else f"for {sheet.call_most_s:g} s"
            what = f"a call may keep it {most}, and a place may go unseen for {wish:g} s"
            fix = Fix(f"A call lasts {wish:g} s at most", "device", device.code, ((("duty", "call_most_s"), wish),))
            yield Found("warning", f"{at}.duty", what, f"{wish:g} s at most for a call", fix)


@rule("A wish for a place that is not there is never met, and never missed.")
def wish_for_nowhere(checked: Checked) -> Iterator[Found]:
    known = {place.name for place in checked.site.places}
    known |= {aim.name for aim in (checked.site.plan.aims if checked.site.plan is not None else ())}
    for device, at, _ in _heads(checked):
        for name in device.duty.wishes if device.duty is not None else ():
            if name not in known:
                yield Found(
                    "error", f"{at}.duty", f"wishes for {name!r}, which is not on the plan", "a place, or an aim"
                )


@rule("Hours by a timetable that is not there are none.")
def duty_of_no_hours(checked: Checked) -> Iterator[Found]:
    for device, at, _ in _heads(checked):
        for row in device.duty.hours if device.duty is not None else ():
            if row.timetable not in checked.timetables:
                yield Found(
                    "error", f"{at}.duty", f"goes by {row.timetable!r}, which is not there", "a timetable of the site"
                )


@rule("Whoever comes there is not seen: the picture is hidden at that place.")
def mask_over_aim(checked: Checked) -> Iterator[Found]:
    """From its zoom on; below it the place is seen, and small."""
    for device, at, pointing in _heads(checked):
        if pointing is None or checked.site.plan is None:
            continue
        for aim in checked.site.plan.aims:
            if aim.device != device.code:
                continue
            places = [towards(pointing.head, (p[0], p[1], p[2] if len(p) > 2 else aim.height_m)) for p in aim.points]
            for mask in pointing.turned.masks:
                hidden = sum(mask.covers(*place) for place in places)
                if hidden:
                    whole = hidden == len(places) and mask.from_zoom <= 1
                    much = "" if len(places) == 1 else f"{hidden} of {len(places)} points of "
                    zoom = f" from {mask.from_zoom:g} times on" if mask.from_zoom > 1 else ""
                    what = f"its mask {mask.name!r} hides {much}{aim.name!r}{zoom}"
                    yield Found(
                        "error" if whole else "warning",
                        f"{at}.turned",
                        what,
                        "a smaller mask, or another device for it",
                    )


@rule("Whoever goes there by it sees what is hidden.")
def mask_over_preset(checked: Checked) -> Iterator[Found]:
    for _, at, pointing in _heads(checked):
        if pointing is None or not pointing.turned.masks:
            continue
        try:
            looks = {f"{p.number} {p.name}": pointing.aim(p.pan, p.tilt, p.zoom) for p in pointing.turned.presets}
        except Refused:
            continue  # what its registration says is told by another rule
        for name, aim in looks.items():
            for mask in pointing.turned.masks:
                if aim.zoom >= mask.from_zoom and mask.covers(aim.pan_deg, aim.tilt_deg):
                    what = f"preset {name} looks at what its mask {mask.name!r} hides"
                    yield Found("warning", f"{at}.turned", what, "another place for the preset, or a smaller mask")


@rule("The device's own picture shows it: to recorders, and to everybody who looks past this program.")
def mask_not_at_device(checked: Checked) -> Iterator[Found]:
    for device, at, _ in _heads(checked):
        names = [each.name for each in (device.turned.masks if device.turned else ()) if not each.is_given]
        if names:
            what = f"{', '.join(names)} is hidden here, and not by the device"
            yield Found("warning", f"{at}.turned", what, "given to the device, at its page")


RULES = (
    presets_of_one_name, preset_number_twice, preset_token_twice, registration_weak, head_moved, round_wrong,
    call_outlasts_wish, wish_for_nowhere, duty_of_no_hours, mask_over_aim, mask_over_preset, mask_not_at_device,
)  # fmt: skip
