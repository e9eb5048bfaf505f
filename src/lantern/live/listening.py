"""Following a device that is asked for its frames, for as long as it is on the site: whatever fails is said, and tried again."""

from __future__ import annotations

import asyncio
from collections.abc import Awaitable, Callable
from contextlib import aclosing
from typing import Any

import structlog

from lantern.core.faults import LanternError
from lantern.live.tasks import Patience
from lantern.signals.feed import Feed, Frame

log = structlog.get_logger()
ENDED = "the device ended its stream"


async def listen(feed: Feed[Any], take: Callable[[Frame], Awaitable[None]]) -> None:
    """Give each frame that a device sends when it is asked to `take`. A frame that cannot be read is dropped, counted and said; when
    anything else fails, in the device or in `take`, the stream is asked for anew, ever less often until it works.
    """
    patience = Patience()
    while True:
        try:
            async with aclosing(feed.bodies(feed.where)) as bodies:  # whatever ends it, the device is let go of at once
                async for body in bodies:
                    frame = _read(feed, body)
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


def _read(feed: Feed[Any], body: bytes) -> Frame | None:
    try:
        frame: Frame = feed.read(body)
        return frame
    except LanternError as error:
        feed.cannot_read(str(error))
    except Exception as error:
        feed.cannot_read(f"{type(error).__name__}: {error}")
    return None


def _tell(feed: Feed[Any], error: str) -> None:
    """Show it at the device; log it once."""
    if feed.error != error:
        log.warning("feed interrupted", device=feed.code, error=error)
    feed.error = error
