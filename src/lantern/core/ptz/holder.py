"""Who has a head now, and where it is to look: the same duty as over a day, worked out again from moment to moment."""

from __future__ import annotations

from collections.abc import Callable, Sequence
from dataclasses import dataclass, field

from lantern.core.faults import Refused
from lantern.core.ptz.days import Site
from lantern.core.ptz.duty import Call, Dropped, Entry, Manual, Plan, Stretch, duty
from lantern.core.ptz.rounds import Sheet, Step, begun, steps_of, taken_up_s
from lantern.core.watch import Aim

MINUTE_S = 60.0
STILL_S = 5.0  # a call that asks still goes on for so long at least
MOMENT_S = 1e-3
OnNow = Callable[[str, float], bool]  # a timetable's name, and when, s


@dataclass
class Holder:
    """One head's. Times in s of one clock that only goes on. What was before it began is not made up for."""

    sheet: Sheet
    site: Site
    is_on: OnNow
    began_s: float
    stretch: Stretch | None = None
    dropped: Dropped | None = None  # the call that asks, if nothing comes of it
    _calls: list[Call] = field(default_factory=list)
    _asks: tuple[str, float, int] | None = None  # who, since when, its rank
    _minutes: dict[int, str | None] = field(default_factory=dict)
    _due: dict[str, int] = field(default_factory=dict)
    _doing: str | None = None
    _steps: tuple[Step, ...] = ()
    _at: int = 0
    _leaves_s: float = 0.0

    def asks(self, t: float, who: str, rank: int) -> None:
        """Somebody calls it, and does so still; of several at once the first, until a greater rank asks."""
        if self._asks is not None and self._asks[0] != who and rank <= self._asks[2]:
            return
        if self._asks is None or self._asks[0] != who:
            self.over(t)
            self._asks = (who, t, rank)

    def over(self, t: float, who: str | None = None) -> None:
        """Whoever called it asks no more; `who`: only if it is that one."""
        if self._asks is None or (who is not None and self._asks[0] != who):
            return
        name, since, rank = self._asks
        if t > since:
            self._calls.append(Call(at_s=since, for_s=self._most(t - since), do=name, rank=rank))
        self._asks = None

    def lets(self, who: str) -> bool:
        """Return whether it is that caller's now."""
        return self.stretch is not None and self.stretch.by == "call" and self.stretch.do == who

    def _most(self, length_s: float) -> float:
        return length_s if self.sheet.call_most_s is None else min(length_s, self.sheet.call_most_s)

    def now(self, t: float, manual: Sequence[Manual], looks: Aim | None) -> Step | None:
        """Work out who has it at `t`, and return where it is to go now, and how fast, where that changes; None: it goes on as it does."""
        from_s = max(self.began_s, t - self.sheet.idle_after_s - 2 * MINUTE_S)
        calls = [each for each in self._calls if each.at_s + each.for_s > from_s]
        self._calls = calls
        if self._asks is not None:
            who, since, rank = self._asks
            calls = [*calls, Call(at_s=since, for_s=self._most(t - since + STILL_S), do=who, rank=rank)]
        found = duty(
            Plan(
                from_s=from_s,
                to_s=t + MOMENT_S,
                release_s=self.sheet.release_s,
                idle_after_s=self.sheet.idle_after_s,
                idle=self.sheet.idle,
                timetable=tuple(self._entries(from_s, t)),
                calls=tuple(calls),
                manual=tuple(manual),
            )
        )
        self.stretch = found.stretches[-1]
        asked = None if self._asks is None else self._asks[1]
        self.dropped = next((each for each in found.dropped if each.at_s == asked), None)
        return self._done(t, looks)

    def _entries(self, from_s: float, t: float) -> list[Entry]:
        """Return what its hours had it do, minute by minute."""
        first, last = int(from_s // MINUTE_S), int(t // MINUTE_S)
        self._minutes = {minute: do for minute, do in self._minutes.items() if minute >= first}
        out: list[Entry] = []
        for minute in range(first, last + 1):
            if minute not in self._minutes:
                on = (row.do for row in self.sheet.hours if self.is_on(row.timetable, minute * MINUTE_S))
                self._minutes[minute] = next(on, None)
            do = self._minutes[minute]
            if do is None:
                continue
            begins, ends = minute * MINUTE_S, (minute + 1) * MINUTE_S
            if out and out[-1].do == do and out[-1].to_s == begins:
                out[-1] = Entry(from_s=out[-1].from_s, to_s=ends, do=do)
            else:
                out.append(Entry(from_s=begins, to_s=ends, do=do))
        return out

    def _done(self, t: float, looks: Aim | None) -> Step | None:
        """Go on with what it does by itself; one that was taken from it goes on at the stop that was due."""
        held = self.stretch
        do = held.do if held is not None and held.by in ("timetable", "idle") else None
        if do != self._doing:
            if self._doing is not None and self._steps:
                self._due[self._doing] = (self._at + (1 if t >= self._leaves_s else 0)) % len(self._steps)
            self._doing = do
            self._steps = self._known(do) if do is not None else ()
            if not self._steps or do is None:
                return None
            self._at = self._due.get(do, 0) % len(self._steps)
            step = self._steps[self._at]
            self._leaves_s = t + taken_up_s(self.site.head, looks or step.aim, step) + step.stay_s
            return begun(step)
        if not self._steps or t < self._leaves_s or len(self._steps) == 1:
            return None
        while t >= self._leaves_s:  # one that was asked late goes on with what would be on now
            self._at = (self._at + 1) % len(self._steps)
            self._leaves_s += self._steps[self._at].go_s + self._steps[self._at].stay_s
        return self._steps[self._at]

    def _known(self, do: str) -> tuple[Step, ...]:
        try:
            return steps_of(self.sheet, do, self.site.looks, self.site.head)
        except Refused:
            return ()  # a finding of its page: it stands where it was
