"""Claims of each further sort of aim against the compendium's checks and by hand; each cure that is offered, taken and asked again."""

from __future__ import annotations

import math
from datetime import date
from typing import Any

import numpy as np
import pytest

from checks import check
from lantern.core.faults import Refused
from lantern.core.modelled import read_model
from lantern.core.optics.grades import EDITIONS
from lantern.core.optics.mount import Mount
from lantern.core.optics.plate import depth_of_field_m, focus_blur_m
from lantern.core.promise import following, measuring, overhead, sound, sunlight
from lantern.core.promise.claim import Around, Claim, Stood
from lantern.core.promise.claims import claims, remedied
from lantern.core.promise.elevation import elevation, seen_again_m
from lantern.core.promise.following import Turning
from lantern.core.promise.ground import Lying
from lantern.core.promise.plan import Occluder, Plan
from lantern.core.promise.radar import Radar
from lantern.core.promise.sight import sight
from lantern.core.promise.sound import Speaker
from lantern.core.promise.sound_field import louder

CAMERA = Mount(
    x_m=0, y_m=0, height_m=4, azimuth_deg=0, tilt_deg=15, focal_mm=8, sensor_width_mm=5.37, pixels=(1920, 1080)
)
# pitch 12 µm: 640 pixels of 7.68 mm
THERMAL = CAMERA.model_copy(update={"focal_mm": 9.0, "sensor_width_mm": 7.68, "pixels": (640, 480), "tilt_deg": 11.0})
HEAD = Turning(
    x_m=0, y_m=0, height_m=8, azimuth_deg=0, tilt_deg=10, focal_mm=5, sensor_width_mm=5.37, pixels=(1920, 1080), focal_max_mm=100,
    pan_deg_s=60,
)  # fmt: skip
DOWN = Mount(
    x_m=0, y_m=0, height_m=3.2, azimuth_deg=0, tilt_deg=90, focal_mm=2.4, sensor_width_mm=4.8, pixels=(640, 480)
)


def plan_of(**aim: Any) -> Plan:
    return read_model(Plan, {"aims": [{"name": "a", "device": "D", **aim}]}, where="plan")


def found_of(mount: Any, plan: Plan, **more: Any) -> dict[str, Claim]:
    return {claim.name: claim for claim in claims(Stood("D", mount, **more), Around(plan))}


def check_cures(mount: Any, plan: Plan, name: str, **more: Any) -> None:
    """Every cure of a claim meets it once it is taken."""
    stood, around = Stood("D", mount, **more), Around(plan)
    claim = next(each for each in claims(stood, around) if each.name == name)
    taken = [r for r in claim.remedies if r.mount or r.aim]
    assert claim.verdict != "pass"
    assert taken, claim
    for remedy in taken:
        after = {each.name: each for each in remedied(stood, around, claim, remedy)}
        assert after[name].verdict == "pass", (remedy, after[name])
        spared = after[name].wish.with_margin.word(after[name].value or 0.0) == "pass"
        if name == "lane_m":  # of a doorway no more is seen than there is of it
            spared = "to spare" in remedy.text and "nothing" not in remedy.text
        assert spared, (remedy.text, after[name].value)


# ---- what is measured ------------------------------------------------------------------------------------------------


def test_the_smallest_target_that_is_measured() -> None:
    inputs, expected = check("D14")
    ifov = measuring.ifov_mrad(inputs["pitch_um"], inputs["f_mm"])
    found = [ifov, ifov * inputs["D_m"], measuring.smallest_m(ifov, inputs["D_m"]) * 1000]
    assert found == expected
    inputs, expected = check("D15")
    assert measuring.farthest_m(inputs["IFOV_mrad"], inputs["s_mm"] / 1000) == expected


def test_a_target_too_small_is_cured_by_a_longer_lens_or_by_coming_nearer() -> None:
    """80 mm at 20.4 m are 2.94 pixels of 12 µm at 9 mm: marginal; 40 mm half of that."""
    plan = plan_of(what="measuring", points=[[0, 20]], target_m=0.04)
    claim = found_of(THERMAL, plan)["spot_px"]
    assert claim.value == pytest.approx(0.04 / (12e-6 / 9e-3 * math.hypot(20, 4)))
    assert claim.verdict == "fail"
    assert len(claim.remedies) == 2
    check_cures(THERMAL, plan, "spot_px")
    wall = Occluder(name="fence", points=((-5, 10), (5, 10)), height_m=6)
    hidden = found_of(THERMAL, plan.model_copy(update={"occluders": (wall,)}))["spot_px"]
    assert (hidden.verdict, hidden.reason, hidden.remedies) == ("fail", "fence stands in the way", [])


def test_out_of_focus_is_one_pixel_at_both_ends_of_the_depth_of_field() -> None:
    """By A33's formula: the circle of confusion is met exactly at near and far."""
    near, far = depth_of_field_m(12, 1.6, 0.0029, 20)
    assert far is not None
    for end in (near, far):
        assert focus_blur_m(12, 1.6, 20, end) * 1000 == pytest.approx(0.0029, rel=2e-3)
    mount = CAMERA.model_copy(update={"f_number": 1.2, "focus_m": 3.0, "focal_mm": 12.0})
    plan = plan_of(what="reading", points=[[0, 20, 0.5]], heading_deg=180)
    assert found_of(mount, plan)["focus_px"].verdict == "fail"
    check_cures(mount, plan, "focus_px")
    assert "focus_px" not in found_of(CAMERA, plan)  # nothing is said of the lens


# ---- who is counted --------------------------------------------------------------------------------------------------


def test_boxes_overlap_and_two_eyes_measure_as_the_compendium_says() -> None:
    inputs, expected = check("B08")
    assert overhead.least_fps(inputs["v_m_s"], inputs["width_m"]) == expected
    assert check("B07")[1] == overhead.MOST_SHIFT
    inputs, expected = check("C10")
    assert overhead.depth_error_m(inputs["z_m"], inputs["f_px"], inputs["B_m"], inputs["dd_px"]) == expected


def test_a_doorway_wider_than_what_is_seen_at_shoulder_height() -> None:
    """3.2 m high with 4.8 mm behind 2.4 mm: twice 1.75 m wide at 1.45 m, so 3.5 m of a doorway of 5 m."""
    plan = plan_of(what="counting", points=[[-2.5, 0], [2.5, 0]], speed_kmh=20, fps=8, baseline_m=0.02)
    found = found_of(DOWN, plan)
    assert found["lane_m"].value == pytest.approx(3.5)
    assert found["lane_m"].verdict == "fail"
    check_cures(DOWN, plan, "lane_m")
    assert found["rate_hz"].wish.goal == round(20 / 3.6 / (overhead.MOST_SHIFT * 0.5), 2)
    check_cures(DOWN, plan, "rate_hz")
    assert found["depth_error_m"].value == pytest.approx(1.75**2 * 0.25 / (320 * 0.02))
    check_cures(DOWN, plan, "depth_error_m")


def test_a_line_before_a_camera_needs_the_room_of_who_walks_there() -> None:
    """Across the middle of the picture people are half as fast in pixels at twice the depth."""
    line = {"Gate": [[0, 540], [1920, 540]]}
    claim = next(c for c in claims(Stood("D", CAMERA, line, 10.0), Around(Plan())))
    depth = 4 / math.sin(math.radians(15))
    f_px = 1920 * 8 / 5.37
    along = f_px * 4 / depth**2  # px/m away from the camera (A13)
    tall = f_px * (1.7 * math.cos(math.radians(15))) / depth
    needed = tall + 1.4 * along * 0.3 + 5
    assert claim.wish.goal == pytest.approx(needed, rel=0.06)  # the body is projected, not scaled
    assert claim.value == 540
    sky = next(
        c
        for c in claims(
            Stood("D", CAMERA.model_copy(update={"tilt_deg": 0.0}), {"Sky": [[0, 10], [99, 10]]}), Around(Plan())
        )
    )
    assert (sky.verdict, "above the horizon" in sky.reason) == ("fail", True)


# ---- who is followed -------------------------------------------------------------------------------------------------


def test_field_and_turning_as_the_compendium_says() -> None:
    inputs, expected = check("H06")
    found = following.least_field_deg(inputs["S_m"], inputs["v_m_s"], inputs["L_s"], inputs["D_m"], inputs["e_m"])
    assert found == expected
    inputs, expected = check("H07")
    assert following.nearest_m(inputs["v_m_s"], inputs["omega_deg_s"]) == expected


def test_a_target_far_off_close_by_and_too_nervous_to_be_zoomed_at() -> None:
    plan = plan_of(what="following", points=[[-50, 200], [50, 200]], target_m=2, speed_kmh=36, px_per_m=160)
    found = found_of(HEAD, plan)
    kept = found["zoomed"]
    # the field holds 2 x (1 + 10 x 0.5 + 0.3) m of the picture's 1920 pixels, however far: 152 px/m
    assert kept.value == pytest.approx(1920 / 12.6, rel=1e-6)
    check_cures(HEAD, plan, "zoomed")
    both = plan_of(what="following", points=[[0, 200]], target_m=2, speed_kmh=36, px_per_m=250)
    assert found_of(HEAD, both)["zoomed"].remedies == []  # no one quantity does it: lens and latency together would
    short = HEAD.model_copy(update={"focal_max_mm": 10.0})
    check_cures(short, plan_of(what="following", points=[[0, 300]], target_m=2, px_per_m=50), "zoomed")
    near = plan_of(what="following", points=[[-50, 5], [50, 5]], speed_kmh=36)
    passing = found_of(HEAD, near)["pan_deg_s"]
    assert passing.value == pytest.approx(math.degrees(10 / 5))
    assert "from 9.5 m on" in passing.reason  # H07
    check_cures(HEAD, near, "pan_deg_s")
    unfit = found_of(CAMERA, near)["fits"]
    assert (unfit.verdict, unfit.value) == ("fail", None)


def test_how_far_a_grade_reaches_at_wide_and_at_full_zoom() -> None:
    """1920 px x 100 mm / 5.37 mm = 35 754: 250 px/m to 143 m of slant, 142.8 m over ground from 8 m up."""
    assert following.reach_m(HEAD, HEAD.tele_mm, 250) == pytest.approx(math.sqrt((1920 * 100 / 5.37 / 250) ** 2 - 64))
    assert following.reach_m(HEAD, HEAD.wide_mm, 10_000) == 0


# ---- who is told by the face -----------------------------------------------------------------------------------------


def test_from_the_side_where_it_is_sharp_and_how_much_of_somebody_is_seen() -> None:
    """A33's lens, level at 4 m: sharp on the ground from 12.17 to 56.19 m, for depth then is distance. Feet are seen from where 4 m
    below the axis are the picture's lower edge.
    """
    pitch_mm = 0.0029
    level = CAMERA.model_copy(
        update={"tilt_deg": 0.0, "focal_mm": 12.0, "sensor_width_mm": pitch_mm * 1920, "f_number": 1.6, "focus_m": 20.0}
    )
    told = elevation(level, [], EDITIONS["2014"], reach_m=60)
    assert told.sharp == pytest.approx(tuple(check("A33")[1].expected[1:]), rel=1e-4)
    feet_m = 4 * 12 / (540 * pitch_mm)  # where 4 m below the axis are the lower edge
    seen = {at: words.split(", ")[1] for at, _, _, words in told.someone}
    assert {words for at, words in seen.items() if at > feet_m + 0.5} == {"whole"}
    heads_m = (4 - 1.8) * 12 / (540 * pitch_mm)
    assert {words for at, words in seen.items() if heads_m + 0.5 < at < feet_m - 0.5} == {"without the feet"}
    steep = elevation(CAMERA.model_copy(update={"tilt_deg": 45.0}), [], EDITIONS["2014"])
    assert "without the head" in {words.split(", ")[1] for *_, words in steep.someone}
    assert steep.sharp is None


def test_a_face_from_the_side_and_from_above() -> None:
    plan = plan_of(what="likeness", points=[[0, 5, 1.6]], heading_deg=140)
    found = found_of(CAMERA.model_copy(update={"tilt_deg": 25.0}), plan)
    assert found["yaw_deg"].value == pytest.approx(40)
    assert found["pitch_deg"].value == pytest.approx(math.degrees(math.atan2(2.4, 5)))
    assert {found["yaw_deg"].verdict, found["pitch_deg"].verdict} == {"fail"}
    free = found_of(CAMERA, plan_of(what="likeness", points=[[0, 5, 1.6]]))
    assert "yaw_deg" not in free


def test_a_zone_beyond_the_lens_is_cured_by_lens_way_or_height_within_its_zoom() -> None:
    plan = plan_of(what="density", points=[[-2, 28], [2, 28], [2, 30], [-2, 30]], px_per_m=125)
    mount = CAMERA.model_copy(update={"focal_min_mm": 5.0, "focal_max_mm": 12.0, "tilt_deg": 8.0})
    check_cures(mount, plan, "density")
    fixed = mount.model_copy(update={"focal_max_mm": 8.2})
    claim = found_of(fixed, plan)["density"]
    assert not [r for r in claim.remedies if "focal" in r.text]
    assert claim.at is not None
    assert claim.at[1] == 30


# ---- the sun ---------------------------------------------------------------------------------------------------------


# sunrise and sunset at Greenwich and Berlin by Meeus' equations: I08 and I09
@pytest.mark.parametrize("name", ["I08", "I09"])
def test_the_sun_is_up_as_long_as_an_almanac_says(name: str) -> None:
    inputs, expected = check(name)
    rise, sets = expected.expected
    day = date.fromisoformat(inputs["date"])
    instants, ways = sunlight.suns(inputs["lat_deg"], inputs["lon_E_deg"], day, "UTC")
    minutes = [at.hour * 60 + at.minute for at in instants]
    slack = sunlight.STEP_MIN + 5  # the almanac goes by the upper edge, and itself holds to 2 min
    assert [minutes[0], minutes[-1]] == pytest.approx([rise, sets], abs=slack)
    assert np.linalg.norm(ways, axis=1) == pytest.approx(np.ones(len(ways)))


def test_a_camera_that_looks_into_the_rising_sun() -> None:
    """At an equinox the sun rises in the east; a camera that looks east and level sees it, one that looks west in the evening."""
    base = {"sun_dates": ["2026-03-20"], "latitude": 54.6, "longitude": 0.0}
    aim = {"name": "a", "device": "D", "what": "reading", "points": [[20, 0, 0.5]], "heading_deg": 270}
    plan = read_model(Plan, {**base, "aims": [aim]}, where="plan")
    east = CAMERA.model_copy(update={"azimuth_deg": 90.0, "tilt_deg": 9.0})
    claim = found_of(east, plan)["glare_min"]
    assert claim.value is not None
    assert claim.value > 20
    assert "20.03.2026: 06:" in claim.reason
    check_cures(east, plan, "glare_min")
    hill = Occluder(name="hill", points=((60, -200), (60, 200)), height_m=60)
    assert found_of(east, plan.model_copy(update={"occluders": (hill,)}))["glare_min"].value == 0
    north = CAMERA.model_copy(update={"azimuth_deg": 0.0})
    to_north = {**aim, "points": [[0, 20, 0.5]], "heading_deg": 180}
    assert found_of(north, read_model(Plan, {**base, "aims": [to_north]}, where="plan"))["glare_min"].value == 0
    nowhere = read_model(Plan, {"sun_dates": ["2026-03-20"], "aims": [aim]}, where="plan")
    assert "glare_min" not in found_of(east, nowhere)


# ---- sound -----------------------------------------------------------------------------------------------------------


def test_published_margins_and_several_speakers_over_a_zone() -> None:
    """62 dB(A) around: 77 by ISO 7731, 67 by BS 5839-1, 68 by EN 60849, each from memory. Two alike at one place are 3 dB louder."""
    horn = Speaker(x_m=0, y_m=0, height_m=1.6, sensitivity_db=100, watts=10)
    base = {"ambient": [{"level_db": 62}]}
    for margin, goal in (("ISO 7731", 77), ("BS 5839-1", 67), ("EN 60849", 68)):
        aim = {
            "name": "a",
            "device": "D",
            "what": "hearing",
            "points": [[0, 10], [30, 10], [30, 20], [0, 20]],
            "margin": margin,
        }
        plan = read_model(Plan, {**base, "aims": [aim]}, where="plan")
        claim = found_of(horn, plan)["level_db"]
        assert (claim.wish.goal, claim.at) == (goal, (30, 20))
        assert claim.value == pytest.approx(
            110 - 20 * math.log10(math.hypot(30, 20)) - sound.air_db_per_m(1000) * math.hypot(30, 20)
        )
    twice = claims(Stood("D", horn), Around(plan, [Stood("D", horn), Stood("E", horn)]))
    assert twice[0].value == pytest.approx((claim.value or 0) + 10 * math.log10(2))
    loud = found_of(horn.model_copy(update={"watts": 100.0}), plan)["loudest_db"]
    assert (loud.value, loud.verdict) == (120, "marginal")


def test_areas_of_a_level_are_circles_round_a_speaker_alone() -> None:
    horn = Speaker(x_m=50, y_m=30, height_m=1.6, sensitivity_db=90, watts=1)
    found = dict(louder([horn], Plan(width_m=100, height_m=60), (70.0, 80.0)))
    for level, radius in ((70.0, 10.0), (80.0, 10**0.5)):  # 20 log r, less 0.004 dB/m of air
        assert found[level].area == pytest.approx(math.pi * radius**2, rel=0.04)
    assert louder([], Plan()) == []


# ---- the ground picture ----------------------------------------------------------------------------------------------


def test_a_picture_lies_turned_to_north_and_is_stretched_about_the_first_point() -> None:
    """North 90° clockwise of its up: what is to the right in it lies north, what is up lies west."""
    lying = Lying(metres_per_px=0.5, origin=(10.0, 20.0), north_deg=90)
    assert lying.metres(4, 0) == (10, 22)
    assert lying.metres(0, 6) == (7, 20)
    straight = Lying(metres_per_px=0.5, origin=(2.0, 4.0))
    one, other = straight.metres(100, 100), straight.metres(300, 100)
    after = straight.stretched(one, other, 25)  # 100 m are 25 m
    assert after.metres_per_px == 0.125
    assert after.metres(100, 100) == one
    assert math.dist(after.metres(100, 100), after.metres(300, 100)) == pytest.approx(25)
    for points, length in ((one, one), 5), ((one, other), -1):
        with pytest.raises(Refused, match="how far apart"):
            straight.stretched(*points, length)


def test_a_plan_as_large_as_its_picture_holds_all_of_it() -> None:
    """200 by 100 units of half a metre, scaled about a point so that its corner lies at (5.07, 3.04)."""
    lying = Lying(metres_per_px=0.5, origin=(5.07, 3.04))
    laid, width, height = lying.sheet(200, 100, free=True)
    assert (laid.origin, width, height) == ((0.0, 0.0), 100.0, 50.0)
    kept, width, height = lying.sheet(200, 100, free=False)  # walls lie by it already
    assert (kept.origin, width, height) == ((5.07, 3.04), 105.1, 53.1)
    turned, width, height = Lying(metres_per_px=0.5, north_deg=90).sheet(200, 100, free=True)
    assert (turned.origin, width, height) == ((50.0, 0.0), 50.0, 100.0)
    assert turned.metres(0, 100)[0] == 0
    with pytest.raises(Refused, match=r"reaches 50\.0 m beyond"):
        Lying(metres_per_px=0.5, north_deg=90).sheet(200, 100, free=False)


# ---- all together ----------------------------------------------------------------------------------------------------


def test_what_nobody_and_what_two_see() -> None:
    stood = [Stood("A", CAMERA), Stood("B", CAMERA.model_copy(update={"x_m": 4.0}))]
    plan = Plan(width_m=60, height_m=60)
    one, both = sight(stood[:1], plan), sight(stood, plan)
    assert one.twice_share == 0
    assert both.twice_share > 0
    assert both.unseen_share < one.unseen_share < 1


def test_a_camera_inside_a_building_sees_as_far_as_its_walls() -> None:
    hall = Occluder(name="hall", points=((-10, -2), (10, -2), (10, 12), (-10, 12)), closed=True, height_m=6)
    inside = plan_of(what="measuring", points=[[0, 10]], target_m=0.5).model_copy(update={"occluders": (hall,)})
    assert found_of(THERMAL.model_copy(update={"tilt_deg": 20.0}), inside)["spot_px"].verdict == "pass"
    outside = plan_of(what="measuring", points=[[0, 14]], target_m=0.5).model_copy(update={"occluders": (hall,)})
    assert (
        found_of(THERMAL.model_copy(update={"tilt_deg": 20.0}), outside)["spot_px"].reason == "hall stands in the way"
    )


def test_what_nobody_hangs_so_high_is_said_and_comes_last() -> None:
    """A doorway of 5 m: with this lens (4.8 mm behind 2.4 mm, so 2 m wide a metre down) 2.5 m over shoulders, and more
    for a margin; counters here hang at 2.2 to 4 m.
    """
    plan = plan_of(what="counting", points=[[-2.5, 0], [2.5, 0]])
    claim = found_of(DOWN, plan, usual_height_m=(2.2, 4.0))["lane_m"]
    *_, last = claim.remedies
    assert len(claim.remedies) == 2
    assert last.mount["height_m"] == pytest.approx(1.45 + 2.5 * 1.05, abs=0.02)
    assert last.text.endswith("with 5 % to spare; beyond the 2.2 to 4 m at which such devices usually hang")
    [usual, *_] = found_of(DOWN, plan)["lane_m"].remedies
    assert "usually" not in usual.text


def test_a_cure_says_what_it_costs_the_other_aims() -> None:
    """A longer lens for the far zone drives the near one out of the picture."""
    aims = [
        {"name": "far", "device": "D", "what": "density", "points": [[-1, 30], [1, 30]], "px_per_m": 200},
        {"name": "near", "device": "D", "what": "density", "points": [[-2, 15], [2, 15]], "px_per_m": 100},
    ]
    plan = read_model(Plan, {"aims": aims}, where="plan")
    [far] = [
        c for c in claims(Stood("D", CAMERA.model_copy(update={"tilt_deg": 9.0})), Around(plan)) if c.label == "far"
    ]
    longer = next(r for r in far.remedies if r.text.startswith("focal length"))
    assert "costs: near of near unknown px/m (fail)" in longer.text


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"focal_min_mm": 9}, "its zoom has 9 to 8 mm"),
        ({"focal_max_mm": 5}, "its zoom has 8 to 5 mm"),
    ],
)
def test_a_focal_length_outside_of_the_zoom_is_told(change: dict[str, float], told: str) -> None:
    assert told in CAMERA.model_copy(update=change).check()[0]


def test_a_plate_says_how_far_from_straight_on_it_is_seen_in_all() -> None:
    """Horizontally 30°, vertically atan(3.5 / 20): together acos(cos 30° cos v), as A20 has it for the two parts of one way."""
    plan = plan_of(what="reading", points=[[0, 20, 0.5]], heading_deg=210)
    vertical = math.atan2(3.5, 20)
    total = math.degrees(math.acos(math.cos(math.radians(30)) * math.cos(vertical)))
    assert f"{total:.1f}° from straight on in all" in found_of(CAMERA, plan)["incidence_h_deg"].reason


def test_a_radars_way_says_through_what_it_is_seen() -> None:
    """Wood of 20 mm takes 3.6 dB one way at 24 GHz (ITU-R P.2040-1, from memory); metal is opaque; what ends below is looked over."""
    radar = Radar(x_m=0, y_m=0, height_m=2, azimuth_deg=0, sector_deg=120, range_m=60)
    walls = (
        Occluder(name="hoarding", points=((-5, 5), (5, 5)), height_m=3, material="wood"),
        Occluder(name="container", points=((-5, 7), (-3, 7)), height_m=3, material="metal"),
        Occluder(name="kerb", points=((-5, 8), (5, 8)), height_m=1, material="metal"),
    )
    plan = plan_of(what="walk", points=[[-10, 20], [10, 20]], speed_kmh=5).model_copy(update={"occluders": walls})
    reason = found_of(radar, plan)["blind_s"].reason
    assert "through hoarding (wood, 3.6 dB), container (metal, opaque)" in reason
    assert "kerb" not in reason


def test_the_ground_is_seen_again_beyond_a_lower_wall() -> None:
    """Similar triangles, by hand: from 6 m over a wall of 3 m that stands 10 m off, the line of sight comes down 20 m off."""
    assert seen_again_m(10, 3, 6) == 20
    assert seen_again_m(10, 0, 6) == 10
    assert seen_again_m(10, 6, 6) is None
