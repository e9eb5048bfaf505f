"""A PTZ by ONVIF: what it can, where it looks, and moving it. Whoever asks what it can moves nothing.

In generic spaces pan and tilt go from -1 to 1, up is positive, and zoom from 0 to 1; what that is in degrees the registration measures.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from datetime import UTC, datetime
from typing import Any, NamedTuple

from lantern.devices.onvif.wire import Connection, DeviceError

MOST_MOVE_S = 1.0  # of one continuous move, which is renewed: a held key whose connection is lost stops within that
CLOCK_S = 5.0  # a clock that is farther off is told; common practice, no source
DEGREES = "SphericalPositionSpaceDegrees"
GENERIC = "PositionGenericSpace"


class Bounds(NamedTuple):
    """The values of one axis in one space."""

    low: float
    high: float


class Space(NamedTuple):
    """A space of positions: `uri`, and what each axis may be."""

    uri: str
    pan: Bounds
    tilt: Bounds

    @property
    def in_degrees(self) -> bool:
        return self.uri.endswith(DEGREES)


class Position(NamedTuple):
    """In the units of a space; `moving`: it has not come to rest."""

    pan: float
    tilt: float
    zoom: float
    moving: bool
    at: datetime | None = None
    error: str = ""


class Preset(NamedTuple):
    """A place that the device knows by a token."""

    token: str
    name: str


@dataclass(frozen=True)
class Profile:
    """A stream of one of its bodies; `turns`: it is the one that a head turns. `source`: of its picture, `configuration` of that."""

    token: str
    name: str
    source: str
    configuration: str
    turns: bool
    width: int | None
    height: int | None


@dataclass(frozen=True)
class Abilities:
    """What it says of itself. `ahead_s`: of its clock; `least_timeout_s`, `most_timeout_s`: of a continuous move."""

    maker: str
    model: str
    firmware: str
    ahead_s: float
    profiles: tuple[Profile, ...]
    spaces: tuple[Space, ...]
    zoom: Bounds
    presets: int
    has_home: bool
    least_timeout_s: float
    most_timeout_s: float

    @property
    def cautions(self) -> list[str]:
        out = []
        if abs(self.ahead_s) > CLOCK_S:
            out.append(f"Its clock is {abs(self.ahead_s):.0f} s {'ahead of' if self.ahead_s > 0 else 'behind'} ours")
        if self.least_timeout_s > MOST_MOVE_S:
            out.append(
                f"It moves on for {self.least_timeout_s:g} s at least once a connection is lost: more than the {MOST_MOVE_S:g} s wished for"
            )
        if not any(each.turns for each in self.profiles):
            out.append("None of its streams is one that a head turns")
        return out


class Ptz:
    """One PTZ. Raises `DeviceError` and `AwayError` from whatever is asked of it."""

    def __init__(self, held: Connection) -> None:
        self.held = held
        self._turning: Profile | None = None

    # ---- asked; nothing moves ----

    def abilities(self) -> Abilities:
        """Ask what it can."""
        ahead_s = self.clock()
        about = self.held.call("device", "GetDeviceInformation")
        profiles = self.profiles()
        nodes = self.held.call("ptz", "GetNodes") or []
        if not nodes:
            raise DeviceError("It has no head that turns")
        node = nodes[0]
        least, most = self._timeouts()
        supported = node.SupportedPTZSpaces
        spaces = tuple(
            Space(each.URI, Bounds(each.XRange.Min, each.XRange.Max), Bounds(each.YRange.Min, each.YRange.Max))
            for each in supported.AbsolutePanTiltPositionSpace or ()
        )
        zooms = supported.AbsoluteZoomPositionSpace or ()
        zoom = Bounds(zooms[0].XRange.Min, zooms[0].XRange.Max) if zooms else Bounds(0.0, 1.0)
        return Abilities(
            maker=about.Manufacturer or "",
            model=about.Model or "",
            firmware=about.FirmwareVersion or "",
            ahead_s=ahead_s,
            profiles=profiles,
            spaces=spaces,
            zoom=zoom,
            presets=int(node.MaximumNumberOfPresets or 0),
            has_home=bool(node.HomeSupported),
            least_timeout_s=least,
            most_timeout_s=most,
        )

    def clock(self) -> float:
        """Return by how much its clock is ahead of ours, in s; what it is told from then on is stamped by it."""
        said = self.held.call("device", "GetSystemDateAndTime").UTCDateTime
        if said is None:
            raise DeviceError("It does not say what time it is")
        date, time = said.Date, said.Time
        theirs = datetime(date.Year, date.Month, date.Day, time.Hour, time.Minute, min(time.Second, 59), tzinfo=UTC)
        self.held.ahead_s = (theirs - datetime.now(UTC)).total_seconds()
        return self.held.ahead_s

    def profiles(self) -> tuple[Profile, ...]:
        out = []
        for each in self.held.call("media", "GetProfiles") or ():
            source, encoder = each.VideoSourceConfiguration, each.VideoEncoderConfiguration
            size = encoder.Resolution if encoder is not None else None
            out.append(
                Profile(
                    token=each.token,
                    name=each.Name,
                    source="" if source is None else source.SourceToken,
                    configuration="" if source is None else source.token,
                    turns=each.PTZConfiguration is not None,
                    width=None if size is None else size.Width,
                    height=None if size is None else size.Height,
                )
            )
        return tuple(out)

    @property
    def turning(self) -> Profile:
        """The stream of the body that its head turns."""
        if self._turning is None:
            self._turning = next((each for each in self.profiles() if each.turns), None)
        if self._turning is None:
            raise DeviceError("None of its streams is one that a head turns")
        return self._turning

    @property
    def profile(self) -> str:
        return self.turning.token

    @property
    def source(self) -> str:
        """The token of the picture of that body."""
        return self.turning.source

    def _timeouts(self) -> tuple[float, float]:
        configurations = self.held.call("ptz", "GetConfigurations") or []
        if not configurations:
            return 0.0, math.inf
        options = self.held.call("ptz", "GetConfigurationOptions", ConfigurationToken=configurations[0].token)
        held = options.PTZTimeout
        return (0.0, math.inf) if held is None else (held.Min.total_seconds(), held.Max.total_seconds())

    def status(self) -> Position:
        said = self.held.call("ptz", "GetStatus", ProfileToken=self.profile)
        where, moving = said.Position, said.MoveStatus
        if where is None or where.PanTilt is None:
            raise DeviceError("It does not say where it looks")
        busy = moving is not None and "MOVING" in (str(moving.PanTilt), str(moving.Zoom))
        zoom = 0.0 if where.Zoom is None else where.Zoom.x
        return Position(where.PanTilt.x, where.PanTilt.y, zoom, busy, said.UtcTime, said.Error or "")

    def presets(self) -> list[Preset]:
        found = self.held.call("ptz", "GetPresets", ProfileToken=self.profile) or []
        return [Preset(each.token, each.Name or each.token) for each in found]

    def snapshot(self, profile: str | None = None) -> bytes:
        """Return what one of its streams shows now, as a JPEG or PNG."""
        said = self.held.call("media", "GetSnapshotUri", ProfileToken=profile or self.profile)
        return self.held.picture(said.Uri)

    # ---- moved ----

    def absolute(
        self, pan: float, tilt: float, zoom: float | None = None, *, space: str | None = None, share: float = 1.0
    ) -> None:
        """Go there, at a share of its greatest speed; of that itself nothing is said, since not every device takes a speed."""
        speed = {} if share >= 1 else {"Speed": {"PanTilt": {"x": share, "y": share}}}
        self._move("AbsoluteMove", "Position", pan, tilt, zoom, space, speed)

    def relative(self, pan: float, tilt: float, zoom: float | None = None, *, space: str | None = None) -> None:
        self._move("RelativeMove", "Translation", pan, tilt, zoom, space, {})

    def _move(
        self, what: str, key: str, pan: float, tilt: float, zoom: float | None, space: str | None, speed: dict[str, Any]
    ) -> None:
        to: dict[str, Any] = {"PanTilt": {"x": pan, "y": tilt} | ({} if space is None else {"space": space})}
        if zoom is not None:
            to["Zoom"] = {"x": zoom}
        self.held.call("ptz", what, ProfileToken=self.profile, **{key: to}, **speed)

    def drive(self, pan: float, tilt: float, zoom: float = 0.0, *, for_s: float = MOST_MOVE_S) -> None:
        """Move on at shares of its greatest speed, -1 to 1, for so long at most; renewed as long as a key is held."""
        if not 0 < for_s <= MOST_MOVE_S:
            raise DeviceError(
                f"A move of {for_s:g} s is not asked for: {MOST_MOVE_S:g} s at most, renewed while it goes on"
            )
        speed = {"PanTilt": {"x": pan, "y": tilt}, "Zoom": {"x": zoom}}
        self.held.call("ptz", "ContinuousMove", ProfileToken=self.profile, Velocity=speed, Timeout=f"PT{for_s:g}S")

    def stop(self) -> None:
        self.held.call("ptz", "Stop", ProfileToken=self.profile, PanTilt=True, Zoom=True)

    def go_to(self, preset: str) -> None:
        self.held.call("ptz", "GotoPreset", ProfileToken=self.profile, PresetToken=preset)

    def keep(self, name: str, token: str | None = None) -> str:
        """Keep where it looks as a preset. Returns its token."""
        given = {} if token is None else {"PresetToken": token}
        return str(self.held.call("ptz", "SetPreset", ProfileToken=self.profile, PresetName=name, **given))

    def forget(self, preset: str) -> None:
        self.held.call("ptz", "RemovePreset", ProfileToken=self.profile, PresetToken=preset)

    def home(self) -> None:
        self.held.call("ptz", "GotoHomePosition", ProfileToken=self.profile)

    def keep_home(self) -> None:
        self.held.call("ptz", "SetHomePosition", ProfileToken=self.profile)
