"""What the scores of a take say, as one document: counts, the summary, a wish as a threshold, rates there with their intervals."""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import Any

from lantern.core.faces.list_size import strangers
from lantern.core.faces.looks import Looks
from lantern.core.faces.rates import comparisons_for, far_frr, target_fmr
from lantern.core.faces.scores import ENOUGH_SUBJECTS, Scores, Share, scores_of, share_of
from lantern.core.faults import Fault, Refused
from lantern.core.wording import many


@dataclass(frozen=True)
class Wish:
    """A rate of false matches, or false alarms a day on a list of so many, of so many passers who are on none."""

    fmr: float | None = None
    false_a_day: float | None = None
    passers: float | None = None
    enrolled: float | None = None
    looks: float = 1.0

    @property
    def target(self) -> float | None:
        """Return it as a false match rate; None: nothing is wished. Raises `Refused`."""
        by_day = {"--false-a-day": self.false_a_day, "--passers": self.passers, "--enrolled": self.enrolled}
        given = [name for name, value in by_day.items() if value is not None]
        if self.fmr is not None:
            if given:
                raise Refused([Fault("--fmr", f"given with {', '.join(given)}", "one wish: a rate, or alarms a day")])
            if not 0 < self.fmr < 1:
                raise Refused([Fault("--fmr", f"{self.fmr:g}", "a number above 0 and below 1")])
            return self.fmr
        if not given:
            return None
        if self.false_a_day is None or self.passers is None or self.enrolled is None:
            missing = [name for name, value in by_day.items() if value is None]
            raise Refused([Fault(name, "is missing", f"it with {', '.join(given)}") for name in missing])
        return target_fmr(self.false_a_day, self.passers, self.enrolled, self.looks)


def report(looks: Looks, wish: Wish = Wish(), threshold: float | None = None) -> dict[str, Any]:
    """Return the document. Raises `Refused` for a wish that makes no sense, and for a take without a non-mated score."""
    if threshold is not None and not math.isfinite(threshold):
        raise Refused([Fault("--threshold", f"{threshold}", "a finite number")])
    target, scores = wish.target, scores_of(looks)
    if not scores.non_mated.size:
        raise Refused([Fault("take", "it has no non-mated score", "a take with pairs of two people (mated 0)")])
    wished = threshold if target is None else scores.threshold_for(target)
    at = wished if threshold is None else threshold
    summary = scores.summary
    out: dict[str, Any] = {
        "mated": int(scores.mated.size),
        "non_mated": int(scores.non_mated.size),
        "subjects": scores.subjects,
        "eer": None if summary is None else summary.eer,
        "eer_threshold": None if summary is None else summary.threshold,
        "d_prime": scores.d_prime,
        "target_fmr": target,
        "threshold": wished,
        "extrapolated": None if target is None else scores.extrapolates(target),
        **_rate("fmr", None if at is None or looks.cut else scores.fmr(at)),
        **_rate("fnmr", None if at is None else scores.fnmr(at)),
    }
    if looks.cut and at is not None:
        out |= _rate("fpir", _matched_strangers(looks, at))
    if looks.not_acquired is not None:
        out |= _of_attempts(looks, out["fmr"], out["fnmr"])
    return out | {"cautions": cautions(looks, scores, target)}


def failures(looks: Looks) -> Share | None:
    """Return the share of faces that the device saw and could compare with nobody (FTA); None: nobody knows how many."""
    return None if looks.not_acquired is None else share_of(looks.not_acquired, looks.not_acquired + len(looks))


def _of_attempts(looks: Looks, fmr: float | None, fnmr: float | None) -> dict[str, float | None]:
    """Return what the whole system does, failures to acquire included: FAR and FRR."""
    fta = failures(looks)
    if fta is None or fmr is None or fnmr is None:
        return _rate("fta", fta)
    far, frr = far_frr(fmr, fnmr, fta.share)
    return _rate("fta", fta) | {"far": far, "frr": frr}


def _rate(name: str, share: Share | None) -> dict[str, float | None]:
    if share is None:
        return dict.fromkeys((name, f"{name}_low", f"{name}_high"))
    return {name: share.share, f"{name}_low": share.low, f"{name}_high": share.high}


def _matched_strangers(looks: Looks, threshold: float) -> Share | None:
    there = strangers(looks)
    return share_of(int((looks.greatest[there] >= threshold).sum()), int(there.sum()))


def cautions(looks: Looks, scores: Scores, target: float | None) -> list[str]:
    """Return what a reader must know before trusting such figures."""
    out = []
    if scores.subjects < ENOUGH_SUBJECTS:
        what = f"{many(scores.subjects, 'subject')}: of another crowd this says little"
        out.append(f"{what}; {ENOUGH_SUBJECTS} at least (ISO/IEC 19795-1, from memory)")
    if looks.cut:
        out.append(f"The device tells {looks.cut} alone: a rate of false matches would be biased, and is not given")
    if target is not None and scores.extrapolates(target):
        n = int(scores.non_mated.size)
        needed = comparisons_for(target)
        what = f"{n} non-mated scores show no rate below {3 / n:.2g} (rule of 3): the threshold is extrapolated"
        out.append(f"{what}; {needed:.2g} would show {target:.2g} to within 30 % (rule of 30)")
    return out
