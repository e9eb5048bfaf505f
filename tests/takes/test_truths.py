"""What things on a take truly were: typed, taken back, out with the take and in again, and by what a kind is judged."""

from __future__ import annotations

from pathlib import Path

import pytest

from lantern.application.app import make_app
from lantern.core.counted import CountedByHand, HandCount
from lantern.core.faults import Refused
from lantern.core.truths import Said
from lantern.db.base import transaction
from lantern.formats.tables import read_counted, read_truths, write_counted, write_truths
from lantern.takes.actions import import_path
from lantern.takes.export import export_take
from lantern.takes.marking import import_counts, keep_said
from lantern.takes.tables import TakeRow, hand_counts_of, marks_of, truths_of_take
from seeded import Small
from web.test_access import log_in

COUNTS = (
    CountedByHand("Mira", passages=((0.5, "in"), (0.5, "out"), (2.25, "in"))),
    CountedByHand("a file", intervals=(HandCount(0, 2, 3, 0), HandCount(2, 4, 0, 1))),
    CountedByHand("Mira"),  # again, and nobody came
)


def test_what_was_said_goes_out_with_the_take_and_comes_in_again(small: Small, tmp_path: Path) -> None:
    with transaction() as session:
        take = session.get_one(TakeRow, small.take)
        keep_said(session, take, Said("7", 1.5, " Ada "), user_id=None)
        keep_said(session, take, Said("8", 2.0, "Bo"), user_id=None)
        keep_said(session, take, Said("8", 2.0, ""), user_id=None)  # taken back, which is said too
        import_counts(session, take, COUNTS)
        export_take(session, take, tmp_path / "out.zip")
    again = import_path(tmp_path / "out.zip", site_id=small.site)
    with transaction() as session:
        assert [row.said for row in truths_of_take(session, again)] == [Said("7", 1.5, "Ada"), Said("8", 2.0, "")]
        assert [row.counted for row in hand_counts_of(session, again)] == list(COUNTS)


def test_what_goes_with_a_take_is_named_before_it_goes(small: Small) -> None:
    client = log_in(make_app(), "ida", "open sesame")
    with transaction() as session:
        take = session.get_one(TakeRow, small.take)
        name, count = take.name, len(marks_of(session, take.id))
        keep_said(session, take, Said("7", 1.5, "Ada"), user_id=None)
        import_counts(session, take, COUNTS)
    told = client.get(f"/sites/1/takes/{small.take}/goes").json()
    assert told == {"name": name, "device": "T1", "goes": [f"{count} marks", "1 truth", "3 counts by hand"]}


def test_what_cannot_be_is_refused(small: Small) -> None:
    with transaction() as session:
        take = session.get_one(TakeRow, small.take)
        for said, word in ((Said("7", 1e6, "Ada"), "within the take"), (Said("7", 1, "a\nb"), "printable")):
            with pytest.raises(Refused, match=word):
                keep_said(session, take, said, user_id=None)
        assert truths_of_take(session, take.id) == []


def test_what_was_counted_beyond_the_take_is_refused(small: Small) -> None:
    with transaction() as session:
        take = session.get_one(TakeRow, small.take)
        late = CountedByHand("Mira", intervals=(HandCount(0, 1e5, 1, 1),))
        for counts in (CountedByHand("Mira", passages=((1e5, "in"),)), late):
            with pytest.raises(Refused, match="within"):
                import_counts(session, take, [COUNTS[0], counts])
        assert hand_counts_of(session, take.id) == []


def test_the_file_of_counts() -> None:
    text = write_counted(COUNTS)
    assert text.splitlines()[:3] == ["count,who,start_s,end_s,in,out", "1,Mira,0.5,0.5,1,0", "1,Mira,0.5,0.5,0,1"]
    assert tuple(read_counted(text.encode(), where="counts.csv")) == COUNTS
    for rows, word in (
        ("1,Mira,3,3,2,0", "one passage"),
        ("1,Mira,3,2,1,0", "end after the start"),
        ("1,Mira,0,1,1,0\n1,Ada,1,2,1,0", "as in the row before"),
        ("1,Mira,0,1,1,0\n1,Mira,1,1,1,0", "one or the other"),
        ("1,Mira,0,1,-1,0", "whole number"),
        ("1,Mira,0,1", "4 columns"),
    ):
        with pytest.raises(Refused, match=word):
            read_counted(f"count,who,start_s,end_s,in,out\n{rows}\n".encode(), where="counts.csv")


def test_the_file() -> None:
    agreed = [Said("7", 1, "Ada", agreed=True), Said("8", 3, "Bo")]
    assert write_truths(agreed) == "object,at_s,text,agreed\n7,1,Ada,yes\n8,3,Bo,\n"
    assert read_truths(write_truths(agreed).encode(), where="truths.csv") == agreed
    with pytest.raises(Refused, match="yes, or nothing"):
        read_truths(b"object,at_s,text,agreed\n7,1,Ada,no\n", where="truths.csv")
    said = [Said("=7", 0.25, "-Ada"), Said("8", 3, "")]
    text = write_truths(said)
    assert text == "object,at_s,text\n'=7,0.25,'-Ada\n8,3,\n"  # no formula for a spreadsheet
    assert read_truths(text.encode(), where="truths.csv") == said
    for row, word in ((b"7,x,Ada", "line 2, at_s"), (b"7,1", "2 columns"), (b"7,1," + b"a" * 121, "at most 120")):
        with pytest.raises(Refused, match=word):
            read_truths(b"object,at_s,text\n" + row + b"\n", where="truths.csv")
