"""Skerrow Basin, made up: a ferry pier, a pellet store and a repair yard round one harbour basin. The site is `skerrow.site.json`.

The pellet store's detector is set as one finds it: 45 °C because the last site had 45, raised at once, so that the bench
has something to show. The kiosk's and the crew door's are set with care.
"""

from __future__ import annotations

from pathlib import Path

from lantern.core.site import Site
from lantern.formats.site_files import read_site

FILE = Path(__file__).with_name("skerrow.site.json")
LOGIN, PASSWORD, PERSON = "mira", "harbour-light", "Mira V."

# by scene: device, name of the take, when it began
TAKES = {
    "T1": ("T1", "Morning shift, 20 min", "2026-03-04T05:12:00+01:00"),
    "T1 late": ("T1", "Late shift, 8 min", "2026-03-11T22:05:00+01:00"),
    "T2": ("T2", "Afternoon load, 60 min", "2026-03-05T14:00:00+01:00"),
    "T3": ("T3", "Crew change, 60 people", "2026-03-06T06:40:00+01:00"),
}
# by scene of people: the same
CROWDS = {
    "C1": ("C1", "Boarding, 20 min", "2026-03-07T06:20:00+01:00"),
    "C1 evening": ("C1", "Evening sailing, 10 min", "2026-03-07T18:40:00+01:00"),
    "C2": ("C2", "Until the ferry calls, 15 min", "2026-03-07T06:05:00+01:00"),
    "V2": ("V2", "A night with rain, 30 min", "2026-03-08T01:30:00+01:00"),
    "V3": ("V3", "A morning with rain, 30 min", "2026-03-13T06:10:00+01:00"),
}
# takes of cameras that are laid on the plan: the camera, its take, and for whom
LAID = (("V2", "A night with rain, 30 min", "Z1"),)
# by name of the scene of plates: the same
PLATES = {
    "morning": ("P1", "Morning, 80 min", "2026-03-04T06:30:00+01:00"),
    "night": ("P1", "Night, 6 h", "2026-03-04T22:00:00+01:00"),
}
# by the number of the day at the door: the same
FACES = {
    0: ("F1", "A Tuesday, 06:00 to 22:00", "2026-03-10T06:00:00+01:00"),
    1: ("F1", "A Thursday, 06:00 to 22:00", "2026-03-12T06:00:00+01:00"),
}
# of the quay: device, name of the take, when it began
QUAY = ("R1", "A morning with rain, 30 min", "2026-03-13T06:10:00+01:00")
SLIPWAY = ("R2", "An evening with gulls, 10 min", "2026-03-14T19:20:00+01:00")
HEAD_LOGIN, HEAD_PASSWORD = "integrator", "over-the-yard"  # of the stand-in on the mast
# at the device, by token: name, pan and tilt of its own, zoom; two of one name, as found
HEAD_PRESETS = {
    "1": ("Gate", 264.8, 7.5, 0.3),
    "2": ("Slipway", 91.0, 14.0, 0.2),
    "3": ("Gate", 232.0, 8.0, 0.55),
    "4": ("Quay ladder", 234.2, 4.7, 0.4),
    "5": ("Shed", 358.0, 9.0, 0.3),
}
OBSERVERS = ("Mira V.", "second observer")  # who counted the passages of a take by hand
REASONS = {
    "Smoulder in the heap": "As found on site: 45 °C because the last site had 45.",
    "Busbar joint": "45 °C on the taped joint: 20 K over its neighbours at 80 % load; 20 s outlasts a walker's mirror image.",
    "Crew screening": "37.4 °C on the corners of the eyes, corrected by the 35 °C source: well above the crew's own spread.",
    "Boarding count": "As found on site: the line lies at the ship's side, where the gangway ends.",
    "Hall door": "At the door's frame; 40 is what the hall is let for, and 2 % of passages are known to be missed.",
    "Barrier in": "As found on site: two edits are forgiven so that dirty lorries get in, and nobody asked for a vehicle.",
    "Barred people": "As found on site: 80 because the leaflet says so.",
    "Crew at the door": "As found on site: 80 because the leaflet says so.",
    "Boat to the quay": "As found on site: 1.5 m nearer, for that is what it was set to in the store.",
    "Up the slipway": "As found on site: outbound, for the drawing had the radar at the other end.",
    "Night visitors": "As found on site: 30 times, for faces were wanted, and no lead.",
    "Gate line": "As found on site: everything that comes over the painted line.",
    "Tank": "Somebody who stays at the tank for 6 s; whoever passes takes 4 s.",
    "Gate to tank": "From the gate to the tank within a minute, on foot.",
}


def skerrow() -> Site:
    return read_site(FILE)
