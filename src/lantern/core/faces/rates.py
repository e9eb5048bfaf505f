"""From error rates of single comparisons to what a place gets: alarms a day, missed of those on a list, what would prove it.

Formulas: ISO/IEC 19795-1, from memory. They take comparisons for independent, which look-alikes and poor pictures are not: where a take
has what is asked for, it is measured there.
"""

from __future__ import annotations

import math

from lantern.core.faults import FaultList
from lantern.core.signals import Floats

ERRORS_FOR_30_PERCENT = 30  # rule of 30: within 30 % at 90 % confidence; Doddington, from memory


def target_fmr(false_a_day: float, passers: float, enrolled: float, looks: float = 1.0) -> float:
    """Return the false match rate that gives so many false alarms a day: 1 - (1 - A/D)^(1/(N k)).

    `passers` a day who are on no list, `enrolled` on it, `looks` of each passer that are independent. Raises `Refused`.
    """
    faults = FaultList()
    for name, value, least in (("--false-a-day", false_a_day, 0.0), ("--passers", passers, 0.0)):
        if not (math.isfinite(value) and value > least):
            faults.add(name, f"{value:g}", "a number above 0")
    for name, value in (("--enrolled", enrolled), ("--looks", looks)):
        if not (math.isfinite(value) and value >= 1):
            faults.add(name, f"{value:g}", "at least 1")
    if not faults.faults and false_a_day >= passers:
        what = f"{false_a_day:g} false alarms of {passers:g} passers"
        faults.add("--false-a-day", what, "fewer false alarms a day than passers")
    faults.refuse_if_any()
    return -math.expm1(math.log1p(-false_a_day / passers) / (enrolled * looks))


def false_a_day(fmr: float, passers: float, enrolled: float, looks: float = 1.0) -> float:
    """Return how many passers a day who are on no list raise: the other way round."""
    return passers * fpir(fmr, enrolled * looks)


def fpir(fmr: float | Floats, enrolled: float, fta: float = 0.0) -> float:
    """Return the false positive identification rate: (1 - FTA)(1 - (1 - FMR)^N)."""
    if not 0 <= float(fmr) <= 1 or not 0 <= fta <= 1 or enrolled < 0:
        raise ValueError(f"fmr {fmr}, fta {fta}, enrolled {enrolled}")
    if float(fmr) == 1:
        return (1 - fta) if enrolled else 0.0
    return -(1 - fta) * math.expm1(enrolled * math.log1p(-float(fmr)))


def fnir(fnmr: float, fta: float = 0.0) -> float:
    """Return the false negative identification rate without a cut-off of ranks: FTA + (1 - FTA) FNMR."""
    return fta + (1 - fta) * fnmr


def far_frr(fmr: float, fnmr: float, fta: float) -> tuple[float, float]:
    """Return what a system does, of attempts: (FAR, FRR) = (FMR (1 - FTA), FTA + FNMR (1 - FTA))."""
    return fmr * (1 - fta), fnir(fnmr, fta)


def is_right(fpir_: float, fnir_: float, prevalence: float) -> float | None:
    """Return which share of the alarms are right: PPV, where `prevalence` of the passers are on the list. None without alarms."""
    true, false = (1 - fnir_) * prevalence, fpir_ * (1 - prevalence)
    return true / (true + false) if true + false else None


def comparisons_for(fmr: float, errors: int = ERRORS_FOR_30_PERCENT) -> float:
    """Return how many non-mated comparisons would show such a rate to within 30 % (rule of 30)."""
    return errors / fmr


def looks_for(fmr: float, enrolled: float) -> float:
    """Return how many looks of people who are on no list prove the rate if none of them matches: rule of 3, N comparisons each."""
    return 3 / (fmr * max(enrolled, 1))
