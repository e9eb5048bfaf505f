"""Masks of a PTZ that is none, by the second version of ONVIF's media service: drawn into what it shows, wherever it looks."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, field
from xml.sax.saxutils import escape

from lantern.standins.ptz.body import Body
from lantern.standins.ptz.soap import Asked, SoapFault

MOST_MASKS, MOST_POINTS = 8, 12


@dataclass
class Hidden:
    """`points`: corners in the picture, -1 to 1 to the right and up, while it looked at `pan_deg`, `tilt_deg` of its own with that lens."""

    configuration: str
    points: tuple[tuple[float, float], ...]
    pan_deg: float
    tilt_deg: float
    focal_mm: float
    enabled: bool


@dataclass
class Hiding:
    """What it hides of the body that turns, by token."""

    masks: dict[str, Hidden] = field(default_factory=dict)
    _count: int = 0

    def options(self) -> str:
        return (
            '<tr2:Options RectangleOnly="false" SingleColorOnly="true">'
            f"<tr2:MaxMasks>{MOST_MASKS}</tr2:MaxMasks><tr2:MaxPoints>{MOST_POINTS}</tr2:MaxPoints>"
            "<tr2:Types>Color</tr2:Types><tr2:Color/></tr2:Options>"
        )

    def written(self) -> str:
        return "".join(self._written(token, each) for token, each in self.masks.items())

    def _written(self, token: str, held: Hidden) -> str:
        corners = "".join(f'<tt:Point x="{x:.6f}" y="{y:.6f}"/>' for x, y in held.points)
        return (
            f'<tr2:Masks token="{escape(token)}"><tr2:ConfigurationToken>{escape(held.configuration)}</tr2:ConfigurationToken>'
            f"<tr2:Polygon>{corners}</tr2:Polygon><tr2:Type>Color</tr2:Type>"
            f"<tr2:Enabled>{str(held.enabled).lower()}</tr2:Enabled></tr2:Masks>"
        )

    def create(self, asked: Asked, body: Body) -> str:
        """Returns the token. Its corners are those of the picture that is shown now: it goes along with what they surround."""
        if len(self.masks) >= MOST_MASKS:
            raise SoapFault("MaximumReached", f"It keeps {MOST_MASKS} masks at most")
        self._count += 1
        token = f"mask{self._count}"
        self.masks[token] = _read(asked, body, asked.text("ConfigurationToken"))
        return token

    def change(self, asked: Asked, body: Body) -> None:
        held = self._known(_token(asked, "Mask"))
        fresh = _read(asked, body, held.configuration)
        if fresh.points == tuple((round(x, 6), round(y, 6)) for x, y in held.points):  # only switched
            held.enabled = fresh.enabled
        else:
            self.masks[_token(asked, "Mask")] = fresh

    def forget(self, asked: Asked) -> None:
        self._known(asked.text("Token"))
        del self.masks[asked.text("Token")]

    def _known(self, token: str) -> Hidden:
        held = self.masks.get(token)
        if held is None:
            raise SoapFault("NoConfig", f"There is no mask {token!r}")
        return held


def _token(asked: Asked, name: str) -> str:
    return next((each.attrib.get("token", "") for each in asked.all(name)), "")


def _read(asked: Asked, body: Body, configuration: str) -> Hidden:
    try:
        points = tuple((float(each.attrib["x"]), float(each.attrib["y"])) for each in asked.all("Point"))
    except (KeyError, ValueError):
        raise SoapFault("InvalidPolygon", "A corner is two numbers, x and y") from None
    if not 3 <= len(points) <= MOST_POINTS or any(abs(each) > 1 for point in points for each in point):
        raise SoapFault("InvalidPolygon", f"3 to {MOST_POINTS} corners, each within -1 and 1")
    enabled = asked.text("Enabled", "true") == "true"
    return Hidden(configuration, points, body.pan.at, body.tilt.at, body.focal_mm, enabled)


def shown(masks: Mapping[str, Hidden]) -> list[Hidden]:
    """Return those that are switched on."""
    return [each for each in masks.values() if each.enabled]
