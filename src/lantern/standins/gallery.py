"""The gallery of a face stand-in: whom it was given, by the numbers of their made-up faces; and its small HTTP server."""

from __future__ import annotations

import base64
import hashlib
import json
import secrets
from collections.abc import Callable, Mapping
from dataclasses import dataclass, field
from pathlib import Path
from typing import Any

import numpy as np
from starlette.requests import Request
from starlette.responses import JSONResponse, Response
from starlette.routing import Route

from lantern.core.signals import Floats
from lantern.standins.likeness import found_in
from lantern.standins.visitors import ALGORITHM, alike

LEAST_EYES_PX, MOST_YAW_DEG, MOST_COVERED = 24.0, 30.0, 0.2
SAME = 96.0  # of two pictures that are of one person
MOST_BYTES = 8 * 1024 * 1024


@dataclass
class HeldGallery:
    """Members by name, each with the numbers of the face (32,) and the digest of the picture. Kept in a file over a start."""

    file: Path | None = None
    members: dict[str, tuple[Floats, str]] = field(default_factory=dict)

    def __post_init__(self) -> None:
        if self.file is not None and self.file.exists():
            held = json.loads(self.file.read_text())
            self.members = {name: (np.array(face), digest) for name, (face, digest) in held.items()}

    @property
    def names(self) -> tuple[str, ...]:
        return tuple(self.members)

    def scores(self, capture: Floats) -> list[tuple[str, float]]:
        """Return how alike a capture is to each member, the best first."""
        if not self.members:
            return []
        found = alike(np.stack([face for face, _ in self.members.values()]), capture).tolist()
        return sorted(zip(self.members, found, strict=True), key=lambda each: -each[1])

    def judged(self, picture: bytes, member: str = "") -> dict[str, Any]:
        """Return what it says of a picture; `member`: for whom, who is no duplicate of themselves."""
        found = found_in(picture)
        if found is None:
            return {"accepted": False, "faces": 0, "reasons": ["no face is found in it"]}
        reasons = []
        if found.faces > 1:
            reasons.append(f"{found.faces} faces are in it: one alone")
        if found.eyes_px < LEAST_EYES_PX:
            reasons.append(f"{found.eyes_px:.0f} px between the eyes: {LEAST_EYES_PX:.0f} at least")
        if abs(found.yaw_deg) > MOST_YAW_DEG:
            reasons.append(f"turned by {found.yaw_deg:.0f}°: {MOST_YAW_DEG:.0f}° at most")
        if found.covered > MOST_COVERED:
            reasons.append(f"{100 * found.covered:.0f} % of the face is covered: without a cap")
        others = {name: held for name, held in self.members.items() if name != member}
        nearest = max(HeldGallery(None, others).scores(found.face), key=lambda each: each[1], default=("", 0.0))
        return {
            "accepted": not reasons,
            "reasons": reasons,
            "faces": found.faces,
            "eyes_px": round(found.eyes_px, 1),
            "yaw_deg": round(found.yaw_deg, 1),
            "covered": round(found.covered, 2),
            "duplicate_of": nearest[0] if nearest[1] >= SAME else None,
            "features": base64.b64encode(found.face.astype("<f4").tobytes()).decode(),
        }

    def give(self, member: str, picture: bytes) -> dict[str, Any]:
        said = self.judged(picture, member)
        found = found_in(picture)
        if said["accepted"] and found is not None:
            self.members[member] = (found.face, hashlib.sha256(picture).hexdigest())
            self._keep()
        return said

    def let_go(self, member: str) -> bool:
        """Return whether it was held."""
        gone = self.members.pop(member, None) is not None
        self._keep()
        return gone

    def _keep(self) -> None:
        if self.file is None:
            return
        self.file.parent.mkdir(parents=True, exist_ok=True)
        fresh = self.file.with_name(self.file.name + ".new")
        fresh.write_text(json.dumps({name: (face.tolist(), digest) for name, (face, digest) in self.members.items()}))
        fresh.replace(self.file)


Galleries = Mapping[str, tuple[HeldGallery, str]]  # by code of the device, with its token


def gallery_routes(galleries: Callable[[], Galleries]) -> list[Route]:
    """Return the server of the galleries, as docs/wire.md has it."""

    def of(request: Request) -> HeldGallery | None:
        held = galleries().get(request.path_params["code"])
        sent = request.headers.get("authorization", "").removeprefix("Bearer ")
        return held[0] if held is not None and secrets.compare_digest(sent.encode(), held[1].encode()) else None

    async def holds(request: Request) -> Response:
        gallery = of(request)
        if gallery is None:
            return _unknown()
        return JSONResponse(
            {"algorithm": ALGORITHM, "members": {name: digest for name, (_, digest) in gallery.members.items()}}
        )

    async def check(request: Request) -> Response:
        gallery = of(request)
        return _unknown() if gallery is None else JSONResponse(gallery.judged(await _picture(request)))

    async def member(request: Request) -> Response:
        gallery = of(request)
        if gallery is None:
            return _unknown()
        name = request.path_params["member"]
        if request.method == "DELETE":
            return Response(status_code=204 if gallery.let_go(name) else 404)
        return JSONResponse(gallery.give(name, await _picture(request)))

    return [
        Route("/gallery/{code}", holds),
        Route("/gallery/{code}/check", check, methods=["POST"]),
        Route("/gallery/{code}/members/{member}", member, methods=["PUT", "DELETE"]),
    ]


async def _picture(request: Request) -> bytes:
    body = bytearray()
    async for part in request.stream():
        body += part
        if len(body) > MOST_BYTES:
            break
    return bytes(body)


def _unknown() -> Response:
    return JSONResponse({"message": "unknown device or wrong token"}, 401)
