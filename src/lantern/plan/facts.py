"""What a mount gives of itself, whatever it is for: fields, reaches, widths, levels, in words for a page."""

from __future__ import annotations

from functools import singledispatch

from lantern.core.optics.grades import EDITIONS, Edition
from lantern.core.optics.mount import Mount, View
from lantern.core.promise import overhead, radar, sound
from lantern.core.promise.claim import Standing
from lantern.core.promise.following import Turning, reach_m
from lantern.core.promise.radar import CLASSES, Radar
from lantern.core.promise.sound import Speaker
from lantern.core.promise.waveform import Waveform, rain_db

Facts = list[tuple[str, str]]
SHOWN_GRADES = 3  # the densest of those that are reached


def facts(mount: Standing, edition_name: str) -> Facts:
    """(label, value with its unit) for each."""
    return _facts(mount, EDITIONS[edition_name])


@singledispatch
def _facts(mount: Standing, edition: Edition) -> Facts:
    raise TypeError(type(mount).__name__)


@_facts.register
def _(mount: Mount, edition: Edition) -> Facts:
    field = [("Field", f"{mount.hfov_deg:.1f}° by {mount.vfov_deg:.1f}°")]
    if mount.tilt_deg >= overhead.STRAIGHT_DOWN_DEG:
        for words, above in (
            ("Seen at the floor", 0.0),
            (f"Seen at {overhead.SHOULDER_M:g} m, a shoulder", overhead.SHOULDER_M),
        ):
            size = overhead.footprint_m(mount, above)
            field.append((words, "nothing" if size is None else f"{size[0]:.2f} by {size[1]:.2f} m"))
        return field
    view = View(mount)
    near = "nothing" if view.near_m is None else f"{max(view.near_m, 0):.1f} m"
    far = "the horizon" if view.far_m is None else f"{view.far_m:.1f} m"
    return [*field, ("Ground seen", f"{near} to {far}"), *_grades(mount, mount.focal_mm, "", edition)]


@_facts.register
def _(mount: Turning, edition: Edition) -> Facts:
    at_rest = _facts.dispatch(Mount)(mount, edition)[:2]
    return [
        *at_rest,
        *_grades(mount, mount.wide_mm, ", wide", edition),
        *_grades(mount, mount.tele_mm, ", full zoom", edition),
    ]


def _grades(mount: Mount, focal_mm: float, words: str, edition: Edition) -> Facts:
    """Return how far over the ground a grade holds, looked straight at."""
    reached = [(name, reach_m(mount, focal_mm, least)) for name, least in edition.grades]
    return [(f"{name.capitalize()}{words}", f"to {far:.0f} m") for name, far in reached if far > 1][-SHOWN_GRADES:]


@_facts.register
def _(mount: Radar, edition: Edition) -> Facts:
    seen = [(f"Sees a {name}", f"to {radar.range_of(mount.range_m, rcs):.0f} m") for name, rcs in CLASSES.items()]
    rain = ("Heavy rain takes", f"{rain_db(mount.range_m):.2f} dB at its reach: it is the drops near it that raise")
    return [*seen, *_waveform(mount.waveform), rain]


def _waveform(held: Waveform | None) -> Facts:
    if held is None:
        return []
    shift = f"{held.doppler_hz(overhead.WALK_MPS):.0f} Hz straight on, {held.doppler_hz(overhead.WALK_MPS, 60):.0f} Hz at 60°"
    return [
        ("Tells apart", f"ranges by {held.range_step_m:.2f} m, speeds by {held.speed_step_mps:.2f} m/s"),
        ("Speeds fold", f"beyond {held.fastest_mps:.1f} m/s: who comes faster seems to go"),
        ("A walker shifts it", shift),
        ("Heard at its reach", f"{held.beat_hz(100.0) / 1000:.0f} kHz for each 100 m"),
    ]


@_facts.register
def _(mount: Speaker, edition: Edition) -> Facts:
    return [(f"On its axis at {at:g} m", f"{sound.on_axis_db(mount, at):.1f} dB(A)") for at in (1.0, 10.0, 30.0)]
