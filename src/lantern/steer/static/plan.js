// The plan with a head on it: what stands there, where it looks, the places that it was driven onto.
import { el, redraw } from "/static/js/svg.js";

const AREAS = ["water", "pier"];
const HEAD_PX = 5;

// What was clicked in a fixed picture, each pair with where it would be by the fit of all.
export function drawMarks(svg, [width, height], pairs, chosen) {
  svg.setAttribute("viewBox", `0 0 ${width} ${height}`);
  const r = width / 130;
  const parts = pairs.flatMap(({ u_px: u, v_px: v, there }) => [
    there ? el("line", { class: "misses", x1: u, y1: v, x2: there[0], y2: there[1] }) : null,
    el("circle", { class: "pair", cx: u, cy: v, r }),
  ]);
  if (chosen?.u_px !== undefined)
    parts.push(el("circle", { class: "clicked", cx: chosen.u_px, cy: chosen.v_px, r: 2 * r }));
  redraw(
    svg,
    parts.filter((part) => part !== null),
  );
}

export function drawPlan(svg, plan, registration, state, ahead, place) {
  const { width_m: width, height_m: height } = plan;
  svg.setAttribute("viewBox", `0 0 ${width} ${height}`);
  const unit = width / Math.max(svg.clientWidth, 1);
  const at = ([x, y]) => [x, height - y];
  const points = (corners) => corners.map((corner) => at(corner).join(",")).join(" ");
  const form = (closed) => (closed ? "polygon" : "polyline");
  const circle = (where, css, r) => {
    const [cx, cy] = at(where);
    return el("circle", { class: css, cx, cy, r: r * unit });
  };
  const outlines = (plan.outlines ?? []).map((each) =>
    el(form(AREAS.includes(each.what)), { class: `plan-${each.what ?? "line"}`, points: points(each.points) }),
  );
  const walls = (plan.occluders ?? []).map((each) =>
    el(form(each.closed), { class: each.closed ? "plan-wall" : "plan-open", points: points(each.points) }),
  );
  const parts = [...outlines, ...walls];
  if (state?.wedge) parts.push(el("polygon", { class: "wedge", points: points(state.wedge) }));
  if (ahead) parts.push(el("polygon", { class: "wedge there", points: points(ahead.wedge) }));
  parts.push(...registration.pairs.map(({ x_m: x, y_m: y }) => circle([x, y], "pair", 4)));
  if (registration.head) parts.push(circle(registration.head, "head", HEAD_PX));
  if (place) parts.push(circle(place, "clicked", 7));
  redraw(svg, parts);
}
