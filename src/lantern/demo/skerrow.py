"""Skerrow Basin, made up: a wood-pellet store and a shore-power kiosk on a harbour basin, as a `lantern-site/1` document.

The pellet store's detector is set as one finds it: 45 °C because the last site had 45, raised at once, so that the bench
has something to show. The kiosk's and the crew door's are set with care.
"""

from __future__ import annotations

from lantern.core.events import Detector, Region
from lantern.core.linking.links import Effect, LinkRule, Output
from lantern.core.logic.timetable import Hours, Timetable
from lantern.core.site import Device, Place, Site
from lantern.standins.door import FACE_BOX, REFERENCE_BOX, REFERENCE_C

SOURCE_BOX = ((REFERENCE_BOX[0] + 4.0, REFERENCE_BOX[1] + 4.0), (REFERENCE_BOX[2] - 4.0, REFERENCE_BOX[3] - 4.0))
ZONE = "Europe/Amsterdam"
EVERY_DAY = range(7)

HEAP = (
    (56.0, 150.0),
    (78.0, 122.0),
    (120.0, 110.0),
    (172.0, 107.0),
    (232.0, 118.0),
    (262.0, 146.0),
    (236.0, 184.0),
    (160.0, 196.0),
    (88.0, 186.0),
)

# by scene: device, name of the take, when it began
TAKES = {
    "T1": ("T1", "Morning shift, 20 min", "2026-03-04T05:12:00+01:00"),
    "T1 late": ("T1", "Late shift, 8 min", "2026-03-11T22:05:00+01:00"),
    "T2": ("T2", "Afternoon load, 60 min", "2026-03-05T14:00:00+01:00"),
    "T3": ("T3", "Crew change, 60 people", "2026-03-06T06:40:00+01:00"),
}
# by scene of people: device, name of the take, when it began
CROWDS = {
    "C1": ("C1", "Boarding, 20 min", "2026-03-07T06:20:00+01:00"),
    "C1 evening": ("C1", "Evening sailing, 10 min", "2026-03-07T18:40:00+01:00"),
    "C2": ("C2", "Until the ferry calls, 15 min", "2026-03-07T06:05:00+01:00"),
    "V2": ("V2", "A night with rain, 30 min", "2026-03-08T01:30:00+01:00"),
}
OBSERVERS = ("Mira V.", "second observer")  # who counted the passages of a take by hand
TANK = ((956.0, 351.0), (1219.0, 351.0), (1090.0, 277.0), (886.0, 277.0))
STEREO = {"mount_m": 3.2, "f_px": 800, "baseline_mm": 120, "disparity_px": 0.25}
THERMAL_LENS = {"pitch_um": 17, "focal_mm": 13}

SITE = Site(
    name="Skerrow Basin",
    zone=ZONE,
    places=(
        Place(
            name="Pellet store",
            devices=(
                Device(
                    code="T1",
                    name="Thermal camera over the heap",
                    kind="thermal",
                    ability={"width": 320, "height": 240, "fps": 4, **THERMAL_LENS},
                ),
            ),
        ),
        Place(
            name="Shore-power kiosk",
            devices=(
                Device(
                    code="T2",
                    name="Thermal camera in the panel",
                    kind="thermal",
                    ability={"width": 160, "height": 120, "fps": 1, "pitch_um": 12, "focal_mm": 4},
                ),
            ),
        ),
        Place(
            name="Control room door",
            devices=(
                Device(
                    code="T3",
                    name="Thermal camera at the crew door",
                    kind="thermal",
                    ability={"width": 320, "height": 240, "fps": 4, **THERMAL_LENS},
                ),
            ),
        ),
        Place(
            name="Pier gangway",
            devices=(
                Device(
                    code="C1",
                    name="Overhead counter at the gangway",
                    kind="counter",
                    ability={
                        "width": 640,
                        "height": 480,
                        "fps": 10,
                        "protocol": "ONVIF metadata over HTTP",
                        **STEREO,
                    },
                ),
            ),
        ),
        Place(
            name="Waiting hall",
            devices=(
                Device(
                    code="C2",
                    name="Overhead counter at the hall door",
                    kind="counter",
                    ability={
                        "width": 640,
                        "height": 480,
                        "fps": 10,
                        "protocol": "ONVIF metadata over HTTP",
                        **STEREO,
                    },
                ),
            ),
        ),
        Place(
            name="Yard",
            devices=(
                Device(
                    code="V2",
                    name="Camera over the yard",
                    kind="camera",
                    ability={"width": 1280, "height": 720, "fps": 10, "protocol": "ONVIF metadata over HTTP"},
                ),
            ),
        ),
        Place(
            name="Gatehouse",
            devices=(
                Device(
                    code="M1",
                    name="I/O module, 8 relays",
                    kind="io_module",
                    ability={"relays": 8, "protocol": "Modbus TCP"},
                    outputs=(
                        Output(name="Mast beacon", what="beacon", coil=0),
                        Output(name="Conveyor stop", what="relay", coil=1, contact="normally_closed"),
                        Output(name="Kiosk contactor", what="relay", coil=2),
                        Output(name="Hall lamp", what="beacon", coil=3),
                        Output(name="Yard lights", what="relay", coil=4),
                    ),
                ),
            ),
        ),
    ),
    detectors=(
        Detector(
            name="Smoulder in the heap",
            kind="heat",
            device="T1",
            regions=(Region(name="heap", shape="polygon", points=HEAP),),
            dials={
                "statistic": "max",
                "condition": "above",
                "threshold_c": 45.0,
                "sustain_s": 1.0,
                "hysteresis_c": 2.0,
                "rearm_s": 30.0,
            },
        ),
        Detector(
            name="Busbar joint",
            kind="heat",
            device="T2",
            regions=(Region(name="joint L2", shape="box", points=((75.0, 50.0), (85.0, 66.0))),),
            dials={
                "statistic": "mean",
                "condition": "above",
                "threshold_c": 45.0,
                "sustain_s": 20.0,
                "hysteresis_c": 3.0,
                "rearm_s": 300.0,
            },
        ),
        Detector(
            name="Crew screening",
            kind="skin",
            device="T3",
            regions=(
                Region(name="face", shape="box", points=FACE_BOX),
                Region(name="source", shape="box", points=SOURCE_BOX, role="reference", emissivity=0.98),
            ),
            dials={"threshold_c": 37.4, "reference_c": REFERENCE_C, "face_px": 4000, "sustain_s": 0.5},
        ),
        Detector(
            name="Boarding count",
            kind="count",
            device="C1",
            regions=(Region(name="gangway", shape="line", points=((620.0, 400.0), (596.0, 80.0))),),
            dials={"anchor": "centre", "band": 8.0, "rearm_s": 2.0, "classes": ["person", "bicycle"]},
        ),
        Detector(
            name="Hall door",
            kind="count",
            device="C2",
            regions=(Region(name="door", shape="line", points=((40.0, 212.0), (600.0, 212.0))),),
            dials={
                "anchor": "centre",
                "band": 6.0,
                "rearm_s": 2.0,
                "reverse": False,
                "capacity": 40,
                "missed_percent": 2.0,
            },
        ),
        Detector(
            name="Gate line",
            kind="crossing",
            device="V2",
            regions=(Region(name="gate", shape="line", points=((204.0, 518.0), (450.0, 237.0))),),
            dials={"direction": "a_to_b", "band": 4.0},
        ),
        Detector(
            name="Tank",
            kind="zone",
            device="V2",
            regions=(Region(name="tank", shape="polygon", points=TANK),),
            dials={"when": "inside", "dwell_s": 6.0, "classes": ["person"], "rearm_s": 30.0},
        ),
        Detector(
            name="Gate to tank",
            kind="path",
            device="V2",
            regions=(
                Region(name="gate", shape="line", points=((204.0, 518.0), (450.0, 237.0))),
                Region(name="tank", shape="polygon", points=TANK),
            ),
            dials={"within_s": 60.0, "classes": ["person"]},
        ),
    ),
    timetables=(
        Timetable(
            name="Harbour day", zone=ZONE, hours=tuple(Hours(day=d, start_min=330, end_min=1350) for d in EVERY_DAY)
        ),
        Timetable(
            name="Night watch", zone=ZONE, hours=tuple(Hours(day=d, start_min=1350, end_min=330) for d in EVERY_DAY)
        ),
        Timetable(
            name="Round the clock", zone=ZONE, hours=tuple(Hours(day=d, start_min=0, end_min=1440) for d in EVERY_DAY)
        ),
    ),
    links=(
        LinkRule(
            name="Heap to mast",
            detector="Smoulder in the heap",
            timetable="Round the clock",
            effects=(
                Effect(output="Mast beacon", mode="pulse", length_s=20.0, flash_hz=1.0),
                Effect(output="Conveyor stop", mode="latched"),
            ),
        ),
        LinkRule(
            name="Joint to contactor",
            detector="Busbar joint",
            timetable="Night watch",
            delay_s=5.0,
            effects=(Effect(output="Kiosk contactor", mode="pulse", length_s=30.0),),
        ),
        LinkRule(
            name="Gate to lights",
            detector="Gate line",
            timetable="Night watch",
            effects=(Effect(output="Yard lights", mode="pulse", length_s=60.0),),
        ),
        LinkRule(
            name="Hall full",
            detector="Hall door",
            region="occupancy",
            timetable="Harbour day",
            effects=(Effect(output="Hall lamp", mode="pulse", length_s=10.0),),
        ),
    ),
)

LOGIN, PASSWORD, PERSON = "mira", "harbour-light", "Mira V."
