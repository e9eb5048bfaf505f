"""A unit for systemd, the machine's own supervisor: start at boot, start again, stop in order."""

from __future__ import annotations

import getpass
from pathlib import Path

from lantern.core.faults import LanternError

UNIT = """\
# Rust Lantern as a service. Put this in /etc/systemd/system/rust-lantern.service, then:
#   systemctl daemon-reload && systemctl enable --now rust-lantern
[Unit]
Description=Rust Lantern
Wants=network-online.target
After=network-online.target

[Service]
User={user}
WorkingDirectory={folder}
ExecStart={folder}/lantern up{options}
Restart=always
RestartSec=1
TimeoutStopSec=60
KillMode=mixed

[Install]
WantedBy=multi-user.target
"""


class ServiceError(LanternError):
    """No unit can be written for this folder."""


def unit(folder: Path, *, user: str, options: str) -> str:
    """The text of the unit for a checkout in `folder`. Raises `ServiceError`."""
    if not (folder / "lantern").is_file():
        raise ServiceError(f"{folder} holds no lantern to start: run this in the folder that you start it from.")
    for what, text in (("folder", str(folder)), ("user", user), ("options", options)):
        if not text.isprintable() or "%" in text or (what != "options" and " " in text):
            raise ServiceError(f"a unit cannot name the {what} {text!r}: no spaces, percent signs or line ends.")
    return UNIT.format(folder=folder, user=user or getpass.getuser(), options=f" {options}" if options else "")
