// What both views from the side have: somebody who stands on the ground, and the ground with its metres.
import { el } from "/static/js/svg.js";

export const within = (value, low, high) => Math.min(Math.max(value, low), high);

export const nearestTo = (wanted, places) =>
  places.reduce((best, each) => (Math.abs(each[0] - wanted) < Math.abs(best[0] - wanted) ? each : best));

export function person(x, foot, head) {
  const high = foot - head;
  const shoulders = `M${x - high * 0.15} ${head + high * 0.28}h${high * 0.3}`;
  const body = `${shoulders}l${-high * 0.04} ${high * 0.72}h${-high * 0.22}Z`;
  return el(
    "g",
    { class: "someone", "data-grip": "someone" },
    el("rect", { class: "someone-catch", x: x - 9, y: head - 4, width: 18, height: high + 8 }),
    el("circle", { cx: x, cy: head + high * 0.12, r: high * 0.12 }),
    el("path", { d: body }),
  );
}

// The ground from one place to another, with a figure at every so many metres.
export function axis(from, to, { x, y }, [width, height]) {
  const parts = [el("line", { class: "ground-line", x1: 0, x2: width, y1: y(0), y2: y(0) })];
  const step = [1, 2, 5, 10, 20, 50].find((each) => (to - from) / each <= 9) ?? 100;
  for (let at = Math.ceil(from / step) * step; at <= to; at += step) {
    parts.push(
      el("text", { class: "side-word tick", x: x(at), y: height - 6 }, at),
      el("line", { class: "ground-line", x1: x(at), x2: x(at), y1: y(0), y2: y(0) + 4 }),
    );
  }
  return parts;
}
