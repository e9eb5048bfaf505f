"""What became of each passage, and why: raised, dropped, or the first thing that it lacked where it came nearest to a raise."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from datetime import date
from typing import Any

from lantern.core.plates.conditions.condition import counted
from lantern.core.plates.conditions.every import CONDITIONS, lacking, sure_enough
from lantern.core.plates.deciding import Raised, listed
from lantern.core.plates.dials import PlateDials
from lantern.core.plates.history import History
from lantern.core.plates.lists import Nearest, Rolls
from lantern.core.reasons import Reason

# What may become of a passage, in words, from the nearest to a raise to the farthest.
WORDS = {
    "raised": "raised",
    "dropped": "raised before",
    "expired": "entry ended",
    "not_yet": "entry begins later",
    "runner_up": "two entries too near",
    "unlisted": "on no list",
    "listed": "on a list",
    **{code: words for condition in CONDITIONS[::-1] for code, words in condition.words.items()},
    "unread": "no read counts",
}
# Those of a passage that was not read well enough.
DOUBTFUL = {"runner_up", "unread"}.union(*(each.words for each in CONDITIONS if each.doubtful))
ORDER = tuple(WORDS)
Near = Callable[[int], Nearest]


def verdicts(
    history: History,
    reads: Sequence[int],
    near: Near,
    rolls: Rolls,
    day: Callable[[float], date],
    dials: PlateDials,
    first: Sequence[Raised],
    kept: Sequence[Raised],
) -> list[Reason]:
    """Return the verdict of each passage. `reads`: how many each has; `first`, `kept`: raises before and after the re-arm time."""
    raised = {each.passage: each for each in first}
    let = {each.passage for each in kept}
    rows: dict[int, list[int]] = {}
    for row, passage in enumerate(history.passage.tolist()):
        rows.setdefault(passage, []).append(row)
    sure = sure_enough(history, dials)
    out = []
    for passage, many in enumerate(reads):
        own = rows.get(passage, [])
        if passage in raised:
            out.append(_raised(history, raised[passage], near, dials, dropped=passage not in let))
        elif not own:
            out.append(Reason("unread", f"None of its {counted(many)} counts.", {"reads": many}))
        else:
            ready = [row for row in own if sure[row]]
            out.append(_refused(history, ready[-1], near, rolls, day, dials) if ready else lacking(history, own, dials))
    return out


def refusal(
    history: History, row: int, nearest: Nearest, rolls: Rolls, day: Callable[[float], date], dials: PlateDials
) -> Reason:
    """Return why a passage did not raise, by what was known of it at one row of its history."""
    if sure_enough(history, dials)[row]:
        return _refused(history, row, lambda _: nearest, rolls, day, dials)
    return lacking(history, [row], dials)


def _raised(history: History, each: Raised, near: Near, dials: PlateDials, *, dropped: bool) -> Reason:
    figures: dict[str, Any] = {
        "read": int(history.count[each.row]),
        "t_s": each.t,
        "vote": float(history.confidence[each.row]),
    }
    if dropped:
        text = f"{each.text} raised less than {dials.rearm_s:g} s ago: one raise of a text in that time."
        return Reason("dropped", text, figures)
    said = f"{each.text}, {100 * figures['vote']:.0f} % sure after {counted(figures['read'])}"
    nearest = near(each.row)
    if dials.when == "listed" and nearest.listed is not None:
        entry, name = nearest.listed.entry.text, nearest.listed.list
        figures |= {"distance": nearest.distance, "match": entry, "list": name}
        far = f", {nearest.distance:g} from it" if nearest.distance else ""
        return Reason("raised", f"{said}: matches {entry} on {name}{far}.", figures)
    return Reason("raised", f"{said}: {'on no list' if dials.when == 'unlisted' else 'every plate raises'}.", figures)


def _refused(
    history: History, row: int, near: Near, rolls: Rolls, day: Callable[[float], date], dials: PlateDials
) -> Reason:
    """Return all held but what the lists say."""
    text, nearest = history.text[row], near(row)
    figures: dict[str, Any] = {"text": text, "distance": None, "match": None, "list": None}
    if nearest.listed is not None:
        entry, name = nearest.listed.entry.text, nearest.listed.list
        figures |= {"distance": nearest.distance, "match": entry, "list": name}
        if dials.when == "unlisted":
            return Reason("listed", f"{text} is on {name}, as {entry}.", figures)
        if nearest.near(dials.tolerance) and not listed(nearest, dials):
            said = f"{entry} is {nearest.distance:g} away, and the next entry only {nearest.ahead:g} farther; {dials.runner_up:g} asked."
            return Reason("runner_up", f"{text} could be two entries: {said}", figures)
    on = day(float(history.t_s[row]))
    for each in rolls.listed:
        if each.key == text and not each.entry.holds(on):
            over = each.entry.until is not None and each.entry.until < on
            said = f"ended on {each.entry.until}" if over else f"begins on {each.entry.since}"
            figures |= {"match": each.entry.text, "list": each.list, "distance": 0.0}
            return Reason(
                "expired" if over else "not_yet", f"The entry of {each.entry.text} on {each.list} {said}.", figures
            )
    if nearest.listed is not None:
        said = (
            f"the nearest entry, {nearest.listed.entry.text}, is {nearest.distance:g} away, {dials.tolerance:g} allowed"
        )
        return Reason("unlisted", f"{text} is on no list; {said}.", figures)
    return Reason("unlisted", f"{text} is on no list.", figures)
