"""Names that compounds and links of a site lead by: each is there, and is of the right sort."""

from __future__ import annotations

from collections.abc import Collection, Mapping, Sequence
from dataclasses import dataclass

from lantern.core.effects.effect import Effect
from lantern.core.effects.say.effect import Say
from lantern.core.effects.switch.effect import Switch
from lantern.core.faults import FaultList
from lantern.core.linking.links import LinkRule
from lantern.core.linking.outputs import Output
from lantern.core.logic.causes import Cause
from lantern.core.logic.compounds import Compound


@dataclass(frozen=True)
class Names:
    """What there is on a site, by name. `kinds`: of devices, by code."""

    detectors: Collection[str]
    inputs: Collection[str]
    compounds: Collection[str]
    timetables: Collection[str]
    messages: Collection[str]
    outputs: Mapping[str, Output]
    kinds: Mapping[str, str]

    def check_compounds(self, compounds: Sequence[Compound], faults: FaultList) -> None:
        for name in sorted(set(self.compounds) & set(self.detectors)):
            faults.add(f"compounds: {name}", "is called as a detector is", "a name of its own")
        for n, held in enumerate(compounds):
            self._leads(f"compounds.{n}.timetable", held.timetable, self.timetables, faults)
            for m, part in enumerate(held.parts):
                self._check_cause(f"compounds.{n}.parts.{m}", part, faults)

    def check_link(self, where: str, link: LinkRule, faults: FaultList) -> None:
        what, name = link.of
        self._leads(f"{where}.{what}", name, self._causes(what), faults)
        self._leads(f"{where}.timetable", link.timetable, self.timetables, faults)
        self.check_effects(where, link, faults)

    def check_effects(self, where: str, link: LinkRule, faults: FaultList) -> None:
        for m, effect in enumerate(link.effects):
            self._check_effect(f"{where}.effects.{m}", effect, faults, limited=link.bucket is not None)

    def _causes(self, what: str) -> Collection[str]:
        return {"detector": self.detectors, "input": self.inputs, "compound": self.compounds}[what]

    def _check_cause(self, where: str, cause: Cause, faults: FaultList) -> None:
        for what in ("detector", "input", "compound"):
            self._leads(f"{where}.{what}", getattr(cause, what), self._causes(what), faults)

    def _check_effect(self, at: str, effect: Effect, faults: FaultList, *, limited: bool) -> None:
        for code in effect.devices_named:
            fit = {own for own, kind in self.kinds.items() if effect.DEVICE_KIND in ("", kind)}
            self._leads(f"{at}.{effect.ON}", code, fit, faults)
        if isinstance(effect, Say):
            self._leads(f"{at}.message", effect.message, self.messages, faults)
        if isinstance(effect, Switch):
            self._leads(f"{at}.output", effect.output, self.outputs, faults)
            output = self.outputs.get(effect.output)
            if output is not None and output.life_safety and limited:
                what = f"{output.name} is marked life safety, and the link has a limit"
                faults.add(at, what, "a link without a limit: nothing may hold that back")
            if output is not None and effect.flash_hz is not None and not output.flashes:
                faults.add(at, "a relay does not flash", "flash_hz for a beacon only")

    @staticmethod
    def _leads(where: str, name: str | None, there: Collection[str], faults: FaultList) -> None:
        if name is not None and name not in there:
            faults.add(where, f"there is no {name!r}", f"one of {', '.join(sorted(there)) or 'none that there is'}")
