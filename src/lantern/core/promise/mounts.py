"""A device's mount as its own document has it, as the model of its sort: a camera, a radar, a speaker."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from pydantic import BaseModel

from lantern.core.devices import DEVICE_KINDS
from lantern.core.faults import Fault, Refused
from lantern.core.modelled import read_model
from lantern.core.optics.mount import Mount
from lantern.core.promise.claim import Standing
from lantern.core.promise.following import Turning
from lantern.core.promise.radar import Radar
from lantern.core.promise.sound import Speaker

OTHERS: dict[str, type[BaseModel]] = {
    "ptz": Turning,
    "radar": Radar,
    "speaker": Speaker,
}  # by kind of device; what has a picture is a camera


def mount_model(kind: str) -> type[BaseModel] | None:
    """The model of the mount of a kind of device; None: it is not mounted with an eye or a voice."""
    return OTHERS.get(kind) or (Mount if DEVICE_KINDS[kind].pictured else None)


def standing_of(
    kind: str, mount: Mapping[str, Any], *, pixels: tuple[int, int] | None = None, where: str = "mount"
) -> Standing:
    """Return the mount as the model of its sort; `pixels`: of the device, where the mount does not say them.

    Raises `Refused` with each key that is wrong, and for a device that has no such mount.
    """
    model = mount_model(kind)
    if model is None:
        what = f"{DEVICE_KINDS[kind].a_title} sees and sounds nothing"
        raise Refused([Fault(where, what, "a mount of x_m and y_m alone, or none")])
    document = dict(mount)
    if issubclass(model, Mount) and pixels is not None:
        document.setdefault("pixels", list(pixels))
    held = read_model(model, document, where=where)
    if isinstance(held, Mount) and (wrong := held.check()):
        raise Refused([Fault(where, each, "a lens and a picture that the model holds for") for each in wrong])
    assert isinstance(held, Mount | Radar | Speaker)  # the three models there are
    return held
