// Radars live.
import { ground } from "/static/signals/sector.js";
import { short } from "/static/js/svg.js";
import { startWalk } from "/static/walk/walk.js";

startWalk(
  () => ({
    get nearestText() {
      const nearest = this.state?.feed?.nearest;
      if (!nearest) return "Nothing is seen.";
      const [target, away, speed] = nearest;
      const goes = speed < 0 ? "nearer" : "away";
      return `Nearest is ${target}: ${short(away, 3)} m, ${short(Math.abs(speed), 2)} m/s ${goes}.`;
    },
    // What a camera beside it has to say, of each detector that asks for one.
    get besideText() {
      const asked = (this.state?.detectors ?? []).filter((each) => each.beside);
      return asked.map(({ name, beside: [code, why] }) => `${name}: ${code} ${why || "is there too"}.`).join(" ");
    },
  }),
  ground,
);
