// Two small charts of the frame that is shown: a region's histogram, and the profile along a line.
import { el, redraw, short, ticks } from "/static/js/svg.js";

const HEIGHT = 96;
const LEFT = 44;
const BOTTOM = 16;
const BINS = 60;

export function profileOf(view, [[x0, y0], [x1, y1]]) {
  const steps = Math.max(Math.ceil(Math.hypot(x1 - x0, y1 - y0)), 1);
  const out = [];
  for (let i = 0; i <= steps; i++) {
    const x = Math.min(Math.floor(x0 + ((x1 - x0) * i) / steps), view.take.width - 1);
    const y = Math.min(Math.floor(y0 + ((y1 - y0) * i) / steps), view.take.height - 1);
    out.push([i, view.celsius(view.pixels[y * view.take.width + x])]);
  }
  return out;
}

export function histogramOf(view, pixels) {
  const values = pixels
    ? pixels.map((at) => view.celsius(view.pixels[at]))
    : Array.from(view.pixels, (raw) => view.celsius(raw));
  const low = values.reduce((a, b) => Math.min(a, b), Infinity);
  const high = values.reduce((a, b) => Math.max(a, b), -Infinity);
  const width = Math.max((high - low) / BINS, 0.01);
  const counts = new Array(BINS).fill(0);
  for (const v of values) counts[Math.min(Math.floor((v - low) / width), BINS - 1)] += 1;
  return counts.map((count, i) => [low + (i + 0.5) * width, count]);
}

// points: [x, y] pairs; `bars` for a histogram; `quantity` shows temperatures in the user's scale; `level` in °C
export function drawFigure(svg, points, { bars, quantity, level }) {
  const width = Math.max(svg.parentElement.clientWidth, 200);
  svg.setAttribute("viewBox", `0 0 ${width} ${HEIGHT}`);
  svg.style.height = `${HEIGHT}px`;
  const t = (c) => c * quantity.factor + quantity.offset;
  const data = points.map(([x, y]) => (bars ? [t(x), y] : [x, t(y)]));
  const xs = data.map((p) => p[0]);
  const ys = data.map((p) => p[1]);
  const [x0, x1] = [Math.min(...xs), Math.max(...xs)];
  const low = bars ? 0 : Math.min(...ys);
  const high = Math.max(...ys, low + 1e-6);
  const px = (x) => LEFT + ((x - x0) / (x1 - x0 || 1)) * (width - LEFT - 8);
  const py = (y) => HEIGHT - BOTTOM - ((y - low) / (high - low)) * (HEIGHT - BOTTOM - 8);
  const parts = [el("rect", { class: "frame", x: LEFT, y: 4, width: width - LEFT - 8, height: HEIGHT - BOTTOM - 4 })];
  for (const v of ticks(low, high, 3))
    parts.push(el("text", { class: "tick", x: LEFT - 4, y: py(v) + 3, "text-anchor": "end" }, short(v)));
  for (const v of ticks(x0, x1, 7))
    parts.push(el("text", { class: "tick", x: px(v), y: HEIGHT - 3, "text-anchor": "middle" }, short(v)));
  if (bars) {
    const w = Math.max((width - LEFT - 8) / data.length - 1, 1);
    for (const [x, y] of data)
      if (y)
        parts.push(
          el("rect", {
            class: "bin",
            x: px(x) - w / 2,
            width: w,
            y: py(y),
            height: Math.max(HEIGHT - BOTTOM - py(y), 1),
          }),
        );
  } else
    parts.push(
      el("path", {
        class: "reading",
        d: data.map(([x, y], i) => `${i ? "L" : "M"}${px(x).toFixed(1)} ${py(y).toFixed(1)}`).join(""),
      }),
    );
  if (level !== null && level !== undefined) {
    const at = t(level);
    if (bars && at > x0 && at < x1)
      parts.push(el("line", { class: "level", x1: px(at), x2: px(at), y1: 4, y2: HEIGHT - BOTTOM }));
    if (!bars && at > low && at < high)
      parts.push(el("line", { class: "level", x1: LEFT, x2: width - 8, y1: py(at), y2: py(at) }));
  }
  parts.push(
    el(
      "text",
      { class: "tick", x: width - 8, y: 14, "text-anchor": "end" },
      bars ? `pixels by ${quantity.unit}` : `${quantity.unit} along the line, in pixels`,
    ),
  );
  redraw(svg, parts);
}
