// The field by zoom unit as it was measured: the field on a scale of its own doublings.
import { el, redraw, short } from "/static/js/svg.js";

const [WIDTH, HEIGHT, LEFT, BOTTOM, TOP] = [240, 110, 34, 16, 8];

export function drawCurve(svg, found) {
  if (!found.length) return;
  svg.setAttribute("viewBox", `0 0 ${WIDTH} ${HEIGHT}`);
  const fields = found.map(([, field]) => Math.log2(field));
  const [low, high] = [Math.floor(Math.min(...fields)), Math.ceil(Math.max(...fields))];
  const x = (unit) => LEFT + unit * (WIDTH - LEFT - 8);
  const y = (log) => TOP + ((high - log) / Math.max(high - low, 1)) * (HEIGHT - TOP - BOTTOM);
  const rules = [];
  for (let log = low; log <= high; log += 2)
    rules.push(
      el("line", { x1: LEFT, x2: WIDTH - 8, y1: y(log), y2: y(log) }),
      el("text", { x: LEFT - 4, y: y(log) + 3, "text-anchor": "end" }, `${short(2 ** log, 2)}°`),
    );
  const points = found.map(([unit, field]) => [x(unit), y(Math.log2(field))]);
  redraw(svg, [
    ...rules,
    el("polyline", { points: points.map((point) => point.join(",")).join(" ") }),
    ...points.map(([cx, cy]) => el("circle", { cx, cy, r: 2.6 })),
    el("text", { x: LEFT, y: HEIGHT - 3 }, "zoom unit 0"),
    el("text", { x: WIDTH - 8, y: HEIGHT - 3, "text-anchor": "end" }, "1"),
  ]);
}
