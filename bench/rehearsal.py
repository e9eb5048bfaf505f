"""A day of a site with twelve detectors and 100,000 events, once they are judged: played, asked what is expected, and with one link changed."""

from __future__ import annotations

from collections.abc import Iterator

import numpy as np

from bench.figures import Figure, seconds, sized

EVENTS, DETECTORS, DAY_S = sized(100_000, 500), 12, 86_400.0
COMPOUNDS, LINKS, EXPECTED = 6, 24, 12


def run() -> Iterator[Figure]:
    from lantern.core.linking.expectations import Expectation, judged
    from lantern.core.linking.links import LinkRule
    from lantern.core.linking.whole import Given, Line, Rules, rehearsed
    from lantern.core.logic.compounds import Compound

    rng = np.random.default_rng(1)
    times, who = np.sort(rng.uniform(0, DAY_S, EVENTS)), rng.integers(0, DETECTORS, EVENTS)
    events = [
        Given("detector", f"d{n}", float(t), float(t) + 2.0, False, "r")
        for t, n in zip(times.tolist(), who.tolist(), strict=True)
    ]
    compounds = tuple(
        Compound.model_validate(
            {
                "name": f"c{n}",
                "kind": "all" if n % 2 else "unless",
                "parts": [{"detector": f"d{2 * n}"}, {"detector": f"d{2 * n + 1}"}],
                **({"within_s": 10} if n % 2 else {"quiet_s": 3, "wait_s": 1}),
            }
        )
        for n in range(COMPOUNDS)
    )
    links = tuple(
        LinkRule.model_validate(
            {
                "name": f"l{n}",
                **({"detector": f"d{n}"} if n < DETECTORS else {"compound": f"c{n % COMPOUNDS}"}),
                "effects": [{"output": f"o{n}", "length_s": 2.0}],
                "delay_s": float(n % 3),
            }
        )
        for n in range(LINKS)
    )
    expectations = tuple(
        Expectation.model_validate(
            {"name": f"e{n}", "when": {"detector": f"d{n}"}, "must": [{"on": f"o{n}", "within_s": 2}]}
        )
        for n in range(EXPECTED)
    )

    def rules(held: tuple[LinkRule, ...]) -> Rules:
        return Rules(held, compounds, {}, {}, lambda name, t_s: True)

    def whole(held: tuple[LinkRule, ...]) -> list[Line]:
        lines = rehearsed(rules(held), events)
        judged(expectations, lines, {})
        return lines

    def plainly() -> int:
        """What a loop costs that gives each event the order of its own link, and no more."""
        delays = {f"d{n}": float(n % 3) for n in range(DETECTORS)}
        return len(sorted((each.raised_s + delays[each.name], each.name) for each in events))

    changed = (links[0].model_copy(update={"delay_s": 7.0}), *links[1:])
    took, again, loop = seconds(lambda: whole(links), 1), seconds(lambda: whole(changed), 1), seconds(plainly)
    yield Figure(f"{EVENTS:,} events of {DETECTORS} detectors, {LINKS} links", took, "s", 2.0)
    yield Figure("one link changed, to what is expected anew", 1000 * again, "ms", 300)
    yield Figure("of a plain loop over the events", took / loop, "times")
