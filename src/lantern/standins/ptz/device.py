"""A PTZ that is none, by ONVIF: two streams, one of which a head turns; presets, home, focus; and the faults that such devices have."""

from __future__ import annotations

import time
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field
from datetime import UTC, datetime, timedelta
from xml.sax.saxutils import escape

from starlette.applications import Starlette
from starlette.concurrency import run_in_threadpool
from starlette.requests import Request
from starlette.responses import Response
from starlette.routing import Route

from lantern.standins.ptz.body import Body
from lantern.standins.ptz.hiding import Hidden, Hiding, shown
from lantern.standins.ptz.soap import NAMESPACES, Asked, Guard, SoapFault, fault, read, written

GENERIC = "http://www.onvif.org/ver10/tptz/{}Spaces/PositionGenericSpace"
PANTILT, ZOOM = GENERIC.format("PanTilt"), GENERIC.format("Zoom")
TURNED, OVERVIEW = "turned", "overview"  # its profiles
SIZES = {TURNED: (1280, 720), OVERVIEW: (1280, 720)}
MOST_PRESETS = 64
FAULTS = ("busy", "refused preset", "wrong clock", "no power", "long timeout")
WRONG_CLOCK_S = 3 * 3600.0
LONG_TIMEOUT_S = 5.0  # the least that it then takes for a continuous move
OPEN = ("GetSystemDateAndTime",)  # asked by anybody
XML = "application/soap+xml; charset=utf-8"
SERVICES = ("device_service", "media", "media2", "ptz", "imaging")


@dataclass
class Preset:
    """Where it looked when somebody kept it."""

    name: str
    pan: float
    tilt: float
    zoom: float


@dataclass
class PtzDevice:
    """`draw`: what a stream shows, as a PNG, without what is hidden; `clock`: seconds that pass, by which it moves."""

    login: str
    password: str
    draw: Callable[[Body, str, Sequence[Hidden]], bytes]
    body: Body = field(default_factory=Body)
    clock: Callable[[], float] = time.monotonic
    presets: dict[str, Preset] = field(default_factory=dict)
    home: Preset = field(default_factory=lambda: Preset("home", 0.0, 12.0, 0.0))
    faults: set[str] = field(default_factory=set)
    told: list[str] = field(default_factory=list)  # what it was asked to do, in words
    made: dict[str, dict[str, str]] = field(default_factory=dict)  # how each picture is made
    hiding: Hiding = field(default_factory=Hiding)
    _numbers: int = 0

    def __post_init__(self) -> None:
        for channel in SIZES:
            self.made[channel] = {"exposure": "AUTO", "time": "10000", "gain": "0", "filter": "AUTO"}
        self.guard = Guard(self.login, self.password)
        self.body.now_s = self.clock()
        self.body.go(self.home.pan, self.home.tilt, self.home.zoom)

    def play(self, name: str, on: bool) -> None:
        """Have a fault, or have it no more."""
        (self.faults.add if on else self.faults.discard)(name)
        self.guard.ahead_s = WRONG_CLOCK_S if "wrong clock" in self.faults else 0.0

    # ---- asked ----

    def answer(self, asked: Asked, host: str) -> str:
        """Return the answer's content. Raises `SoapFault`."""
        self.body.advance(self.clock())
        found = getattr(self, f"_{asked.operation}", None)
        if found is None:
            raise SoapFault("ActionNotSupported", f"{asked.operation} is not supported")
        prefix = next((p for p, uri in NAMESPACES.items() if asked.body.tag.startswith(f"{{{uri}}}")), "tds")
        content: str = found(asked, host)
        return f"<{prefix}:{asked.operation}Response>{content}</{prefix}:{asked.operation}Response>"

    def _GetSystemDateAndTime(self, asked: Asked, host: str) -> str:  # noqa: N802 - the standard's names
        now = datetime.now(UTC) + timedelta(seconds=self.guard.ahead_s)
        return (
            "<tds:SystemDateAndTime><tt:DateTimeType>Manual</tt:DateTimeType><tt:DaylightSavings>false</tt:DaylightSavings>"
            f"<tt:UTCDateTime><tt:Time><tt:Hour>{now.hour}</tt:Hour><tt:Minute>{now.minute}</tt:Minute><tt:Second>{now.second}"
            f"</tt:Second></tt:Time><tt:Date><tt:Year>{now.year}</tt:Year><tt:Month>{now.month}</tt:Month><tt:Day>{now.day}"
            "</tt:Day></tt:Date></tt:UTCDateTime></tds:SystemDateAndTime>"
        )

    def _GetDeviceInformation(self, asked: Asked, host: str) -> str:  # noqa: N802
        return (
            "<tds:Manufacturer>made up</tds:Manufacturer><tds:Model>stand-in, two bodies</tds:Model>"
            "<tds:FirmwareVersion>1.0</tds:FirmwareVersion><tds:SerialNumber>1</tds:SerialNumber><tds:HardwareId>1</tds:HardwareId>"
        )

    def _GetServices(self, asked: Asked, host: str) -> str:  # noqa: N802
        return "".join(
            f"<tds:Service><tds:Namespace>{NAMESPACES[prefix]}</tds:Namespace><tds:XAddr>http://{escape(host)}/onvif/{name}</tds:XAddr>"
            "<tds:Version><tt:Major>2</tt:Major><tt:Minor>0</tt:Minor></tds:Version></tds:Service>"
            for prefix, name in (
                ("tds", "device_service"),
                ("trt", "media"),
                ("tr2", "media2"),
                ("tptz", "ptz"),
                ("timg", "imaging"),
            )
        )

    def _GetProfiles(self, asked: Asked, host: str) -> str:  # noqa: N802
        return "".join(self._profile(token) for token in SIZES)

    def _profile(self, token: str) -> str:
        width, height = SIZES[token]
        turns = '<tt:PTZConfiguration token="head"><tt:Name>head</tt:Name><tt:UseCount>1</tt:UseCount><tt:NodeToken>node</tt:NodeToken></tt:PTZConfiguration>'
        return (
            f'<trt:Profiles token="{token}" fixed="true"><tt:Name>{token}</tt:Name>'
            f'<tt:VideoSourceConfiguration token="vs-{token}"><tt:Name>{token}</tt:Name><tt:UseCount>1</tt:UseCount>'
            f'<tt:SourceToken>{token}</tt:SourceToken><tt:Bounds x="0" y="0" width="{width}" height="{height}"/>'
            "</tt:VideoSourceConfiguration>"
            f'<tt:VideoEncoderConfiguration token="ve-{token}"><tt:Name>{token}</tt:Name><tt:UseCount>1</tt:UseCount>'
            f"<tt:Encoding>JPEG</tt:Encoding><tt:Resolution><tt:Width>{width}</tt:Width><tt:Height>{height}</tt:Height></tt:Resolution>"
            "<tt:Quality>5</tt:Quality><tt:SessionTimeout>PT60S</tt:SessionTimeout></tt:VideoEncoderConfiguration>"
            f"{turns if token == TURNED else ''}</trt:Profiles>"
        )

    def _GetSnapshotUri(self, asked: Asked, host: str) -> str:  # noqa: N802
        token = self._token(asked)
        return (
            f"<trt:MediaUri><tt:Uri>http://{escape(host)}/snapshot/{token}</tt:Uri><tt:InvalidAfterConnect>false</tt:InvalidAfterConnect>"
            "<tt:InvalidAfterReboot>false</tt:InvalidAfterReboot><tt:Timeout>PT0S</tt:Timeout></trt:MediaUri>"
        )

    def _token(self, asked: Asked) -> str:
        token = asked.text("ProfileToken")
        if token not in SIZES:
            raise SoapFault("NoProfile", f"There is no profile {token!r}")
        return token

    # ---- its masks ----

    def _GetMaskOptions(self, asked: Asked, host: str) -> str:  # noqa: N802
        return self.hiding.options()

    def _GetMasks(self, asked: Asked, host: str) -> str:  # noqa: N802
        return self.hiding.written()

    def _CreateMask(self, asked: Asked, host: str) -> str:  # noqa: N802
        return f"<tr2:Token>{self.hiding.create(asked, self.body)}</tr2:Token>"

    def _SetMask(self, asked: Asked, host: str) -> str:  # noqa: N802
        self.hiding.change(asked, self.body)
        return ""

    def _DeleteMask(self, asked: Asked, host: str) -> str:  # noqa: N802
        self.hiding.forget(asked)
        return ""

    # ---- the head ----

    def _GetNodes(self, asked: Asked, host: str) -> str:  # noqa: N802
        def space(of: str, uri: str, low: float, *, two: bool) -> str:
            y = f"<tt:YRange><tt:Min>{low}</tt:Min><tt:Max>1</tt:Max></tt:YRange>" if two else ""
            return f"<tt:{of}><tt:URI>{uri}</tt:URI><tt:XRange><tt:Min>{low}</tt:Min><tt:Max>1</tt:Max></tt:XRange>{y}</tt:{of}>"

        return (
            '<tptz:PTZNode token="node"><tt:Name>head</tt:Name><tt:SupportedPTZSpaces>'
            f"{space('AbsolutePanTiltPositionSpace', PANTILT, -1.0, two=True)}{space('AbsoluteZoomPositionSpace', ZOOM, 0.0, two=False)}"
            f"</tt:SupportedPTZSpaces><tt:MaximumNumberOfPresets>{MOST_PRESETS}</tt:MaximumNumberOfPresets>"
            "<tt:HomeSupported>true</tt:HomeSupported></tptz:PTZNode>"
        )

    def _GetConfigurations(self, asked: Asked, host: str) -> str:  # noqa: N802
        return '<tptz:PTZConfiguration token="head"><tt:Name>head</tt:Name><tt:UseCount>1</tt:UseCount><tt:NodeToken>node</tt:NodeToken></tptz:PTZConfiguration>'

    def _GetConfigurationOptions(self, asked: Asked, host: str) -> str:  # noqa: N802
        least = LONG_TIMEOUT_S if "long timeout" in self.faults else 0.1
        return (
            "<tptz:PTZConfigurationOptions><tt:Spaces/>"
            f"<tt:PTZTimeout><tt:Min>PT{least:g}S</tt:Min><tt:Max>PT60S</tt:Max></tt:PTZTimeout></tptz:PTZConfigurationOptions>"
        )

    @property
    def position(self) -> tuple[float, float, float]:
        """(pan, tilt, zoom) in its generic spaces: pan over a whole turn, up positive."""
        pan, tilt, zoom = (axis.at for axis in self.body.axes)
        low, high = self.body.tilt.low or 0.0, self.body.tilt.high or 0.0
        return ((pan + 180) % 360 - 180) / 180, 1 - 2 * (tilt - low) / (high - low), zoom

    def _degrees(self, pan: float, tilt: float) -> tuple[float, float]:
        low, high = self.body.tilt.low or 0.0, self.body.tilt.high or 0.0
        return pan * 180, low + (1 - tilt) / 2 * (high - low)

    def _GetStatus(self, asked: Asked, host: str) -> str:  # noqa: N802
        if asked.text("VideoSourceToken"):  # of the picture, not of the head
            self._source(asked)
            return self._focus_status()
        pan, tilt, zoom = self.position
        moving = "MOVING" if self.body.moving else "IDLE"
        now = (datetime.now(UTC) + timedelta(seconds=self.guard.ahead_s)).strftime("%Y-%m-%dT%H:%M:%SZ")
        return (
            f'<tptz:PTZStatus><tt:Position><tt:PanTilt x="{pan:.6f}" y="{tilt:.6f}" space="{PANTILT}"/><tt:Zoom x="{zoom:.6f}" space="{ZOOM}"/>'
            f"</tt:Position><tt:MoveStatus><tt:PanTilt>{moving}</tt:PanTilt><tt:Zoom>{moving}</tt:Zoom></tt:MoveStatus>"
            f"<tt:UtcTime>{now}</tt:UtcTime></tptz:PTZStatus>"
        )

    def _ready(self) -> None:
        if "busy" in self.faults:
            raise SoapFault("Busy", "The head is busy with something else")

    def _two(self, asked: Asked, parent: str) -> tuple[float | None, float | None, float | None]:
        held, zoom = asked.vector(parent, "PanTilt"), asked.vector(parent, "Zoom")
        try:
            x, y = (None, None) if held is None else (float(held["x"]), float(held["y"]))
            z = None if zoom is None else float(zoom["x"])
        except (KeyError, ValueError):
            raise SoapFault("InvalidPosition", "A position is two numbers, x and y") from None
        return x, y, z

    def _AbsoluteMove(self, asked: Asked, host: str) -> str:  # noqa: N802
        self._ready()
        x, y, z = self._two(asked, "Position")
        if any(each is not None and not -1 <= each <= 1 for each in (x, y)) or (z is not None and not 0 <= z <= 1):
            raise SoapFault("InvalidPosition", "Beyond its space: -1 to 1, zoom 0 to 1")
        pan, tilt = (None, None) if x is None or y is None else self._degrees(x, y)
        shares = self._two(asked, "Speed")
        if any(each is not None and not 0 <= each <= 1 for each in shares):
            raise SoapFault("InvalidVelocity", "Beyond its space: a speed from 0 to 1")
        quick = [1.0 if each is None else each for each in shares]
        self.body.go(pan, tilt, z, (quick[0], quick[1], quick[2]))
        self.told.append(f"absolute {x} {y} {z}")
        return ""

    def _RelativeMove(self, asked: Asked, host: str) -> str:  # noqa: N802
        self._ready()
        x, y, z = self._two(asked, "Translation")
        pan, tilt, zoom = self.position
        to = self._degrees(pan + (x or 0.0), min(max(tilt + (y or 0.0), -1.0), 1.0))
        self.body.go(*to, None if z is None else min(max(zoom + z, 0.0), 1.0))
        self.told.append(f"relative {x} {y} {z}")
        return ""

    def _ContinuousMove(self, asked: Asked, host: str) -> str:  # noqa: N802
        self._ready()
        x, y, z = self._two(asked, "Velocity")
        for_s = max(_seconds(asked.text("Timeout", "PT10S")), LONG_TIMEOUT_S if "long timeout" in self.faults else 0.1)
        self.body.drive(x or 0.0, y or 0.0, z or 0.0, for_s)
        self.told.append(f"continuous {x} {y} {z} for {for_s:g} s")
        return ""

    # ---- its picture ----

    def _source(self, asked: Asked) -> str:
        token = asked.text("VideoSourceToken")
        if token not in SIZES:
            raise SoapFault("NoSource", f"There is no picture {token!r}")
        return token

    def _GetImagingSettings(self, asked: Asked, host: str) -> str:  # noqa: N802
        made = self.made[self._source(asked)]
        mode = "AUTO" if self.body.focus is None else "MANUAL"
        return (
            f"<timg:ImagingSettings><tt:Exposure><tt:Mode>{made['exposure']}</tt:Mode><tt:ExposureTime>{made['time']}</tt:ExposureTime>"
            f"<tt:Gain>{made['gain']}</tt:Gain></tt:Exposure><tt:Focus><tt:AutoFocusMode>{mode}</tt:AutoFocusMode></tt:Focus>"
            f"<tt:IrCutFilter>{made['filter']}</tt:IrCutFilter></timg:ImagingSettings>"
        )

    def _SetImagingSettings(self, asked: Asked, host: str) -> str:  # noqa: N802
        made = self.made[self._source(asked)]
        for key, name in (("exposure", "Mode"), ("time", "ExposureTime"), ("gain", "Gain"), ("filter", "IrCutFilter")):
            made[key] = asked.text(name) or made[key]
        mode = asked.text("AutoFocusMode")
        if mode == "AUTO":
            self.body.focus = None
        elif mode == "MANUAL" and self.body.focus is None:
            self.body.focus = self.body.sharp_at
        return ""

    def _Move(self, asked: Asked, host: str) -> str:  # noqa: N802
        self._source(asked)
        try:
            position = float(asked.text("Position"))
        except ValueError:
            raise SoapFault("InvalidPosition", "A focus is a number, 0 to 1") from None
        if not 0 <= position <= 1:
            raise SoapFault("InvalidPosition", "A focus is a number, 0 to 1")
        self.body.focus = position
        return ""

    def _focus_status(self) -> str:
        at = self.body.sharp_at if self.body.focus is None else self.body.focus
        return (
            f"<timg:Status><tt:FocusStatus20><tt:Position>{at:.4f}</tt:Position><tt:MoveStatus>IDLE</tt:MoveStatus></tt:FocusStatus20>"
            "</timg:Status>"
        )

    def _Stop(self, asked: Asked, host: str) -> str:  # noqa: N802
        self.body.halt()  # always gets through
        self.told.append("stop")
        return ""

    def _GetPresets(self, asked: Asked, host: str) -> str:  # noqa: N802
        return "".join(
            f'<tptz:Preset token="{token}"><tt:Name>{escape(each.name)}</tt:Name></tptz:Preset>'
            for token, each in self.presets.items()
        )

    def _SetPreset(self, asked: Asked, host: str) -> str:  # noqa: N802
        token = asked.text("PresetToken")
        if token and token not in self.presets:
            raise SoapFault("NoToken", f"There is no preset {token!r}")
        if not token:
            if len(self.presets) >= MOST_PRESETS:
                raise SoapFault("TooManyPresets", f"It keeps {MOST_PRESETS} presets at most")
            self._numbers += 1
            token = str(self._numbers)
        pan, tilt, zoom = (axis.at for axis in self.body.axes)
        self.presets[token] = Preset(asked.text("PresetName", token) or token, pan, tilt, zoom)
        return f"<tptz:PresetToken>{token}</tptz:PresetToken>"

    def _RemovePreset(self, asked: Asked, host: str) -> str:  # noqa: N802
        self._known(asked)
        del self.presets[asked.text("PresetToken")]
        return ""

    def _known(self, asked: Asked) -> Preset:
        found = self.presets.get(asked.text("PresetToken"))
        if found is None or "refused preset" in self.faults:
            raise SoapFault("NoToken", f"There is no preset {asked.text('PresetToken')!r}")
        return found

    def _GotoPreset(self, asked: Asked, host: str) -> str:  # noqa: N802
        self._ready()
        to = self._known(asked)
        self.body.go(to.pan, to.tilt, to.zoom)
        self.told.append(f"preset {to.name}")
        return ""

    def _GotoHomePosition(self, asked: Asked, host: str) -> str:  # noqa: N802
        self._ready()
        self.body.go(self.home.pan, self.home.tilt, self.home.zoom)
        self.told.append("home")
        return ""

    def _SetHomePosition(self, asked: Asked, host: str) -> str:  # noqa: N802
        pan, tilt, zoom = (axis.at for axis in self.body.axes)
        self.home = Preset("home", pan, tilt, zoom)
        return ""


def _seconds(duration: str) -> float:
    """Return how long PT1.5S is. Raises `SoapFault` for another form."""
    try:
        return float(duration.removeprefix("PT").removesuffix("S"))
    except ValueError:
        raise SoapFault("InvalidVelocity", f"A timeout is such as PT1S, not {duration[:20]!r}") from None


def make_app(device: PtzDevice) -> Starlette:
    """Return the device's own server."""

    async def soap(request: Request) -> Response:
        if "no power" in device.faults:
            return Response(status_code=503)
        try:
            asked = read(await request.body())
            if asked.operation not in OPEN and not device.guard.admits(
                asked, "POST", request.headers.get("authorization")
            ):
                if asked.token is None:
                    return Response(status_code=401, headers={"WWW-Authenticate": device.guard.challenge()})
                raise SoapFault("NotAuthorized", "The sender is not authorised")
            own = f"{request.url.netloc}{request.scope.get('root_path', '')}"  # its server may stand below another's address
            return Response(written(device.answer(asked, own)), media_type=XML)
        except SoapFault as error:
            return Response(fault(error), error.status, media_type=XML)

    async def snapshot(request: Request) -> Response:
        token = request.path_params["token"]
        if "no power" in device.faults or token not in SIZES:
            return Response(status_code=503 if token in SIZES else 404)
        if not device.guard.admits(None, "GET", request.headers.get("authorization")):
            return Response(status_code=401, headers={"WWW-Authenticate": device.guard.challenge()})
        device.body.advance(device.clock())
        masks = shown(device.hiding.masks) if token == TURNED else []
        return Response(await run_in_threadpool(device.draw, device.body, token, masks), media_type="image/png")

    routes = [Route(f"/onvif/{name}", soap, methods=["POST"]) for name in SERVICES]
    return Starlette(routes=[*routes, Route("/snapshot/{token}", snapshot)])
