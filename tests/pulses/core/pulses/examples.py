"""Examples of the pulses."""

from __future__ import annotations

from lantern.core.pulses.family import example_series

from examples import Example
from lantern.core.events import Detector, Region
from lantern.core.watch import Sample

METER = Detector(name="d", kind="pulse-rate", regions=(Region(name="meter", shape="spot", points=((0, 0),)),))


def examples() -> list[Example]:
    series = example_series()
    samples = [Sample("series", t, {"meter": x}) for t, x in zip(series.t_s.tolist(), series.x.tolist(), strict=True)]
    return [
        Example(detector, "series", {"meter": series}, samples, 0.5)
        for detector in (METER, METER.model_copy(update={"kind": "pulse-follow"}))
    ]
