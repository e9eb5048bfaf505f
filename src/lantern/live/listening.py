"""Following a device that is asked for its frames, for as long as it is on the site: whatever fails is said, and tried again."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from contextlib import aclosing

import structlog

from lantern.core.faults import LanternError
from lantern.devices.metadata import metadata
from lantern.formats.onvif import read_frame
from lantern.live.feeds import ObjectFeed
from lantern.live.frames import Scene
from lantern.live.tasks import Patience

log = structlog.get_logger()
ENDED = "the device ended its stream"


async def listen(feed: ObjectFeed, url: str, take: Callable[[Scene], Awaitable[None]]) -> None:
    """Give each frame of a device's metadata to `take`. A frame that cannot be read is dropped, counted and said; when
    anything else fails, in the device or in `take`, the stream is asked for anew, ever less often until it works.
    """
    patience = Patience()
    while True:
        try:
            async with aclosing(metadata(url)) as bodies:  # whatever ends it, the device is let go of at once
                async for body in bodies:
                    frame = _read(feed, body, url)
                    if frame is not None:
                        await take(frame)
                        feed.error = ""
                        patience.rest()
            _tell(feed, ENDED)
        except asyncio.CancelledError:
            raise
        except LanternError as error:
            _tell(feed, str(error))
        except Exception as error:
            log.exception("feed failed", device=feed.code)
            feed.error = f"an error of the program, {type(error).__name__}: the log says more"
        await asyncio.sleep(patience.lose())


def _read(feed: ObjectFeed, body: bytes, url: str) -> Scene | None:
    width, height = feed.frame_px
    try:
        return Scene(*read_frame(body, where=url, width=width, height=height))
    except LanternError as error:
        feed.cannot_read(str(error))
    except Exception as error:
        feed.cannot_read(f"{type(error).__name__}: {error}")
    return None


def _tell(feed: ObjectFeed, error: str) -> None:
    """Show it at the device; log it once."""
    if feed.error != error:
        log.warning("feed interrupted", device=feed.code, error=error)
    feed.error = error
