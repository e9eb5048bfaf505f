"""What radars, speakers and counters promise, against the checks, ISO 9613-1 and cases by hand; cures of a plan that work."""

from __future__ import annotations

import math
from dataclasses import replace
from typing import Any

import numpy as np
import pytest
import shapely

from checks import check
from lantern.core.faults import Refused
from lantern.core.modelled import read_model
from lantern.core.optics.coverage import Wall
from lantern.core.optics.mount import Mount
from lantern.core.promise import overhead, radar, sound
from lantern.core.promise.beneath import beneath
from lantern.core.promise.claim import Around, Claim, Stood
from lantern.core.promise.claims import claims, remedied
from lantern.core.promise.earth import geojson, lon_lat
from lantern.core.promise.plan import MATERIALS, Aim, Ambient, Occluder, Plan
from lantern.core.promise.radar import Radar
from lantern.core.promise.sound import Speaker

RADAR = Radar(x_m=0, y_m=0, height_m=2, azimuth_deg=0, sector_deg=100, range_m=30)
HORN = Speaker(x_m=0, y_m=0, height_m=sound.EAR_M, azimuth_deg=0, sensitivity_db=100, watts=10, angle_deg=90)

# ---- radar -----------------------------------------------------------------------------------------------------------


def test_ranges_by_class_and_through_material() -> None:
    inputs, expected = check("G06")
    assert [radar.range_of(inputs["R1_m"], rcs) for rcs in inputs["s2_m2"]] == expected
    inputs, expected = check("G07")
    assert [radar.through(1.0, loss) for loss in inputs["A_dB"]] == expected
    assert radar.through(30.0, math.inf) == 0


def test_what_materials_take_is_the_recommendations() -> None:
    """ITU-R P.2040-1 at 24.125 GHz, from memory: of usual slabs, what is absorbed and what is reflected, to a tenth of a dB."""
    for number, material in (("G12", "plasterboard"), ("G13", "wood"), ("G14", "glass"), ("G15", "concrete")):
        inputs, expected = check(number)
        assert inputs["material"] == material
        assert MATERIALS[material] == pytest.approx(expected.expected[1], abs=0.1)


def test_two_radars_on_one_channel_warn_until_one_has_another() -> None:
    here, there, third = (
        RADAR.model_copy(update={"x_m": x_m, "channel": channel}) for x_m, channel in ((0.0, 3), (20.0, 3), (40.0, 1))
    )
    stood = [Stood("R1", here), Stood("R2", there), Stood("R3", third)]
    [claim] = claims(stood[0], Around(Plan(), stood))
    shared = radar.sector(here, 30).intersection(radar.sector(there, 30)).area
    assert (claim.verdict, claim.value) == ("marginal", pytest.approx(shared))
    assert claim.reason == "with R2 on channel 3"
    [remedy] = claim.remedies
    assert (remedy.text, dict(remedy.mount)) == (
        "channel 2 instead of 3",
        {"channel": 2},
    )  # 1 is that of another near it
    [after] = remedied(stood[0], Around(Plan(), stood), claim, remedy)
    assert after.verdict == "pass"
    away = Stood("R2", there.model_copy(update={"x_m": 500.0}))
    assert [each.verdict for each in claims(stood[0], Around(Plan(), [stood[0], away]))] == ["pass"]
    assert claims(Stood("R1", RADAR), Around(Plan(), stood)) == []  # nothing is said of its channel


def test_a_sector_has_the_area_of_the_formula() -> None:
    inputs, expected = check("G10")
    held = RADAR.model_copy(update={"sector_deg": float(inputs["phi_deg"])})
    whole = radar.sector(held, inputs["r_m"]).area - radar.sector(held, inputs["r0_m"]).area
    assert whole == pytest.approx(expected.expected, rel=2e-3)  # chords of 5 cm
    assert len(shapely.get_coordinates(radar.sector(RADAR, 30.0))) == check("G11")[1] + 3  # its steps, the middle twice


def test_the_blind_stretch_about_the_closest_approach() -> None:
    inputs, expected = check("G08")
    p, v, least = inputs["p_m"], inputs["v_m_s"], inputs["vmin_m_s"]
    held = RADAR.model_copy(update={"min_speed_mps": least})
    found = radar.crossing(held, [(-9, p), (9, p)], v, radar.reach(held, []))
    [(start, end)] = found.blind
    half, duration = expected.expected
    assert ((end - start) / 2, found.longest_s(v)) == pytest.approx((half, duration), rel=1e-6)
    assert found.in_reach_m == pytest.approx(18)


def test_who_is_slower_than_the_least_speed_is_never_seen() -> None:
    found = radar.crossing(RADAR, [(0, 5), (0, 25)], 0.2, radar.reach(RADAR, []))
    assert found.blind == ((0.0, 20.0),)
    assert radar.crossing(RADAR, [(0, 5), (0, 25)], 1.2, radar.reach(RADAR, [])).blind == ()  # straight towards it


def test_behind_wood_it_sees_less_far_and_behind_metal_nothing() -> None:
    """3.6 dB one way leave 0.661 of 30 m: 19.8 m; a target at 25 m behind the fence is lost, one at 15 m is not."""
    fence = {"name": "fence", "points": [[-5, 10], [5, 10]], "height_m": 3.0}
    for material, seen in (("wood", (True, False)), ("metal", (False, False)), ("plastic", (True, True))):
        area = radar.reach(RADAR, [Occluder.model_validate(fence | {"material": material})])
        assert (area.contains(shapely.Point(0, 15)), area.contains(shapely.Point(0, 25))) == seen, material
        assert area.contains(shapely.Point(14, 16))  # beside it
    low = radar.reach(RADAR, [Occluder.model_validate(fence | {"height_m": 1.0, "material": "metal"})])
    assert low.contains(shapely.Point(0, 25))


# ---- sound -----------------------------------------------------------------------------------------------------------


def test_levels_by_distance_and_together() -> None:
    inputs, expected = check("I13")
    assert sound.at_distance_db(inputs["L1_dB"], inputs["r2_m"]) == expected
    inputs, expected = check("I15")
    assert sound.together_db(inputs["L_dB"]) == expected
    inputs, expected = check("I14")
    needed = sound.MARGINS["ISO 7731"].needed_db(inputs["ambient_dBA"])
    assert needed + 20 * math.log10(inputs["r_m"]) == expected
    assert sound.MARGINS["ISO 7731"].needed_db(20) == 65


@pytest.mark.parametrize(
    ("hz", "db_per_km"),
    [(63, 0.12), (125, 0.41), (250, 1.04), (500, 1.93), (1000, 3.66), (2000, 9.66), (4000, 32.8), (8000, 117.0)],
)
def test_air_absorbs_as_the_standard_says(hz: float, db_per_km: float) -> None:
    """ISO 9613-2:1996, table 2, 10 °C and 70 % (from ISO 9613-1): 0.1, 0.4, 1.0, 1.9, 3.7, 9.7, 32.8, 117 dB/km; from memory. At the
    octaves' exact middle frequencies; the table rounds.
    """
    exact = 1000 * 10 ** (0.3 * round(math.log10(hz / 1000) / 0.3))
    assert sound.air_db_per_m(exact) * 1000 == pytest.approx(db_per_km, rel=0.05)


def test_a_horn_loses_six_decibels_at_half_its_angle() -> None:
    def at(degrees: float) -> float:
        turn = math.radians(degrees)
        return float(sound.aside_db(HORN, np.array([[10 * math.sin(turn), 10 * math.cos(turn), 1.6]]))[0])

    assert [at(0), at(45)] == pytest.approx([0, 6])
    assert at(180) == 24
    assert sound.aside_db(HORN.model_copy(update={"angle_deg": 360.0}), np.array([[0.0, -9.0, 1.6]])) == 0


def test_a_level_is_the_sum_of_its_parts() -> None:
    """10 W are 10 dB: 110 dB at 1 m; by the inverse square law 6.02 dB less with each doubling, so 26.0 at 20 m (handbook table of
    distance losses, from memory); 20 m of air take less than a tenth of a decibel.
    """
    near, twice, far = (sound.level_db(HORN, (0, away)) for away in (10, 20, 40))
    assert near == pytest.approx(90.0, abs=0.05)
    assert far == pytest.approx(78.0, abs=0.2)
    assert 6.02 < near - twice < 6.1


def test_a_wall_takes_what_the_way_over_it_is_longer() -> None:
    """Maekawa: grazing, d = 0, takes 10 lg 3 = 4.8 dB; one that ends below the sight line nothing; at most 24 dB."""
    eye, ear = np.array([0.0, 0.0, 1.6]), np.array([0.0, 20.0, 1.6])
    for high, loss in ((1.5, 0.0), (1.6001, 10 * math.log10(3)), (30.0, 24.0)):
        wall = Wall(((-5.0, 10.0), (5.0, 10.0)), high)
        assert sound.barrier_db(eye, ear[None], [wall]) == pytest.approx([loss], abs=0.02)


@pytest.mark.parametrize(("hour", "level"), [(12, 55), (23, 62), (3, 62), (5.5, 55)])
def test_ambient_levels_hold_in_their_hours(hour: float, level: float) -> None:
    plan = Plan(
        ambient=(Ambient(level_db=55, from_h=5, until_h=23), Ambient(place="Quay", level_db=62, from_h=22, until_h=5))
    )
    assert plan.ambient_db("Quay", hour) == level
    assert Plan().ambient_db("Quay", hour) is None


# ---- counters --------------------------------------------------------------------------------------------------------


def counter(**changes: Any) -> Mount:
    base = {"x_m": 0, "y_m": 0, "height_m": 3.2, "azimuth_deg": 0, "tilt_deg": 90, "focal_mm": 2.0, "sensor_width_mm": 4.0,
            "pixels": (640, 480)}  # fmt: skip
    return Mount.model_validate(base | changes)


def test_the_room_that_a_line_needs() -> None:
    inputs, expected = check("B05")
    found = overhead.room_needed_px(
        trail_px=inputs["a_trail_px"], speed_px_s=inputs["v_px_s"], fps=inputs["fps"], frames=inputs["K"],
        start_s=inputs["t_init_s"], band_px=inputs["h_px"],
    )  # fmt: skip
    assert found == expected


def test_what_a_counter_covers_at_the_floor_and_at_the_shoulder() -> None:
    """f 320 px of 640: as wide as it is high above; at 1.45 m that is 1.75 m."""
    assert overhead.footprint_m(counter(), 0.0) == pytest.approx((6.4, 4.8))
    assert overhead.footprint_m(counter(), 1.45) == pytest.approx((3.5, 2.625))
    assert overhead.footprint_m(counter(), 3.2) is None


def test_who_passes_beneath_a_counter() -> None:
    """Its picture is as wide as it is deep below the lens: at a shoulder, 1.45 m up, 1.75 m to either side. A body is 0.5 m wide."""
    way = Aim(name="the door", device="D", what="counting", points=((0, -2), (0, 2.5)))
    told = beneath(counter(azimuth_deg=90), [way])  # what lies south is to its right
    assert told.floor_m == pytest.approx((-3.2, 3.2))
    assert told.shoulder_m == pytest.approx((-1.75, 1.75))
    rolled = beneath(counter(roll_deg=45.0), [way])  # the picture's long side is nearer than its corner
    assert rolled.floor_m == pytest.approx((-2.4 * math.sqrt(2), 2.4 * math.sqrt(2)))
    [lane] = told.lanes
    assert (lane.begins_m, lane.ends_m, *lane.seen_m) == pytest.approx((-2.5, 2, -1.75, 1.75))
    for at_m, words in told.someone:
        if abs(at_m) <= 1.5:
            assert words == "seen whole, 183 px/m at the shoulders"  # 320 px / 1.75 m
        else:
            assert words == ("seen in part" if abs(at_m) < 2.0 else "not in the picture")
    for held in (
        counter(azimuth_deg=90, roll_deg=35),
        counter(azimuth_deg=90, x_m=1.2),
    ):  # what is seen is what is claimed
        [lane] = beneath(held, [way]).lanes
        assert lane.seen_m[1] - lane.seen_m[0] == pytest.approx(overhead.lane_m(held, (0, -2), (0, 2.5)))
    assert beneath(counter(azimuth_deg=90, x_m=1.4), [way]).lanes[0].seen_m == (
        -2.5,
        -2.5,
    )  # 1.3125 m along its picture
    low = beneath(counter(height_m=1.4), [way])
    assert (low.shoulder_m, low.someone) == (None, [])
    assert low.lanes[0].seen_m[1] <= low.lanes[0].seen_m[0]


@pytest.mark.parametrize(
    ("line", "room"), [([[0, 240], [640, 240]], 240), ([[0, 20], [640, 20]], 20), ([[100, 0], [100, 480]], 100)]
)
def test_how_far_a_line_lies_from_the_edge(line: list[list[float]], room: float) -> None:
    assert overhead.room_of_line_px(line, (640, 480)) == pytest.approx(room)


# ---- on the earth ----------------------------------------------------------------------------------------------------


def test_metres_on_the_earth() -> None:
    """At 54.6° N on WGS 84 a degree of latitude is 111.338 km and one of longitude 64.621 km (from the ellipsoid's series, from
    memory: 111132.95 - 559.82 cos 2φ + 1.175 cos 4φ, and 111412.88 cos φ - 93.5 cos 3φ + 0.118 cos 5φ).
    """
    plan, phi = Plan(latitude=54.6, longitude=4.2), math.radians(54.6)
    per_lat = 111132.954 - 559.822 * math.cos(2 * phi) + 1.175 * math.cos(4 * phi)
    per_lon = 111412.84 * math.cos(phi) - 93.5 * math.cos(3 * phi) + 0.118 * math.cos(5 * phi)
    lon, lat = lon_lat(plan, 420, 260)
    assert ((lat - 54.6) * per_lat, (lon - 4.2) * per_lon) == pytest.approx((260, 420), abs=0.02)


def test_areas_as_geojson_run_counter_clockwise_and_want_an_origin() -> None:
    ring = shapely.box(0, 0, 10, 10).difference(shapely.box(4, 4, 6, 6))
    made = geojson(Plan(latitude=0, longitude=0), [({"device": "V1"}, ring), ({}, shapely.Polygon())])
    [feature] = made["features"]
    outer, inner = feature["geometry"]["coordinates"]
    assert (feature["properties"], outer[0] == outer[-1], len(outer), len(inner)) == ({"device": "V1"}, True, 5, 5)
    assert shapely.Polygon(outer).exterior.is_ccw
    assert not shapely.Polygon(inner).exterior.is_ccw
    with pytest.raises(Refused, match="no latitude and longitude"):
        geojson(Plan(), [({}, ring)])


# ---- claims and cures ------------------------------------------------------------------------------------------------

CAMERA = Mount(
    x_m=0, y_m=0, height_m=4.2, azimuth_deg=26.6, tilt_deg=22.5, focal_mm=6, sensor_width_mm=5.37, pixels=(1920, 1080)
)
PLAN = Plan.model_validate(
    {
        "occluders": [{"name": "hut", "points": [[20, 20], [24, 20], [24, 24], [20, 24]], "closed": True, "height_m": 3}],
        "ambient": [{"place": "Quay", "level_db": 62, "from_h": 22, "until_h": 6}],
        "aims": [
            {"name": "bar", "device": "P1", "what": "reading", "points": [[4, 8, 0.5]], "heading_deg": 180, "speed_kmh": 30,
             "shutter_s": 0.004, "fps": 10, "depth_m": 3},
            {"name": "ladder", "device": "L1", "what": "hearing", "points": [[0, 100]], "hour": 2, "place": "Quay"},
            {"name": "the quay", "device": "R1", "what": "walk", "points": [[-12, 12], [12, 12]], "speed_kmh": 4.3},
            {"name": "yard", "device": "V2", "what": "density", "points": [[-3, 10], [3, 10], [3, 20], [-3, 20]], "px_per_m": 125},
        ],
    }
)  # fmt: skip


def by_name(found: list[Claim]) -> dict[str, Claim]:
    return {claim.name: claim for claim in found}


def test_a_plates_claims_are_those_of_the_prediction_and_the_cures_work() -> None:
    stood = Stood("P1", CAMERA)
    found = by_name(claims(stood, Around(PLAN)))
    assert {name for name, claim in found.items() if claim.verdict != "pass"} >= {"frames", "blur_px"}
    for name, claim in found.items():
        for remedy in claim.remedies:
            mount = CAMERA.model_copy(update=dict(remedy.mount))
            [aim] = [a.model_copy(update=dict(remedy.aim)) for a in PLAN.aims if a.name == "bar"]
            after = claims(Stood("P1", mount), Around(PLAN.model_copy(update={"aims": (aim,)})), cured=False)
            assert by_name(after)[name].verdict == "pass", remedy.text


def test_a_speaker_that_is_too_quiet_by_night_is_cured_by_power_or_by_coming_nearer() -> None:
    horn = HORN.model_copy(update={"height_m": 4.0})
    [claim] = claims(Stood("L1", horn), Around(PLAN))
    assert (claim.verdict, claim.wish.goal) == ("fail", 77)  # 62 dB(A) by night and 15 more
    assert len(claim.remedies) == 2
    for remedy in claim.remedies:
        [after] = claims(Stood("L1", horn.model_copy(update=dict(remedy.mount))), Around(PLAN))
        assert after.verdict == "pass", remedy.text
    loud = Stood("L2", horn.model_copy(update={"y_m": 90.0}))
    [helped] = claims(Stood("L1", horn), Around(PLAN, [loud]))
    assert helped.value is not None and helped.value > (claim.value or 0)


def test_a_path_across_the_beam_is_cured_by_the_least_move_and_not_by_looking_away() -> None:
    stood = Stood("R1", RADAR)
    [claim] = claims(stood, Around(PLAN))
    assert (claim.verdict, claim.name) == ("fail", "blind_s")
    [remedy] = claim.remedies
    moved = RADAR.model_copy(update=dict(remedy.mount))
    [after] = claims(Stood("R1", moved), Around(PLAN), cured=False)
    assert after.verdict == "pass"
    path = [(-12, 12), (12, 12)]
    before, now = (radar.crossing(held, path, 4.3 / 3.6, radar.reach(held, PLAN.occluders)) for held in (RADAR, moved))
    assert now.in_reach_m >= before.in_reach_m - 1e-6
    far = math.hypot(moved.x_m, moved.y_m)
    for angle in range(24):  # no nearer place does
        for turn in range(0, 360, 10):
            step = far - 0.5
            held = RADAR.model_copy(update={"x_m": round(step * math.sin(angle * math.pi / 12), 2),
                                            "y_m": round(step * math.cos(angle * math.pi / 12), 2), "azimuth_deg": float(turn)})  # fmt: skip
            tried = radar.crossing(held, path, 4.3 / 3.6, radar.reach(held, PLAN.occluders))
            assert tried.in_reach_m < before.in_reach_m - 1e-6 or tried.longest_s(4.3 / 3.6) > 2.0


def test_a_zones_density_at_its_weakest_corner() -> None:
    """f 4 mm of 5.37 on 1280: 953 px; 125 px/m end at 7.6 m of depth, the far corners lie at 20: f must be some 10.5 mm."""
    held = CAMERA.model_copy(update={"azimuth_deg": 0.0, "tilt_deg": 15.0, "focal_mm": 4.0, "pixels": (1280, 720)})
    [claim] = claims(Stood("V2", held), Around(PLAN))
    depth = 20 * math.cos(math.radians(15)) + 4.2 * math.sin(math.radians(15))
    assert claim.value == pytest.approx(1280 * 4 / 5.37 / depth)
    assert claim.verdict == "fail"
    for remedy in claim.remedies:
        exact = 125 * depth * 5.37 / 1280
        assert remedy.mount["focal_mm"] == pytest.approx(math.ceil(exact * 10) / 10)


def test_a_wall_in_the_way_fails_whatever_the_lens() -> None:
    plan = PLAN.model_copy(update={"occluders": (Occluder(name="w", points=((0, 4), (6, 4)), height_m=6),)})
    found = by_name(claims(Stood("P1", CAMERA), Around(plan)))
    assert {claim.verdict for claim in found.values()} == {"fail"}
    assert found["char_px"].reason == "w stands in the way"


def test_a_line_without_room_says_by_how_much_and_where_it_would_have_it() -> None:
    lines = {"Boarding": [[0, 20], [640, 20]]}
    [claim] = claims(Stood("C1", counter(), lines, 10), Around(Plan()))
    scale = 320 / (3.2 - 1.45)
    needed = 0.25 * scale + 1.4 * scale * 0.3 + 5
    assert claim.wish.goal == round(needed)
    assert (claim.verdict, claim.value) == ("fail", 20)
    moved_px = round(needed) * 1.05 - 20
    assert (
        claim.remedies[0].text == f"move the line of Boarding {moved_px:.0f} px away from the edge, with 5 % to spare"
    )
    assert claim.remedies[0].by_hand == "drawn on the bench of Boarding"
    [moved] = claims(
        Stood("C1", counter(), {"Boarding": [[0, math.ceil(needed)], [640, math.ceil(needed)]]}, 10), Around(Plan())
    )
    assert moved.verdict == "pass"


def test_an_aim_of_another_sort_of_device_is_told() -> None:
    [claim] = claims(Stood("L1", RADAR), Around(PLAN))
    assert (claim.verdict, claim.value) == ("fail", None)
    assert replace(claim, reason="").as_dict()["wish"] == "≥ 1"


@pytest.mark.parametrize(
    ("change", "told"),
    [
        ({"occluders": [{"name": "w", "points": [[0, 0], [1, 1]], "height_m": 2, "material": "cheese"}]}, "no known material"),
        ({"occluders": [{"name": "w", "points": [[0, 0], [1, 1]], "height_m": 2, "closed": True}]}, "three corners"),
        ({"occluders": [{"name": "w", "points": [[0, 0], [1, 1]], "height_m": 2}] * 2}, "two occluders are called w"),
        ({"aims": [{"name": "a", "device": "R1", "what": "walk", "points": [[0, 0]]}]}, "2 points at least"),
        ({"aims": [{"name": "a", "device": "R1", "what": "reading", "points": [[0]]}]}, "x, y or x, y, z"),
        ({"metres_per_px": 0}, "greater than 0"),
        ({"latitude": 91}, "less than or equal to 90"),
    ],
)  # fmt: skip
def test_what_is_wrong_with_a_plan_is_told(change: dict[str, Any], told: str) -> None:
    with pytest.raises(Refused, match=told):
        read_model(Plan, change, where="plan")
