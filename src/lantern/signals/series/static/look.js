// A first look at readings: a line for each column.
import { el } from "/static/js/svg.js";

const [WIDE, HIGH] = [300, 150];
const INKS = ["var(--oxide)", "var(--patina)", "var(--plum)", "var(--brass)"];

export function look({ columns }) {
  const all = Object.values(columns).flat();
  const [low, high] = [Math.min(...all), Math.max(...all)];
  const y = (value) => HIGH - 8 - ((value - low) / (high - low || 1)) * (HIGH - 16);
  const lines = Object.values(columns).map((values, n) =>
    el("polyline", {
      points: values.map((v, i) => `${(i / Math.max(values.length - 1, 1)) * WIDE},${y(v).toFixed(1)}`).join(" "),
      fill: "none",
      stroke: INKS[n],
      "stroke-width": 1.4,
    }),
  );
  const names = Object.keys(columns).map((name, n) =>
    el("text", { x: 6, y: 14 + 13 * n, fill: INKS[n], "font-size": 11.5 }, name),
  );
  const frame = { viewBox: `0 0 ${WIDE} ${HIGH}`, role: "img", "aria-label": "The readings over time" };
  return el("svg", frame, lines, names);
}
