// A target's life: range, speed towards the radar, azimuth, size and way over its time, with what each return was.
import { el, redraw, short, ticks } from "/static/js/svg.js";

const WIDTH = 326;
const LEFT = 34;
const ROW = 39;
const RIBBON = 14;
const ROWS = [
  { key: "range_m", label: "range, m" },
  { key: "speed_mps", label: "speed, m/s", levels: (dials) => speedLevels(dials) },
  { key: "way_m", label: "way, m", levels: (dials) => [dials.distance_m] },
  { key: "azimuth_deg", label: "azimuth, °" },
  { key: "rcs_dbsm", label: "size, dBsm", levels: (dials) => [dials.min_rcs_dbsm, dials.max_rcs_dbsm] },
];

const speedLevels = ({ profile, min_speed_mps: least }) =>
  profile === "inbound" ? [-least] : profile === "outbound" ? [least] : [];

// Where values lie in a row: from its least to its greatest, levels among them.
function scaleOf(values, levels, top) {
  const all = [...values, ...levels].filter((value) => value !== null && value !== undefined);
  const [low, high] = [Math.min(...all), Math.max(...all)];
  const span = high - low || 1;
  return { low, high, y: (value) => top + ROW - 8 - ((value - low) / span) * (ROW - 14) };
}

export function drawLife(svg, life, dials, t) {
  const height = ROWS.length * ROW + RIBBON + 18;
  svg.setAttribute("viewBox", `0 0 ${WIDTH} ${height}`);
  const times = life.t_s;
  const [from, until] = [times[0], times.at(-1)];
  const x = (at) => LEFT + ((at - from) / (until - from || 1)) * (WIDTH - LEFT - 4);
  const parts = [];
  ROWS.forEach(({ key, label, levels }, number) => {
    const top = number * ROW;
    const values = life[key];
    const drawn = (levels?.(dials) ?? []).filter((level) => level !== null && level !== undefined);
    const { low, high, y } = scaleOf(values, drawn, top);
    const dots = values.flatMap((value, i) =>
      value === null ? [] : [el("circle", { class: `dot s${life.state[i]}`, cx: x(times[i]), cy: y(value), r: 1.6 })],
    );
    parts.push(
      el("line", { class: "rule", x1: LEFT, x2: WIDTH - 4, y1: top + ROW - 4, y2: top + ROW - 4 }),
      el("text", { class: "what", x: LEFT, y: top + 8 }, label),
      ...[high, low].map((end) => el("text", { class: "end", x: LEFT - 4, y: y(end) + 3 }, short(end, 3))),
      ...drawn.map((level) => el("line", { class: "level", x1: LEFT, x2: WIDTH - 4, y1: y(level), y2: y(level) })),
      ...dots,
    );
  });
  const top = ROWS.length * ROW;
  times.forEach((at, i) => {
    const wide = Math.max(x(times[i + 1] ?? until) - x(at), 1);
    parts.push(
      el(
        "rect",
        {
          class: `state s${life.state[i]}`,
          x: x(at),
          y: top + (RIBBON - tall(life.state[i])),
          width: wide,
          height: tall(life.state[i]),
        },
        el("title", {}, `${short(at, 4)} s: ${life.words[life.state[i]]}`),
      ),
    );
  });
  for (const at of ticks(from, until, 4))
    parts.push(el("text", { class: "when", x: x(at), y: height - 4 }, `${short(at, 5)} s`));
  if (t >= from && t <= until) parts.push(el("line", { class: "now", x1: x(t), x2: x(t), y1: 0, y2: top + RIBBON }));
  redraw(svg, parts);
}

// The nearer to a raise, the taller.
const tall = (state) => 3 + (state * (RIBBON - 3)) / 5;
