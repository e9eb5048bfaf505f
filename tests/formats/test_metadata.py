"""One frame of ONVIF metadata at a time, as a live device sends it: what is written is read, and what is wrong is refused."""

from __future__ import annotations

from datetime import UTC, datetime

import pytest

from checks import check
from lantern.core.faults import Refused
from lantern.core.tracks import Seen
from lantern.signals.tracks.onvif import read_frame, read_onvif
from lantern.signals.tracks.onvif_out import write_frame

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
    sent = [Seen(3, (10.0, 20.0, 30.0, 40.0), 0.75, "person", 1.715), Seen("gate-4", (0.0, 0.0, 5.0, 5.0), 1.0, "")]
    t, got = read_frame(write_frame(1772600000.25, sent, **SIZE), where="device", **SIZE)
    assert t == pytest.approx(1772600000.25)
    for a, b in zip(sent, got, strict=True):
        assert (a.id, a.label) == (b.id, b.label)
        assert b.box == pytest.approx(a.box, abs=0.002)
        assert b.confidence == pytest.approx(a.confidence)
        assert b.height_m == pytest.approx(a.height_m)
    assert read_frame(write_frame(5.0, [], **SIZE), where="device", **SIZE) == (5.0, [])


HEIGHT = """<tt:HumanBody xmlns:bd="http://www.onvif.org/ver20/analytics/humanbody"><bd:BodyMetric><bd:Height>{}</bd:Height></bd:BodyMetric></tt:HumanBody></tt:Appearance>"""


def test_a_body_s_height_comes_in_centimetres() -> None:
    text = FRAME.replace("</tt:Appearance>", HEIGHT.format("172")).format(left=0, top=0.5, right=0.6, bottom=0.1)
    _, [seen] = read_frame(text.encode(), where="device", **SIZE)
    assert seen.height_m == pytest.approx(1.72)
    start = datetime(2026, 3, 4, 5, 12, tzinfo=UTC)
    held = read_onvif(text.encode(), where="file", start=start, width=1920, height=1080)
    assert held.height_m is not None
    assert held.height_m.tolist() == pytest.approx([1.72])
    with pytest.raises(Refused, match="in centimetres"):
        read_frame(text.replace("172", "tall").encode(), where="device", **SIZE)


@pytest.mark.parametrize(
    ("text", "what"),
    [
        ("<a", "not whole XML"),
        ('<!DOCTYPE a [<!ENTITY b "c">]><a>&b;</a>', "document type"),
        ('<tt:MetadataStream xmlns:tt="http://www.onvif.org/ver10/schema"/>', "0 tt:Frame"),
        (FRAME.format(left=0.5, top=0.5, right=0.2, bottom=0.1), "right of left"),
        (FRAME.format(left="wide", top=0.5, right=0.6, bottom=0.1), "expected a number"),
        (FRAME.replace('ObjectId="7"', "").format(left=0, top=0.5, right=0.6, bottom=0.1), "without ObjectId"),
        (FRAME.replace("00.5Z", "00.5").format(left=0, top=0.5, right=0.6, bottom=0.1), "no zone"),
    ],
)
def test_what_is_no_frame_is_refused(text: str, what: str) -> None:
    with pytest.raises(Refused, match=what):
        read_frame(text.encode(), where="device", **SIZE)
