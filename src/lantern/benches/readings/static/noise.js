// How much a reading is disturbed, and what a level alone would raise of it.
import { short } from "/static/js/svg.js";
import { fixed, width } from "/static/js/units.js";

export const noise = ({ data }) => ({
  stripParts: ["strips", "noise"],
  noise: null,

  restPosts({ noise: found }) {
    if (found !== undefined) this.noise = found;
  },
  get noiseText() {
    if (!this.noise?.sigma_c) return "";
    const words = { window: "against the window", points: "two points", slope: "slope", level: "this level" };
    const by = Object.entries(this.noise.by).map(
      ([way, n]) => `${words[way]} ${n < 0.001 ? "under 0.001" : short(n, 2)}`,
    );
    const drift = this.noise.drift;
    const after = ([late, rare]) => {
      const falsely = short((rare * drift.interval_s) / 60, 2);
      return `${short(late * drift.interval_s, 2)} s (false once in ${falsely} min)`;
    };
    const slow = drift
      ? `; a drift of one noise is seen after ${after(drift.plain)} by a plain 3-sigma test, ` +
        `${after(drift.ewma)} by an EWMA chart, ${after(drift.cusum)} by a CUSUM`
      : "";
    const alone = by.length ? `; it alone would raise a day: ${by.join(", ")}` : "";
    return `noise ${fixed(width(data.scale.level), this.noise.sigma_c, 3)}${alone}${slow}`;
  },
});
