"""The plan on paper, to scale: the ground, what devices cover, what stands there, the grades, and what falls short."""

from __future__ import annotations

import base64
import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from typing import Any

import shapely
from shapely.geometry.base import BaseGeometry

from lantern.core.faults import Fault, Refused
from lantern.core.optics.grades import EDITIONS
from lantern.core.optics.mount import Mount
from lantern.core.promise.claim import Claim, Stood
from lantern.core.promise.plan import AIM_SORTS, Aim, Plan
from lantern.formats.paper.sheet import PAPERS, Sheet
from lantern.plan.drawing import STRAIGHT_DOWN_DEG, areas
from lantern.plan.tables import PlanPictureRow

SCALES = (50, 100, 200, 250, 500, 1000, 1250, 2000, 2500, 5000, 10_000)
MARGIN_MM, FOOT_MM = 10.0, 34.0
INK, QUIET, RULE, OXIDE, PATINA, PLUM, BRASS = (
    "#22303a",
    "#5d6b73",
    "#b7aa92",
    "#a4421d",
    "#2d6e63",
    "#6b2f56",
    "#b98516",
)
BANDS = (
    ("#6fa39b", 0.12),
    ("#6fa39b", 0.22),
    ("#5d968c", 0.36),
    ("#47857a", 0.5),
    ("#2d6e63", 0.68),
    ("#1b4f46", 0.8),
    ("#1b4f46", 0.9),
)
ROAD_M = 8.0
LETTER_MM = 1.1
SIGNS = {"fail": "M-1.6-1.6 1.6 1.6M-1.6 1.6 1.6-1.6", "marginal": "M0-2 2 0 0 2-2 0Z", "pass": "M0-2 2 0 0 2-2 0Z"}


@dataclass
class PlanPrint:
    """One sheet. `stood` are the devices that are drawn, `claims` what is promised of them, by code."""

    plan: Plan
    title: str
    under: str
    stood: Sequence[Stood]
    claims: Mapping[str, Sequence[Claim]]
    picture: PlanPictureRow | None
    paper: str = "A3"
    scale: int | None = None
    sheet: Sheet = field(init=False)

    def drawn(self) -> Sheet:
        """Raises `Refused` where the plan is too large for the paper at that scale."""
        self._lay_out()
        inside = self.sheet.clip(self._x0, self._y0, self._width, self._height)
        self.sheet.add("rect", inside, x=self._x0, y=self._y0, width=self._width, height=self._height, fill="#faf6ec")
        self._ground(inside)
        for each in self.stood:
            self._covered(inside, each)
        self._standing(inside)
        for each in self.stood:
            self._mark(inside, each)
        frame: dict[str, Any] = {"x": self._x0, "y": self._y0, "width": self._width, "height": self._height}
        self.sheet.add("rect", **frame, fill="none", stroke=INK, stroke_width=0.35)
        self._foot()
        return self.sheet

    # ---- where it lies ----

    def _lay_out(self) -> None:
        plan, sides = self.plan, PAPERS[self.paper]
        upright = plan.height_m > plan.width_m
        paper = sides[::-1] if upright else sides
        room = (paper[0] - 2 * MARGIN_MM, paper[1] - 2 * MARGIN_MM - FOOT_MM)
        needed = max(plan.width_m * 1000 / room[0], plan.height_m * 1000 / room[1])
        if self.scale is None:
            self.scale = next((each for each in SCALES if each >= needed), math.ceil(needed / 1000) * 1000)
        elif self.scale < needed:
            what = f"1 : {self.scale} does not fit on {self.paper}"
            raise Refused([Fault("scale", what, f"a larger sheet, or 1 : {math.ceil(needed)} and smaller")])
        self.sheet = Sheet(*paper)
        self._mm = 1000 / self.scale
        self._width, self._height = plan.width_m * self._mm, plan.height_m * self._mm
        self._x0, self._y0 = (paper[0] - self._width) / 2, MARGIN_MM + (room[1] - self._height) / 2

    def _at(self, point: Sequence[float]) -> tuple[float, float]:
        return self._x0 + point[0] * self._mm, self._y0 + self._height - point[1] * self._mm

    def _points(self, points: Sequence[Sequence[float]]) -> str:
        return " ".join(f"{x:.2f},{y:.2f}" for x, y in map(self._at, points))

    def _path(self, area: BaseGeometry) -> str:
        out = []
        for part in shapely.get_parts(area):
            if part.geom_type == "Polygon" and not part.is_empty:
                for ring in (part.exterior, *part.interiors):
                    corners = (self._at(corner) for corner in ring.coords)
                    out.append("M" + "L".join(f"{x:.2f} {y:.2f}" for x, y in corners) + "Z")
        return "".join(out)

    # ---- what is drawn ----

    def _ground(self, inside: Any) -> None:
        add, plan = self.sheet.add, self.plan
        if self.picture is not None and plan.metres_per_px is not None:
            x, y = self._at(plan.origin)
            k = plan.metres_per_px * self._mm
            data = f"data:{self.picture.media};base64,{base64.b64encode(self.picture.data).decode()}"
            place = f"translate({x:.3f} {y:.3f}) rotate({-plan.north_deg:g}) scale({k:.8f})"
            held = add("g", inside, transform=place)
            size: dict[str, Any] = {"width": self.picture.width_px, "height": self.picture.height_px}
            image = add("image", held, x=0, y=-self.picture.height_px, preserveAspectRatio="none", **size)
            image.set("xlink:href", data)
        for each in sorted(plan.outlines, key=lambda outline: outline.what != "water"):
            corners = self._points(each.points)
            if each.what == "water":
                add("polygon", inside, points=corners, fill="#e4ebee", stroke="#587083", stroke_width=0.4)
            elif each.what == "pier":
                add("polygon", inside, points=corners, fill="#efe4cd", stroke="#b9a67d", stroke_width=0.2)
            elif each.what == "road":
                for colour, width in (("#d9d0bf", ROAD_M + 1), ("#fffdf8", ROAD_M)):
                    line: dict[str, Any] = {
                        "fill": "none",
                        "stroke": colour,
                        "stroke_width": width * self._mm,
                        "stroke_linejoin": "round",
                    }
                    add("polyline", inside, points=corners, **line)
            else:
                add("polyline", inside, points=corners, fill="none", stroke=RULE, stroke_width=0.25)

    def _covered(self, inside: Any, each: Stood) -> None:
        add = self.sheet.add
        for n, (told, area) in enumerate(areas(each, self.plan)):
            if area.is_empty:
                continue
            if "grade" in told:
                colour, opacity = BANDS[n]
                add("path", inside, d=self._path(area), fill=colour, fill_opacity=opacity)
            else:
                colour = PLUM if "class" in told else BRASS
                line: dict[str, Any] = {"stroke": colour, "stroke_width": 0.25, "stroke_dasharray": "1.2 0.8"}
                add("path", inside, d=self._path(area), fill=colour, fill_opacity=0.03, **line)

    def _standing(self, inside: Any) -> None:
        add = self.sheet.add
        for each in self.plan.occluders:
            closed: dict[str, Any] = {"fill": "#e6dac3", "stroke": INK, "stroke_width": 0.25}
            open_: dict[str, Any] = {"fill": "none", "stroke": INK, "stroke_width": 0.6, "stroke_dasharray": "1.6 0.5"}
            add(
                "polygon" if each.closed else "polyline",
                inside,
                points=self._points(each.points),
                **(closed if each.closed else open_),
            )
            outline = shapely.Polygon(each.points) if each.closed else None
            if outline is not None and (outline.bounds[2] - outline.bounds[0]) * self._mm > LETTER_MM * len(each.name):
                x, y = self._at(outline.centroid.coords[0])
                self.sheet.words(x, y + 1, each.name, size=2.8, parent=inside, text_anchor="middle")
        shown = {each.code for each in self.stood}
        for aim in self.plan.aims:
            if aim.device in shown:
                self._aim(inside, aim)

    def _aim(self, inside: Any, aim: Aim) -> None:
        add = self.sheet.add
        found = [claim for claim in self.claims.get(aim.device, ()) if claim.aim == aim.name]
        word = next((w for w in ("fail", "marginal") if any(c.verdict == w for c in found)), "pass")
        colour = {"fail": OXIDE, "marginal": BRASS, "pass": PATINA}[word]
        shape = AIM_SORTS[aim.what][1]
        zone = shape == "area"
        if len(aim.points) > 1:
            line: dict[str, Any] = {
                "fill": "none",
                "stroke": INK if zone else PLUM,
                "stroke_width": 0.25,
                "stroke_dasharray": "0.8 0.5",
            }
            add("polygon" if zone else "polyline", inside, points=self._points(aim.points), **line)
        one, last = aim.points[0], aim.points[-1]
        x, y = self._at([(a + b) / 2 for a, b in zip(one[:2], last[:2], strict=True)] if shape == "way" else one)
        fill = "none" if word == "fail" else colour
        add(
            "path",
            inside,
            d=SIGNS[word],
            transform=f"translate({x:.2f} {y:.2f})",
            fill=fill,
            stroke=colour,
            stroke_width=0.7,
        )

    def _mark(self, inside: Any, each: Stood) -> None:
        mount = each.mount
        x, y = self._at((mount.x_m, mount.y_m))
        colour = OXIDE if any(claim.verdict == "fail" for claim in self.claims.get(each.code, ())) else INK
        down = isinstance(mount, Mount) and mount.tilt_deg >= STRAIGHT_DOWN_DEG
        shape = "M-1.6-1.6H1.6V1.6H-1.6Z" if down else "M0-2.8 2 1.9H-2Z"
        turned = f"translate({x:.2f} {y:.2f}) rotate({mount.azimuth_deg:g})"
        self.sheet.add("path", inside, d=shape, transform=turned, fill=colour, stroke="#ffffff", stroke_width=0.25)
        self.sheet.words(x + 2.6, y - 2.2, each.code, size=3.4, parent=inside, fill=colour)

    # ---- beneath ----

    def _foot(self) -> None:
        sheet, left = self.sheet, MARGIN_MM
        top = sheet.height_mm - MARGIN_MM - FOOT_MM + 4
        sheet.words(left, top + 6, self.title, size=7)
        sheet.words(left, top + 11.5, self.under, size=3.2, fill=QUIET)
        self._bar(left, top + 22)
        sheet.words(left, top + 29, f"1 : {self.scale} on {self.paper}", size=3.2, fill=QUIET)
        north = left + 78
        sheet.add("path", d=f"M{north} {top + 14} l2.2 8 l-2.2 -1.9 l-2.2 1.9Z", fill=INK)
        sheet.words(north, top + 27, "N", size=3.4, text_anchor="middle")
        self._grades(left + 92, top + 4)
        self._short(left + 150, top + 4)

    def _bar(self, x: float, y: float) -> None:
        length_m = next(
            each for each in (1000, 500, 200, 100, 50, 20, 10, 5, 2, 1) if each * self._mm <= 70 or each == 1
        )
        for n in range(5):
            part = length_m / 5 * self._mm
            fill = "#ffffff" if n % 2 else INK
            self.sheet.add(
                "rect", x=x + n * part, y=y, width=part, height=1.4, fill=fill, stroke=INK, stroke_width=0.15
            )
        self.sheet.words(x, y - 1, "0", size=2.8)
        self.sheet.words(x + length_m * self._mm, y - 1, f"{length_m} m", size=2.8, text_anchor="middle")

    def _grades(self, x: float, y: float) -> None:
        edition = EDITIONS[self.plan.edition]
        self.sheet.words(x, y, f"px/m on the ground, IEC 62676-4:{edition.name}", size=2.8, fill=QUIET)
        for n, (name, least) in enumerate(reversed(edition.grades)):
            colour, opacity = BANDS[len(edition.grades) - 1 - n]
            self.sheet.add(
                "rect",
                x=x,
                y=y + 1.5 + n * 3.9,
                width=6,
                height=3,
                fill=colour,
                fill_opacity=opacity,
                stroke=RULE,
                stroke_width=0.1,
            )
            self.sheet.words(x + 8, y + 4 + n * 3.9, f"{least:g} {name}", size=2.9)

    def _short(self, x: float, y: float) -> None:
        failing = [claim for code in self.claims for claim in self.claims[code] if claim.verdict == "fail"]
        self.sheet.words(x, y, "What falls short" if failing else "Every wish of the plan is met", size=2.8, fill=QUIET)
        room = int((FOOT_MM - 8) / 4)
        for n, claim in enumerate(failing[:room]):
            value = "none" if claim.value is None else f"{claim.value:.1f}".rstrip("0").rstrip(".")
            bound = "at least" if claim.wish.at_least else "at most"
            told = f"{claim.device} {claim.label}: {value} {claim.wish.unit}, wished {bound} {claim.wish.goal:g}"
            self.sheet.words(x, y + 4.2 + n * 4, told, size=2.9)
        if len(failing) > room:
            self.sheet.words(x, y + 4.2 + room * 4, f"and {len(failing) - room} more", size=2.9, fill=QUIET)
