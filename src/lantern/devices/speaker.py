"""A speaker on the network that plays a WAV which is posted to it, and stops when it is told: see docs/wire.md."""

from __future__ import annotations

from urllib.parse import urlsplit

import httpx

from lantern.core.faults import LanternError

TIMEOUT_S = 5.0
LONGEST_ANSWER = 200


class SpeakerError(LanternError):
    """It did not answer, or did not take it."""


class Speaker:
    """At `url`."""

    def __init__(self, url: str) -> None:
        self._url = url.rstrip("/")
        self._where = urlsplit(url).netloc

    def play(self, wav: bytes, key: str) -> str:
        """Play it from now on, in place of what plays; returns what was answered. `key` names it: one that is sent again plays once.
        Raises `SpeakerError`.
        """
        return self._asked("play", wav, {"Content-Type": "audio/wav", "Idempotency-Key": key})

    def stop(self) -> None:
        """Raises `SpeakerError`."""
        self._asked("stop", b"", {})

    def state(self) -> bool:
        """Return whether it plays. Raises `SpeakerError`."""
        answer = self._answered("GET", "", b"", {})
        try:
            return bool(answer.json()["playing"])
        except (ValueError, KeyError, TypeError) as error:
            raise SpeakerError(f"{self._where} answers, and not as a speaker does: {answer.text[:60]!r}") from error

    def _asked(self, what: str, body: bytes, headers: dict[str, str]) -> str:
        return self._answered("POST", what, body, headers).text[:LONGEST_ANSWER]

    def _answered(self, method: str, what: str, body: bytes, headers: dict[str, str]) -> httpx.Response:
        try:
            answer = httpx.request(
                method, f"{self._url}/{what}", content=body, headers=headers, timeout=TIMEOUT_S, trust_env=False
            )
        except (httpx.HTTPError, httpx.InvalidURL) as error:
            raise SpeakerError(f"{self._where} does not answer: {error or type(error).__name__}") from error
        if not answer.is_success:
            raise SpeakerError(f"{self._where} answered {answer.status_code} {answer.text[:LONGEST_ANSWER]}".strip())
        return answer
