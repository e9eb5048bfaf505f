"""`./lantern bench [NAME ...]`: measure and print; a figure beyond its wish is marked, and nothing fails."""

from __future__ import annotations

import sys

from bench import (
    barrier,
    coverage,
    duty,
    evidence,
    faces,
    fuzz,
    heat,
    imports,
    kills,
    links,
    live,
    memory,
    outbox,
    pages,
    plan,
    plates,
    preflight,
    ptz,
    radar,
    recording,
    rehearsal,
    scene,
    scrub,
    sweep,
    tracks,
)

ALL = {
    "heat": heat.run,
    "sweep": sweep.run,
    "tracks": tracks.run,
    "plates": plates.run,
    "faces": faces.run,
    "radar": radar.run,
    "ptz": ptz.run,
    "duty": duty.run,
    "preflight": preflight.run,
    "links": links.run,
    "rehearsal": rehearsal.run,
    "barrier": barrier.run,
    "coverage": coverage.run,
    "scene": scene.run,
    "evidence": evidence.run,
    "imports": imports.run,
    "live": live.run,
    "recording": recording.run,
    "memory": memory.run,
    "fuzz": fuzz.run,
    "outbox": outbox.run,
    "pages": pages.run,
    "plan": plan.run,
    "scrub": scrub.run,
    "kills": kills.run,  # last: at a small size all look at one program
}


def main() -> int:
    names = sys.argv[1:] or list(ALL)
    unknown = [name for name in names if name not in ALL]
    if unknown:
        print(f"no measurement {', '.join(unknown)}; there are {', '.join(ALL)}", file=sys.stderr)
        return 2
    for name in names:
        print(f"\n{name}", flush=True)
        for figure in ALL[name]():
            print(f"  {figure}", flush=True)
    return 0


if __name__ == "__main__":
    sys.exit(main())
