"""Radars on one channel whose sectors overlap: each hears the other, and tells of targets that are none."""

from __future__ import annotations

from itertools import count

from lantern.core.optics.verdicts import OFTEN, Wish, Word
from lantern.core.promise import radar
from lantern.core.promise.claim import Around, Claim, Remedy, Stood
from lantern.core.promise.radar import Radar

ALONE = Wish("shared_m2", 0, "m²", False, OFTEN, label="Shared on its channel")


def claims(stood: Stood, around: Around, cured: bool) -> list[Claim]:
    """One for a radar whose channel is said; common practice, no source: it warns, for how much is disturbed nobody foretells."""
    mount = stood.mount
    if not isinstance(mount, Radar) or mount.channel is None:
        return []
    own = radar.sector(mount, mount.range_m)
    others = [each for each in around.others if each.code != stood.code]
    near = {
        each.code: (each.mount.channel, shared)
        for each in others
        if isinstance(each.mount, Radar)
        and (shared := own.intersection(radar.sector(each.mount, each.mount.range_m)).area) > 0
    }
    beside = {code: shared for code, (channel, shared) in near.items() if channel == mount.channel}
    value = max(beside.values(), default=0.0)
    reason = f"with {', '.join(sorted(beside))} on channel {mount.channel}" if beside else f"channel {mount.channel}"
    remedies = []
    if cured and beside:
        taken = {channel for channel, _ in near.values()}
        free = next(number for number in count(1) if number not in taken)
        remedies.append(Remedy(f"channel {free} instead of {mount.channel}", {"channel": free}))
    verdict: Word = "marginal" if beside else "pass"
    return [Claim(stood.code, ALONE.name, ALONE.label, value, ALONE, verdict, reason, None, remedies)]
