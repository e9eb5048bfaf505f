"""Keys, distances, forms, votes and vehicles against values from outside: section E of checks.json, strsimpy, hand-worked cases."""

from __future__ import annotations

import re
from datetime import date

import numpy as np
import pytest
from strsimpy.weighted_levenshtein import WeightedLevenshtein

from checks import check
from lantern.core.faults import Refused
from lantern.core.plates import openings
from lantern.core.plates.attachment import ATTACHED, HELD, UNDETERMINED, Attachment
from lantern.core.plates.ballots import Ballots
from lantern.core.plates.distances import COST, distance, distances
from lantern.core.plates.forms import FORMS
from lantern.core.plates.keys import ALPHABET, CONFUSABLE, LETTERS, codes_of, key_of
from lantern.core.plates.lists import PlateList, Rolls
from lantern.core.plates.syntax import Syntax, template

ONE = np.zeros(1, dtype=np.intp)


def test_keys() -> None:
    inputs, expected = check("E01")
    assert key_of(inputs["raw"]) == expected
    assert key_of("Mü-ß 12ä") == "MUSS12A"  # by hand, from the contract
    assert key_of("ＡＢ①") == "AB1"  # NFKC: full width and circled, from memory of the Unicode standard


@pytest.mark.parametrize("name", ["E02", "E03", "E04"])
def test_distances_of_the_source(name: str) -> None:
    inputs, expected = check(name)
    assert distance(inputs["a"], inputs["b"]) == expected


def test_distances_equal_another_library() -> None:
    """strsimpy's weighted Levenshtein, with the contract's costs."""
    place = {symbol: n for n, symbol in enumerate(ALPHABET)}
    other = WeightedLevenshtein(
        substitution_cost_fn=lambda a, b: COST[place[a], place[b]],
        insertion_cost_fn=lambda c: 0.8,
        deletion_cost_fn=lambda c: 0.8,
    )
    rng = np.random.default_rng(7)
    for _ in range(2000):
        one, two = ("".join(rng.choice(list("AB4O0D81IL5SK"), rng.integers(0, 8))) for _ in range(2))
        assert distance(one, two) == pytest.approx(other.distance(one, two), abs=1e-9), (one, two)


def test_many_at_once_equal_one_by_one() -> None:
    rng = np.random.default_rng(8)
    keys = ["".join(rng.choice(list(ALPHABET), 7)) for _ in range(300)]
    assert distances(keys[0], keys) == pytest.approx([distance(keys[0], key) for key in keys])


@pytest.mark.parametrize("reach", [0.0, 0.3, 0.6, 0.9, 1.2, 2.0])
def test_what_is_near_is_found_among_many(reach: float) -> None:
    """The index against a look at every entry."""
    rng = np.random.default_rng(9)
    keys = list({"".join(rng.choice(list("AB80OD1I5S"), rng.integers(4, 7))) for _ in range(400)})
    roll = Rolls([PlateList(name="all", entries=[{"text": key} for key in keys])]).on(date(2026, 3, 4))
    for text in [*keys[:60], *("".join(rng.choice(list("AB80OD1I5S"), 5)) for _ in range(60))]:
        near = sorted((distance(text, key), keys.index(key)) for key in keys if distance(text, key) <= reach + 1e-9)
        found = sorted((round(far, 6), keys.index(key)) for far, key in roll.near(text, reach))
        assert found == sorted((round(far, 6), at) for far, at in near), text


def test_a_vote_of_the_source() -> None:
    """B 0.6, 8 0.7, B 0.6 with 36 symbols."""
    inputs, expected = check("E09")
    ballots = Ballots(1, 1)
    for symbol, q in inputs["reads"]:
        ballots.add(ONE, np.array([codes_of(symbol)], dtype=np.int8), np.array([1], dtype=np.int8), np.array([[q]]))
    leading = ballots.leaders(ONE, 1.0, Syntax(()))
    assert ALPHABET[leading.codes[0, 0]] == "B"
    assert leading.confidence[0] == expected


def test_the_plate_of_the_source_wanders_or_does_not() -> None:
    inputs, expected = check("E19")
    found = []
    for uv in (inputs["attached_uv"], inputs["held_uv"]):
        attachment = Attachment(1)
        for n, (u, v) in enumerate(uv):
            car = np.array([[20.0 * n, 0.0, 100.0, 100.0]])
            plate = np.array([[20.0 * n + 100 * u - 5, 100 * v - 1, 10.0, 2.0]])
            attachment.add(ONE, plate, car)
        seen = attachment.seen(ONE)
        found.append(float(seen.wander[0]))
        assert seen.kinds(0.05)[0] == (ATTACHED if uv is inputs["attached_uv"] else HELD)
    assert found == expected


def test_a_vehicle_that_stands_tells_nothing() -> None:
    attachment = Attachment(1)
    for _ in range(6):
        attachment.add(ONE, np.array([[40.0, 50.0, 10.0, 2.0]]), np.array([[0.0, 0.0, 100.0, 100.0]]))
    assert attachment.seen(ONE).kinds(0.05)[0] == UNDETERMINED


def test_a_template_mends_what_confusable_symbols_lead_to() -> None:
    """A8I2CDE under LLDDLLL reads AB12CDE; what no template fits stays (E07's first case, by the contract's rule)."""
    inputs, expected = check("E07")
    for text, wanted in zip(inputs["reads"], [expected[0], None], strict=True):
        ballots = Ballots(1, 7)
        length = np.array([7], dtype=np.int8)
        ballots.add(ONE, np.array([codes_of(text)], dtype=np.int8), length, np.full((1, 7), 0.9))
        leading = ballots.leaders(ONE, 1.0, Syntax((inputs["template"],)))
        said = "".join(ALPHABET[code] for code in leading.codes[0])
        assert (said, int(leading.syntax[0])) == ((wanted, 1) if wanted else (text, 2))
    assert inputs["template"] == "LLDDLLL"


def test_sets_of_a_template_are_those_of_regular_expressions() -> None:
    fits = template("[A-HJ-PR-Y]D?")
    assert [symbol for symbol, fit in zip(ALPHABET, fits[0], strict=True) if fit] == re.findall("[A-HJ-PR-Y]", ALPHABET)
    for bad in ("LX", "[B-A]", "[]", "", "L" * 17, "[^A-Z0-9]"):
        with pytest.raises(Refused, match="syntaxes"):
            template(bad)


def test_forms_of_five_countries() -> None:
    """E05: what is a plate there and what is none; what was never given out is flagged, not refused."""
    inputs, expected = check("E05")
    by_name = {"NL10": "NL"}
    for (name, text), wanted in zip(inputs["tests"], expected, strict=True):
        form = next(form for form in FORMS if form.name == by_name.get(name, name))
        said = form.fits(text) and not form.never(key_of(text))
        assert said == wanted, (name, text)
    assert all(len(form.templates) == len(set(form.templates)) for form in FORMS)
    assert max(len(template(text)) for form in FORMS for text in form.templates) == 8


def test_a_plate_is_as_sure_as_its_characters_together() -> None:
    """E10: seven characters of 0.98 each, one read, no tempering."""
    ballots = Ballots(1, 7)
    codes, length = np.array([codes_of("AB12CDE")], dtype=np.int8), np.array([7], dtype=np.int8)
    ballots.add(ONE, codes, length, np.full((1, 7), 0.98))
    assert ballots.leaders(ONE, 1.0, Syntax(())).confidence[0] == check("E10")[1]


def test_variants_by_letters_that_look_alike() -> None:
    """E14: MN12HWB has 256 of them, letters for letters."""
    inputs, expected = check("E14")
    ways = 1
    for symbol in inputs["plate"]:
        if symbol in LETTERS:
            ways *= 1 + int(CONFUSABLE[ALPHABET.index(symbol), : len(LETTERS)].sum())
    assert ways == expected


def test_a_random_plate_on_an_exact_list() -> None:
    """E13, exact: 500 entries of the form LLDDLLL with 23 letters."""
    inputs, expected = check("E13")
    form = "[A-HJ-NP-RT-Z]" * 2 + "DD" + "[A-HJ-NP-RT-Z]" * 3
    assert openings.space_of([form]) == inputs["S"]
    rng = np.random.default_rng(5)
    letters, digits = list("ABCDEFGHJKLMNPQRTUVWXYZ"), list("0123456789")
    texts = {"".join([*rng.choice(letters, 2), *rng.choice(digits, 2), *rng.choice(letters, 3)]) for _ in range(600)}
    entries = [{"text": text} for text in sorted(texts)[: inputs["N"]]]
    found = openings.floor(Rolls([PlateList(name="all", entries=entries)]).on(date(2026, 3, 4)), [form], 0.0, 0.0)
    assert found is not None
    assert found.a_vehicle == pytest.approx(expected.expected[0], rel=1e-3)
