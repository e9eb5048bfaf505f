"""What a head does to its picture, by ONVIF's imaging service: focus, exposure, and the filter that cuts infrared by day."""

from __future__ import annotations

from typing import Any, Literal, NamedTuple

from lantern.devices.onvif.wire import Connection, DeviceError

Filter = Literal["ON", "OFF", "AUTO"]
Mode = Literal["AUTO", "MANUAL"]


class Picture(NamedTuple):
    """`focus` from 0 to 1, where it is told; `exposure_us`, `gain_db` of a manual exposure; None: the device does not say."""

    focus_mode: Mode | None = None
    focus: float | None = None
    exposure_mode: Mode | None = None
    exposure_us: float | None = None
    gain_db: float | None = None
    ir_cut: Filter | None = None


class Imaging:
    """The pictures of one device; `source`: of a profile. Raises `DeviceError` and `AwayError`."""

    def __init__(self, held: Connection) -> None:
        self.held = held

    def picture(self, source: str) -> Picture:
        """Ask how a picture is made; nothing is changed."""
        said = self.held.call("imaging", "GetImagingSettings", VideoSourceToken=source)
        status = self.held.call("imaging", "GetStatus", VideoSourceToken=source)
        focus, exposure = said.Focus, said.Exposure
        where = None if status is None else status.FocusStatus20
        return Picture(
            focus_mode=None if focus is None else focus.AutoFocusMode,
            focus=None if where is None or where.Position is None else float(where.Position),
            exposure_mode=None if exposure is None else exposure.Mode,
            exposure_us=None if exposure is None or exposure.ExposureTime is None else float(exposure.ExposureTime),
            gain_db=None if exposure is None or exposure.Gain is None else float(exposure.Gain),
            ir_cut=said.IrCutFilter,
        )

    def make(self, source: str, wanted: Picture) -> None:
        """Have the picture made so; what is None stays as it is. A manual focus goes to its position."""
        settings: dict[str, Any] = {}
        if wanted.focus_mode is not None:
            settings["Focus"] = {"AutoFocusMode": wanted.focus_mode}
        if wanted.exposure_mode is not None:
            exposure: dict[str, Any] = {"Mode": wanted.exposure_mode}
            if wanted.exposure_us is not None:
                exposure["ExposureTime"] = wanted.exposure_us
            if wanted.gain_db is not None:
                exposure["Gain"] = wanted.gain_db
            settings["Exposure"] = exposure
        if wanted.ir_cut is not None:
            settings["IrCutFilter"] = wanted.ir_cut
        if settings:
            self.held.call(
                "imaging",
                "SetImagingSettings",
                VideoSourceToken=source,
                ImagingSettings=settings,
                ForcePersistence=True,
            )
        if wanted.focus_mode == "MANUAL" and wanted.focus is not None:
            self.focus(source, wanted.focus)

    def focus(self, source: str, position: float) -> None:
        if not 0 <= position <= 1:
            raise DeviceError(f"A focus at {position:g} is not asked for: 0 to 1")
        self.held.call("imaging", "Move", VideoSourceToken=source, Focus={"Absolute": {"Position": position}})
