// The plan as a chart: draws what the server worked out and what was drawn by hand. It knows no rule of the job.
import { el } from "/static/js/svg.js";
import * as layers from "./layers.js";
import { drawDevices } from "./marks.js";
import { state, thingAt, things, unsaved } from "./state.js";
import { X, Y, chart, fit, layer, points } from "./view.js";

const LAYERS = ["ground", "beneath", "over", "fields", "aims", "marks", "grips", "handles", "frame"];

// ---- handles of what is being drawn ----

function drawGrips() {
  const grip = (thing) =>
    el(
      thing.closed ? "polygon" : "polyline",
      {
        class: `grip ${thing.closed ? "closed" : ""} ${isChosen(thing) ? "chosen" : ""}`,
        ...layers.of(thing.list, thing.n, thing.corners),
        "data-thing": `${thing.list}/${thing.n}`,
      },
      el("title", {}, thing.object.name),
    );
  layer("grips").replaceChildren(...(state.drawing ? things().map(grip) : []));
}

export function drawHandles(sketch = null) {
  const parts = [];
  const chosen = state.drawing && !sketch && state.thing ? thingAt(state.thing) : null;
  if (chosen) {
    const ends = chosen.closed ? [...chosen.corners, chosen.corners[0]] : chosen.corners;
    const between = ends.slice(1).map((corner, n) => [0, 1].map((k) => (corner[k] + ends[n][k]) / 2));
    parts.push(
      ...between.map(([x, y], n) =>
        el("circle", { class: "handle between", cx: X(x), cy: Y(y), r: 2, "data-between": n }),
      ),
    );
    parts.push(
      ...chosen.corners.map(([x, y], n) =>
        el("rect", {
          class: "handle",
          x: X(x) - 2.4,
          y: Y(y) - 2.4,
          width: 4.8,
          height: 4.8,
          "data-corner": n,
          tabindex: 0,
          role: "button",
          "aria-label": `Corner ${n + 1} of ${chosen.object.name || "the line"}`,
        }),
      ),
    );
  }
  if (sketch?.corners.length) {
    const [last, before] = [sketch.corners.at(-1), sketch.corners.at(-2)];
    parts.push(el("polyline", { class: "sketch", points: points(sketch.corners) }));
    if (before)
      parts.push(
        el(
          "text",
          { class: "sketch-word", x: X(last[0]) + 5, y: Y(last[1]) - 4 },
          `${Math.hypot(last[0] - before[0], last[1] - before[1]).toFixed(1)} m`,
        ),
      );
  }
  if (sketch?.snapped)
    parts.push(el("circle", { class: "snapped", cx: X(sketch.snapped[0]), cy: Y(sketch.snapped[1]), r: 4 }));
  layer("handles").replaceChildren(...parts);
}

const isChosen = (thing) => state.thing !== null && thing.list === state.thing[0] && thing.n === state.thing[1];

// ---- all of it ----

export function drawAll() {
  fit();
  layer("ground").replaceChildren(...layers.ground());
  layer("beneath").replaceChildren(...layers.beneath());
  layer("over").replaceChildren(...layers.over());
  drawDevices();
  layer("aims").replaceChildren(...layers.aims());
  layer("frame").replaceChildren(...layers.frame());
  drawGrips();
  drawHandles();
  chart.classList.toggle("drawing", state.drawing);
  chart.classList.toggle("unsaved", unsaved());
}

// One thing alone, while it is dragged; what devices give follows when the server has worked it out.
export function drawThing(thing) {
  const where = points(thing.corners);
  for (const node of chart.querySelectorAll(`[data-of="${thing.list}/${thing.n}"]`)) node.setAttribute("points", where);
  drawHandles();
}

export function drawAims() {
  layer("aims").replaceChildren(...layers.aims());
}

export function setUp() {
  chart.replaceChildren(...LAYERS.map((name) => el("g", { "data-layer": name })));
}
