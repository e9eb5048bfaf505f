"""One frame of ONVIF metadata at a time, as a live device sends it: what is written is read, and what is wrong is refused."""

from __future__ import annotations

import pytest

from checks import check
from lantern.core.faults import Refused
from lantern.core.objects.following import Seen
from lantern.formats.onvif import read_frame, write_frame

SIZE = {"width": 1920, "height": 1080}
FRAME = """<tt:MetadataStream xmlns:tt="http://www.onvif.org/ver10/schema"><tt:VideoAnalytics><tt:Frame UtcTime="2026-03-04T05:12:00.5Z">
<tt:Object ObjectId="7"><tt:Appearance><tt:Shape><tt:BoundingBox left="{left}" top="{top}" right="{right}" bottom="{bottom}"/></tt:Shape>
<tt:Class><tt:ClassCandidate><tt:Type>Human</tt:Type><tt:Likelihood>0.8</tt:Likelihood></tt:ClassCandidate><tt:ClassCandidate><tt:Type>Vehicle</tt:Type><tt:Likelihood>0.2</tt:Likelihood></tt:ClassCandidate></tt:Class>
</tt:Appearance></tt:Object></tt:Frame></tt:VideoAnalytics></tt:MetadataStream>"""


def test_normalised_axes_as_published() -> None:
    inputs, expected = check("B16")
    assert (inputs["W"], inputs["H"]) == (1920, 1080)
    text = FRAME.format(left=inputs["x"], top=inputs["y"], right=inputs["x"] + 0.1, bottom=inputs["y"] - 0.1)
    t, [seen] = read_frame(text.encode(), where="device", **SIZE)
    assert list(seen.box[:2]) == expected
    assert (seen.id, seen.label, seen.confidence) == (7, "Human", 0.8)
    assert t == pytest.approx(1772601120.5)


def test_what_is_written_is_read() -> None:
    sent = [Seen(3, (10.0, 20.0, 30.0, 40.0), 0.75, "person"), Seen("gate-4", (0.0, 0.0, 5.0, 5.0), 1.0, "")]
    t, got = read_frame(write_frame(1772600000.25, sent, **SIZE), where="device", **SIZE)
    assert t == pytest.approx(1772600000.25)
    for a, b in zip(sent, got, strict=True):
        assert (a.id, a.label) == (b.id, b.label)
        assert b.box == pytest.approx(a.box, abs=0.002)
        assert b.confidence == pytest.approx(a.confidence)
    assert read_frame(write_frame(5.0, [], **SIZE), where="device", **SIZE) == (5.0, [])


@pytest.mark.parametrize(
    ("text", "what"),
    [
        ("<a", "not whole XML"),
        ('<!DOCTYPE a [<!ENTITY b "c">]><a>&b;</a>', "document type"),
        ('<tt:MetadataStream xmlns:tt="http://www.onvif.org/ver10/schema"/>', "0 tt:Frame"),
        (FRAME.format(left=0.5, top=0.5, right=0.2, bottom=0.1), "right of left"),
        (FRAME.format(left="wide", top=0.5, right=0.6, bottom=0.1), "finite number"),
        (FRAME.replace('ObjectId="7"', "").format(left=0, top=0.5, right=0.6, bottom=0.1), "without ObjectId"),
        (FRAME.replace("00.5Z", "00.5").format(left=0, top=0.5, right=0.6, bottom=0.1), "no zone"),
    ],
)
def test_what_is_no_frame_is_refused(text: str, what: str) -> None:
    with pytest.raises(Refused, match=what):
        read_frame(text.encode(), where="device", **SIZE)
