"""The links of a whole site: 100,000 events through 50 compounds and 100 links, beside a plain loop over the same events."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bench.figures import Figure, seconds, sized

EVENTS, COMPOUNDS, LINKS = sized(100_000, 500), 50, 100
DETECTORS, DAY_S = 100, 86_400.0
KINDS = ("any", "all", "sequence", "unless")


def run() -> Iterator[Figure]:
    from lantern.core.linking.links import LinkRule
    from lantern.core.linking.whole import Given, Rules, rehearsed
    from lantern.core.logic.compounds import Compound

    rng = np.random.default_rng(1)
    times, who = np.sort(rng.uniform(0, DAY_S, EVENTS)), rng.integers(0, DETECTORS, EVENTS)
    events = [
        Given("detector", f"d{n}", float(t), float(t) + 1.0, False, "r")
        for t, n in zip(times.tolist(), who.tolist(), strict=True)
    ]
    compounds = tuple(
        Compound.model_validate(
            {
                "name": f"c{n}",
                "kind": KINDS[n % 4],
                "parts": [{"detector": f"d{(2 * n + k) % DETECTORS}"} for k in range(3)],
                **({"within_s": 20} if n % 4 in (1, 2) else {"quiet_s": 5, "wait_s": 2} if n % 4 == 3 else {}),
            }
        )
        for n in range(COMPOUNDS)
    )  # each detector is a part of two at most
    links = tuple(
        LinkRule.model_validate(
            {
                "name": f"l{n}",
                **({"detector": f"d{n}"} if n < DETECTORS // 2 else {"compound": f"c{n % COMPOUNDS}"}),
                "effects": [{"output": f"o{n}", "length_s": 2.0}],
            }
        )
        for n in range(LINKS)
    )
    rules = Rules(links, compounds, {}, {}, lambda name, t_s: True)

    def plainly() -> int:
        """What a loop costs that asks of each event which links and compounds name its detector, and no more."""
        count = 0
        named = {f"d{n}": 0 for n in range(DETECTORS)}
        for each in events:
            named[each.name] += 1
            count += each.cleared_s is not None
        return count

    took, loop = seconds(lambda: rehearsed(rules, events), 1), seconds(plainly)
    yield Figure(f"{EVENTS:,} events, {COMPOUNDS} compounds, {LINKS} links", took, "s", 1.0)
    yield Figure("of a plain loop over the events", took / loop, "")
