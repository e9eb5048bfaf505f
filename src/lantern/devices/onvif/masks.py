"""Masks that a device draws into its own picture, by the second version of ONVIF's media service.

Its description is not among those that ship here: the messages are written from the standard's (*from memory*). Corners are places of
the picture that the device shows at that moment, -1 to 1 to the right and up; a head keeps them with what they surround.
"""

from __future__ import annotations

from collections.abc import Sequence
from typing import NamedTuple
from xml.etree.ElementTree import Element

from lxml import etree

from lantern.devices.onvif.wire import Connection, DeviceError

MEDIA = "http://www.onvif.org/ver20/media/wsdl"
SCHEMA = "http://www.onvif.org/ver10/schema"
Point = tuple[float, float]


class DeviceMask(NamedTuple):
    """One that the device keeps: `configuration` of the picture that it hides part of."""

    token: str
    configuration: str
    points: tuple[Point, ...]
    enabled: bool


class Masks:
    """The masks of one device. Raises `DeviceError` and `AwayError`."""

    def __init__(self, held: Connection) -> None:
        self.held = held

    def kept(self) -> list[DeviceMask]:
        return [_read(each) for each in self._ask("GetMasks").findall(f"{{{MEDIA}}}Masks")]

    def create(self, configuration: str, points: Sequence[Point], *, enabled: bool = True) -> str:
        """Hide what these corners surround now. Returns the token."""
        token = self._ask("CreateMask", _written(DeviceMask("", configuration, tuple(points), enabled))).findtext(
            f"{{{MEDIA}}}Token"
        )
        if not token:
            raise DeviceError("It has made a mask, and does not say which: look at the device")
        return token

    def switch(self, mask: DeviceMask, on: bool) -> None:
        self._ask("SetMask", _written(mask._replace(enabled=on)))

    def forget(self, token: str) -> None:
        element = etree.Element(f"{{{MEDIA}}}Token")
        element.text = token
        self._ask("DeleteMask", element)

    def _ask(self, operation: str, content: etree._Element | None = None) -> Element:
        request = etree.Element(f"{{{MEDIA}}}{operation}")
        if content is not None:
            request.append(content)
        return self.held.ask("media2", request)


def _written(mask: DeviceMask) -> etree._Element:
    out = etree.Element(f"{{{MEDIA}}}Mask", token=mask.token)
    etree.SubElement(out, f"{{{MEDIA}}}ConfigurationToken").text = mask.configuration
    polygon = etree.SubElement(out, f"{{{MEDIA}}}Polygon")
    for x, y in mask.points:
        etree.SubElement(polygon, f"{{{SCHEMA}}}Point", x=f"{x:.6f}", y=f"{y:.6f}")
    etree.SubElement(out, f"{{{MEDIA}}}Type").text = "Color"
    etree.SubElement(out, f"{{{MEDIA}}}Enabled").text = str(mask.enabled).lower()
    return out


def _read(element: Element) -> DeviceMask:
    try:
        points = tuple(
            (float(each.attrib["x"]), float(each.attrib["y"])) for each in element.iter(f"{{{SCHEMA}}}Point")
        )
    except (KeyError, ValueError) as error:
        raise DeviceError(f"A mask of it has a corner that is no two numbers: {error}") from error
    return DeviceMask(
        element.attrib.get("token", ""),
        element.findtext(f"{{{MEDIA}}}ConfigurationToken") or "",
        points,
        (element.findtext(f"{{{MEDIA}}}Enabled") or "true") == "true",
    )
