"""What goes wrong with links: causes without effects, effects without causes, texts that say nothing, priorities that never win."""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator
from itertools import combinations
from string import Formatter
from urllib.parse import urlsplit

from lantern.core.effects.clip.effect import Clip
from lantern.core.effects.effect import Effect, Exclusive
from lantern.core.effects.follow.effect import Follow
from lantern.core.effects.go_to.effect import GoTo
from lantern.core.effects.mail.effect import Mail
from lantern.core.effects.post.effect import Post
from lantern.core.effects.say.effect import Say
from lantern.core.effects.switch.effect import Switch
from lantern.core.linking.links import LinkRule
from lantern.core.linking.outputs import MOST_FLASHES_PER_S
from lantern.core.preflight.checked import Checked
from lantern.core.preflight.finding import Fix, Found, rule

SPOKEN = (".wav", ".flac", ".ogg")
WHERE = {"place", "detector", "region"}  # one of them says where it is
PULSE_S = 0.5  # a contactor or a lock needs as long to pull; common practice, no source
LOUDER_DB = 6.0


@rule("Somebody built it to do something, and nothing comes of it.")
def link_does_nothing(checked: Checked) -> Iterator[Found]:
    for link in checked.links:
        if not link.effects:
            yield Found("error", _at(link), "has no effect", "give it one, or take it away")


@rule("What is retired raises nothing: the link waits for ever.")
def link_of_retired(checked: Checked) -> Iterator[Found]:
    for at, cause in checked.causes:
        detector = checked.detectors.get(cause.detector or "")
        if detector is not None and detector.retired:
            yield Found("error", at, f"listens to {detector.name}, which is retired", "another cause")
        elif detector is not None and checked.is_retired(detector.device):
            yield Found(
                "error", at, f"listens to {detector.name} of {detector.device}, which is retired", "another cause"
            )


@rule("A detector that does not run raises nothing.")
def link_of_disabled(checked: Checked) -> Iterator[Found]:
    for at, cause in checked.causes:
        detector = checked.detectors.get(cause.detector or "")
        if detector is not None and not detector.enabled and not detector.retired:
            yield Found("error", at, f"listens to {detector.name}, which does not run", "let it run, or another cause")


@rule("It is armed only while its cause sleeps, so nothing ever comes of it.")
def link_asleep_with_its_cause(checked: Checked) -> Iterator[Found]:
    compounds = {each.name: each.timetable for each in checked.compounds}
    for link in checked.links:
        cause, own = link.cause, link.timetable
        what, name = ("detector", cause.detector) if cause.detector else ("input", cause.input)
        theirs = compounds.get(cause.compound or "") or checked.hours.get((what, name or ""))
        if (
            own
            and theirs
            and not checked.is_empty(own)
            and not checked.is_empty(theirs)
            and not checked.meet([own, theirs])
        ):
            yield Found("error", _at(link), f"{own} and {theirs} are never on together", "hours that meet")


@rule("It is ordered only while its own timetable is off.")
def output_asleep_with_its_link(checked: Checked) -> Iterator[Found]:
    for link, effect in checked.effects:
        if not isinstance(effect, Switch):
            continue
        theirs, own = checked.hours.get(("output", effect.output)), link.timetable
        if (
            own
            and theirs
            and not checked.is_empty(own)
            and not checked.is_empty(theirs)
            and not checked.meet([own, theirs])
        ):
            what = f"{theirs} of {effect.output} and {own} of {link.name} are never on together"
            yield Found("error", checked.output_at(effect.output), what, "hours that meet")


@rule("It was wired and costs a coil, and nothing switches it: forgotten, or its link is missing.")
def output_unused(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        for output in device.outputs:
            if output.name not in checked.switched:
                yield Found("warning", checked.output_at(output.name), "no link switches it", "a link, or take it away")


@rule("It is wired and watched, and nobody listens.")
def input_unused(checked: Checked) -> Iterator[Found]:
    heard = {cause.input for _, cause in checked.causes if cause.input}
    for device in checked.in_use:
        for each in device.inputs:
            if each.name not in heard:
                yield Found("note", checked.input_at(each.name), "no link and no compound listens to it", "a link")


@rule("Two names on one coil switch each other.")
def coil_twice(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        for coil, count in Counter(output.coil for output in device.outputs).items():
            if count > 1:
                names = ", ".join(output.name for output in device.outputs if output.coil == coil)
                yield Found("error", f"{checked.device_at(device.code)}", f"coil {coil} is {names}", "a coil each")


@rule("Two names on one contact are never told apart.")
def contact_twice(checked: Checked) -> Iterator[Found]:
    for device in checked.in_use:
        for contact, count in Counter(each.discrete for each in device.inputs if each.discrete is not None).items():
            if count > 1:
                names = ", ".join(each.name for each in device.inputs if each.discrete == contact)
                yield Found(
                    "error", checked.device_at(device.code), f"discrete input {contact} is {names}", "a contact each"
                )


@rule("Without a contact its state is never known.")
def input_not_wired(checked: Checked) -> Iterator[Found]:
    heard = {cause.input for _, cause in checked.causes if cause.input}
    for device in checked.in_use:
        for each in device.inputs:
            if each.discrete is None and each.supervised is None and each.name in heard:
                yield Found(
                    "error", checked.input_at(each.name), "is listened to, and is on no contact", "its discrete input"
                )


@rule(
    "Light that flashes faster than 3 times a second can bring on seizures (WCAG 2.3.1, from memory); beacons out of step add up."
)
def flashes_add_up(checked: Checked) -> Iterator[Found]:
    for link in checked.links:
        rates = [effect.flash_hz for effect in link.effects if isinstance(effect, Switch) and effect.flash_hz]
        if len(rates) > 1 and sum(rates) > MOST_FLASHES_PER_S:
            what = f"its beacons flash {sum(rates):g} times a second together"
            yield Found("warning", _at(link), what, f"{MOST_FLASHES_PER_S:g} a second at most, all together")


@rule("A contactor or a lock needs that long to pull: what is shorter may do nothing.")
def pulse_short(checked: Checked) -> Iterator[Found]:
    for link in checked.links:
        for n, effect in enumerate(link.effects):
            if isinstance(effect, Switch) and effect.mode == "pulse" and effect.length_s < PULSE_S:
                what = f"switches {effect.output} for {effect.length_s:g} s"
                fix = Fix(f"Switch it for {PULSE_S:g} s", "link", link.name, ((("effects", n, "length_s"), PULSE_S),))
                yield Found("warning", _at(link), what, f"{PULSE_S:g} s at least", fix)


@rule("Whoever is called must know where to go.")
def text_without_place(checked: Checked) -> Iterator[Found]:
    for link, effect in checked.effects:
        if isinstance(effect, Mail | Post):
            text = f"{effect.subject} {effect.text}" if isinstance(effect, Mail) else effect.text
            if not _filled(text) & WHERE:
                what = f"its {effect.do} does not say where"
                yield Found("warning", _at(link), what, "{place}, {detector} or {region} in its text")
    spoken = {effect.message for _, effect in checked.effects if isinstance(effect, Say)}
    for name, message in checked.messages.items():
        if (
            name in spoken
            and message.text is not None
            and not _filled(message.text) & WHERE
            and not _names_place(message.text, checked)
        ):
            yield Found("warning", f"messages[{name}]", "does not say where", "{place}, or the name of a place")


@rule("An address that is none is never reached.")
def mail_to_nobody(checked: Checked) -> Iterator[Found]:
    for link, effect in checked.effects:
        for to in effect.to if isinstance(effect, Mail) else ():
            name, _, host = to.partition("@")
            if not name or "." not in host:
                yield Found("error", _at(link), f"mails {to!r}, which is no address", "somebody@somewhere.example")


@rule("Whoever is on the network reads it, and can send it too.")
def post_in_the_open(checked: Checked) -> Iterator[Found]:
    for link, effect in checked.effects:
        if isinstance(effect, Post) and urlsplit(effect.to).scheme in ("http", "mqtt", "tcp"):
            yield Found(
                "note", _at(link), f"posts to {effect.to} unencrypted", "https or mqtts, where the other side can"
            )


@rule("A post to nowhere is tried until it expires, and nobody reads it.")
def post_to_nowhere(checked: Checked) -> Iterator[Found]:
    for link, effect in checked.effects:
        if isinstance(effect, Post) and not urlsplit(effect.to).hostname:
            yield Found("error", _at(link), f"posts to {effect.to!r}, which names no host", "an address with a host")


@rule("The other one always comes first: this one is busy each time.")
def priority_never_wins(checked: Checked) -> Iterator[Found]:
    taken: dict[tuple[str, str], list[tuple[LinkRule, Exclusive]]] = defaultdict(list)
    for link, effect in checked.effects:
        if isinstance(effect, Exclusive):
            for thing in effect.things:
                taken[effect.TAKES, thing].append((link, effect))
    for (_, thing), orders in taken.items():
        for (one, first), (other, second) in combinations(orders, 2):
            if one is other or one.cause != other.cause or one.delay_s != other.delay_s:
                continue
            if one.timetable == other.timetable and second.when_busy == "drop" and second.priority >= first.priority:
                what = f"asks for {thing} at the same moment as {one.name}, with no greater priority"
                yield Found("error", _at(other), what, "a greater priority, or let it wait")


@rule("It says, goes and follows by what it has: without it, it does nothing.")
def effect_cannot_be(checked: Checked) -> Iterator[Found]:
    for link, effect in checked.effects:
        for what in _missing(checked, effect):
            yield Found("error", _at(link), what, "what it needs, or another effect")


def _missing(checked: Checked, effect: Effect) -> Iterator[str]:
    named = (
        [effect.device]
        if isinstance(effect, GoTo | Follow)
        else list(effect.devices)
        if isinstance(effect, Say | Clip)
        else []
    )
    for code in named:
        if checked.is_retired(code):
            yield f"asks {code}, which is retired"
    if isinstance(effect, GoTo) and effect.preset is not None:
        device = checked.devices.get(effect.device)
        presets = device.turned.presets if device is not None and device.turned is not None else ()
        if not any(effect.preset in (each.number, each.name, each.token, str(each.number)) for each in presets):
            yield f"sends {effect.device} to preset {effect.preset}, which it has not"
    if isinstance(effect, GoTo | Follow):
        device = checked.devices.get(effect.device)
        if (
            device is not None
            and (device.turned is None or not device.turned.pairs)
            and (isinstance(effect, Follow) or effect.at)
        ):
            yield f"{effect.device} is not registered to the plan: it does not know where that is"


@rule("A speaker plays what it can read.")
def message_format(checked: Checked) -> Iterator[Found]:
    for name, message in checked.messages.items():
        if message.file is not None and not message.file.lower().endswith(SPOKEN):
            yield Found("error", f"messages[{name}]", f"its file is {message.file}", f"one of {', '.join(SPOKEN)}")


@rule("Live nothing is heard: the order says why, and the alarm is over.")
def message_silent(checked: Checked) -> Iterator[Found]:
    for name, message in checked.messages.items() if checked.sounds is not None else ():
        if message.file is not None and name not in (checked.sounds or {}):
            yield Found("error", f"messages[{name}]", f"nobody has brought {message.file} yet", "its sound")
        elif message.text is not None and not checked.speaks:
            what = "nothing on this machine speaks a text"
            yield Found("warning", f"messages[{name}]", what, "a sound of it, or espeak-ng on this machine")


@rule("What was cut off when it was recorded stays distorted, however quietly it is played.")
def message_clipped(checked: Checked) -> Iterator[Found]:
    for name, sound in (checked.sounds or {}).items():
        if sound.clipped:
            what = f"is cut off at full scale in {sound.clipped} places"
            yield Found("warning", f"messages[{name}]", what, "a recording that is quieter")


@rule("A speaker's level is said for full scale: a quiet recording is heard as far beneath the plan's level.")
def message_quiet(checked: Checked) -> Iterator[Found]:
    for link, effect in checked.effects:
        sound = (checked.sounds or {}).get(effect.message) if isinstance(effect, Say) else None
        if sound is not None and isinstance(effect, Say) and sound.is_quiet(effect.gain_db):
            below_db, room_db = sound.below_db(effect.gain_db), sound.room_db(effect.gain_db)
            what = f"says {effect.message} {below_db:.0f} dB beneath the level that the plan counts with"
            yield Found(
                "warning",
                _at(link),
                what,
                f"up to {room_db:.0f} dB more gain, or a recording that is louder on the whole",
            )


@rule("It was spoken, and nobody says it.")
def message_unused(checked: Checked) -> Iterator[Found]:
    said = {effect.message for _, effect in checked.effects if isinstance(effect, Say)}
    for name in checked.messages:
        if name not in said:
            yield Found("note", f"messages[{name}]", "no link says it", "a link, or take it away")


@rule("A recording has peaks near its full scale: much gain clips them, and words are lost.")
def gain_clips(checked: Checked) -> Iterator[Found]:
    for link, effect in checked.effects:
        if isinstance(effect, Say) and effect.gain_db > LOUDER_DB:
            yield Found(
                "warning",
                _at(link),
                f"says {effect.message} {effect.gain_db:g} dB louder",
                f"{LOUDER_DB:g} dB at most",
            )


@rule("Cut off before its end, a message is not understood.")
def message_cut(checked: Checked) -> Iterator[Found]:
    for link, effect in checked.effects:
        message = checked.messages.get(effect.message) if isinstance(effect, Say) else None
        if message is not None and isinstance(effect, Say) and effect.length_s is not None:
            whole = message.length_s * effect.repeats
            if effect.length_s < message.length_s:
                what = f"says {effect.message} for {effect.length_s:g} s, which takes {whole:g} s"
                yield Found("warning", _at(link), what, f"{message.length_s:g} s at least")


@rule("A clip of no length shows nothing.")
def clip_of_no_length(checked: Checked) -> Iterator[Found]:
    for link, effect in checked.effects:
        if isinstance(effect, Clip) and effect.before_s + effect.after_s <= 0 and not effect.still:
            yield Found("error", _at(link), "keeps a clip of no length", "seconds before or after, or a still")


def _at(link: LinkRule) -> str:
    return f"links[{link.name}]"


def _filled(text: str) -> set[str]:
    return {name for _, name, _, _ in Formatter().parse(text) if name}


def _names_place(text: str, checked: Checked) -> bool:
    return any(place.name.casefold() in text.casefold() for place in checked.site.places)


RULES = (
    link_does_nothing, link_of_retired, link_of_disabled, link_asleep_with_its_cause, output_asleep_with_its_link,
    output_unused, input_unused, coil_twice, contact_twice, input_not_wired, flashes_add_up, pulse_short,
    text_without_place, mail_to_nobody, post_in_the_open, post_to_nowhere, priority_never_wins, effect_cannot_be,
    message_format, message_silent, message_clipped, message_quiet, message_unused, gain_clips, message_cut, clip_of_no_length,
)  # fmt: skip
