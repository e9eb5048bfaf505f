"""Other programs, to which a text is posted: a line over TCP, a request over HTTP, a message over MQTT."""

from __future__ import annotations

import socket
from urllib.parse import SplitResult, unquote, urlsplit, urlunsplit

import httpx
from paho.mqtt import MQTTException
from paho.mqtt.client import Client
from paho.mqtt.enums import CallbackAPIVersion

from lantern.core.faults import LanternError

TIMEOUT_S = 10.0
PORTS = {"tcp": 0, "mqtt": 1883, "mqtts": 8883}
LONGEST_ANSWER = 200


class PostError(LanternError):
    """It did not arrive, as far as can be known."""


def post(to: str, text: str, key: str) -> str:
    """Return what was answered. `key` names the message: one that is sent again has the same. Raises `PostError`."""
    parts = urlsplit(to)
    where = f"{parts.scheme}://{parts.hostname}"
    try:
        if parts.scheme in ("http", "https"):
            return _http(to, text, key)
        if parts.scheme == "tcp":
            return _tcp(parts, text)
        return _mqtt(parts, text)
    except (OSError, ValueError, RuntimeError, httpx.HTTPError, MQTTException) as error:
        raise PostError(f"{where} did not take it: {error or type(error).__name__}") from error


def _http(to: str, text: str, key: str) -> str:
    kind = "application/json" if text.lstrip()[:1] in ("{", "[") else "text/plain; charset=utf-8"
    headers = {"Content-Type": kind, "Idempotency-Key": key}
    answer = httpx.post(to, content=text.encode(), headers=headers, timeout=TIMEOUT_S, follow_redirects=False)
    said = f"answered {answer.status_code} {answer.text[:LONGEST_ANSWER]}".strip()
    if not answer.is_success:
        raise PostError(f"{urlsplit(to).hostname} {said}")
    return f"It {said}."


def _tcp(parts: SplitResult, text: str) -> str:
    """A line that ends with a line feed. Nothing is answered: that it was taken by the other side's machine is all that is known."""
    with socket.create_connection((parts.hostname, parts.port or PORTS["tcp"]), timeout=TIMEOUT_S) as connection:
        connection.sendall(" ".join(text.splitlines()).encode() + b"\n")
        connection.shutdown(socket.SHUT_WR)
    return "The line was taken."


def _mqtt(parts: SplitResult, text: str) -> str:
    """Published at least once, to the topic that the path names."""
    topic = unquote(parts.path.lstrip("/"))
    if not topic:
        raise PostError(f"{urlunsplit(parts)} names no topic: mqtt://HOST/TOPIC")
    said: list[str] = []
    client = Client(CallbackAPIVersion.VERSION2)
    client.on_connect = lambda client, held, flags, reason, properties: said.append(str(reason))
    if parts.username:
        client.username_pw_set(unquote(parts.username), unquote(parts.password or ""))
    if parts.scheme == "mqtts":
        client.tls_set()
    client.connect(parts.hostname or "", parts.port or PORTS[parts.scheme])
    client.loop_start()
    try:
        sent = client.publish(topic, text.encode(), qos=1)
        sent.wait_for_publish(TIMEOUT_S)
        if not sent.is_published():
            raise PostError(
                f"{parts.hostname} did not confirm it within {TIMEOUT_S:g} s; it said {said[-1:] or 'nothing'}"
            )
    finally:
        client.disconnect()
        client.loop_stop()
    return "The broker took it."
