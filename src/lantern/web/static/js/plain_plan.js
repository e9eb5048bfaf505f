// The plan as a plain ground for something else: its land, water and walls, and nothing that can be dragged.
import { el } from "./svg.js";

const AREAS = ["water", "pier"];

// `at`: metres of the plan to places of the drawing; `unit`: metres to a pixel of the screen.
export function plainPlan(svg, plan) {
  const { width_m: width, height_m: height } = plan;
  svg.setAttribute("viewBox", `0 0 ${width} ${height}`);
  const at = ([x, y]) => [x, height - y];
  const points = (corners) => corners.map((corner) => at(corner).join(",")).join(" ");
  const form = (closed) => (closed ? "polygon" : "polyline");
  const parts = [
    ...(plan.outlines ?? []).map((each) =>
      el(form(AREAS.includes(each.what)), { class: `plan-${each.what ?? "line"}`, points: points(each.points) }),
    ),
    ...(plan.occluders ?? []).map((each) =>
      el(form(each.closed), { class: each.closed ? "plan-wall" : "plan-open", points: points(each.points) }),
    ),
  ];
  return { at, parts, unit: width / Math.max(svg.clientWidth, 1) };
}
