"""Real letters as a real classifier confuses them, and how sure it is: votes, confusions and calibration on something not made up.

4,000 printed letters (tests/reference/SOURCES.md) and a random forest of scikit-learn, which never sees those that it is judged on.
"""

from __future__ import annotations

import gzip
from functools import lru_cache
from pathlib import Path
from typing import Any

import numpy as np
from sklearn.ensemble import RandomForestClassifier
from sklearn.metrics import confusion_matrix

from lantern.core.plates import accuracy, reliability
from lantern.core.plates.ballots import Ballots
from lantern.core.plates.keys import ALPHABET, LETTERS, codes_of
from lantern.core.plates.syntax import Syntax

FILE = Path(__file__).parents[2] / "reference" / "letters.csv.gz"
READS, PLATES, LENGTH = 5, 200, 7


@lru_cache(maxsize=1)
def read_letters() -> tuple[list[str], list[str], Any]:
    """(truth, what the forest says, how sure it is) of 2,000 letters that it did not learn from."""
    rows = gzip.decompress(FILE.read_bytes()).decode().split()
    truth = [row[0] for row in rows]
    features = np.array([row.split(",")[1:] for row in rows], dtype=np.int64)
    forest = RandomForestClassifier(n_estimators=60, random_state=1, n_jobs=1).fit(features[:2000], truth[:2000])
    shares = forest.predict_proba(features[2000:])
    said = [str(each) for each in forest.classes_[shares.argmax(axis=1)]]
    return truth[2000:], said, shares.max(axis=1)


def test_confusions_are_those_of_another_library() -> None:
    truth, said, _ = read_letters()
    matrix = confusion_matrix(truth, said, labels=list(LETTERS))
    found = {
        (each["truth"], each["read"]): each["n"] for each in accuracy.confusions(list(zip(said, truth, strict=True)))
    }
    wanted = {(LETTERS[t], LETTERS[r]): int(matrix[t, r]) for t, r in zip(*np.nonzero(matrix), strict=True) if t != r}
    assert found == wanted


def test_a_vote_over_reads_is_right_more_often_than_a_read() -> None:
    """Plates of real letters, each read five times: the vote by the classifier's own confidence beats its best single read."""
    truth, said, sure = read_letters()
    rng = np.random.default_rng(2)
    by_letter = {letter: np.flatnonzero(np.array(truth) == letter) for letter in LETTERS}
    right_alone, right_voted = np.zeros(READS), 0
    one = np.zeros(1, dtype=np.intp)
    length = np.array([LENGTH], dtype=np.int8)
    for _ in range(PLATES):
        plate = "".join(rng.choice(list(LETTERS), LENGTH))
        ballots = Ballots(1, LENGTH)
        for k in range(READS):
            picked = [int(rng.choice(by_letter[letter])) for letter in plate]
            text = "".join(said[at] for at in picked)
            right_alone[k] += text == plate
            ballots.add(one, np.array([codes_of(text)], dtype=np.int8), length, sure[picked][None, :])
        leading = ballots.leaders(one, 1.0, Syntax(()))
        right_voted += "".join(ALPHABET[code] for code in leading.codes[0]) == plate
    assert right_voted > 1.5 * right_alone.max()
    assert right_voted > 0.9 * PLATES


def test_a_forest_that_doubts_too_much_is_mended() -> None:
    """Averages of trees shy away from 0 and 1 (Niculescu-Mizil and Caruana 2005, from memory): a temperature below 1 mends it."""
    truth, said, sure = read_letters()
    right = np.array([a == b for a, b in zip(truth, said, strict=True)])
    found = reliability.mended(sure, right, [str(n // LENGTH) for n in range(len(truth))])
    assert found is not None
    assert found["temperature"] < 1
    ways = found["ways"]
    assert ways["temperature"]["log_loss"] < ways["as it is"]["log_loss"]
    assert ways["temperature"]["error"] < ways["as it is"]["error"]
    assert ways["isotonic"]["error"] < ways["as it is"]["error"]
