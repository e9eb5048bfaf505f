// A first look at objects on their way: their feet, in a picture as large as the answers say.
import { el } from "/static/js/svg.js";

export function look(drawn, answers) {
  const told = (key, least) => (drawn.normalised ? least : Number(answers[key]) || least);
  const [width, height] = [told("width", drawn.right), told("height", drawn.bottom)];
  const lines = drawn.ways.map((points) =>
    el("polyline", {
      points: points.map((p) => p.join(",")).join(" "),
      fill: "none",
      stroke: "var(--patina)",
      "stroke-width": 1.2,
      "vector-effect": "non-scaling-stroke",
      opacity: 0.7,
    }),
  );
  const edge = { fill: "var(--panel)", stroke: "var(--rule)", "vector-effect": "non-scaling-stroke" };
  const frame = { viewBox: `0 0 ${width} ${height}`, role: "img", "aria-label": "Ways of the objects in the picture" };
  return el("svg", frame, el("rect", { width, height, ...edge }), lines);
}
