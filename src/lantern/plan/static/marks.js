// Devices on the chart: what each covers, its mark, and the grips by which the chosen one is turned.
import { el } from "/static/js/svg.js";
import { data, devices, shown, state, worst } from "./state.js";
import { X, Y, at, layer, path, points, scale } from "./view.js";
import { short } from "./parts.js";

const nodes = new Map(); // of each device: its field and its mark

function cameraField(drawn, near) {
  const parts = drawn.bands.map((band) => {
    const rank = data.grades.findIndex(([name]) => name === band.grade);
    return el("path", { class: `band band-${rank < 0 ? 2 : rank}`, d: path(band.path) });
  });
  if (drawn.shadow && shown("shadow")) parts.push(el("path", { class: "in-shadow", d: path(drawn.shadow) }));
  if (!near) return parts;
  for (const line of drawn.contours) {
    const [[x1, y1], [x2, y2]] = [at(line.from), at(line.to)];
    parts.push(
      el("line", { class: "contour", x1, y1, x2, y2 }),
      el("text", { class: "contour-word", x: (x1 + x2) / 2, y: (y1 + y2) / 2 + 1.5 }, short(line.px)),
    );
  }
  return [...parts, ...turned(drawn), ...rings(drawn)];
}

// Of a camera that turns: what walls hide from it, and where its presets look.
function turned(drawn) {
  const hidden = drawn.hidden && shown("shadow") ? [el("path", { class: "in-shadow", d: path(drawn.hidden) })] : [];
  const views = (drawn.views ?? []).map((view) =>
    el("path", { class: "preset-view", d: path(view.path) }, el("title", {}, view.name)),
  );
  return [...hidden, ...views];
}

const WORD_FROM = 16; // units of the chart: a ring that wide has room for its name

function rings(drawn) {
  const [x, y] = at(drawn.from);
  return (drawn.rings ?? []).flatMap((ring) => {
    const away = ring.range * scale();
    const line = el("path", { class: "ring", d: path(ring.path) }, el("title", {}, ring.name));
    if (away < WORD_FROM) return [line];
    return [line, el("text", { class: "ring-word", x: x + away * 0.71, y: y - away * 0.71 }, ring.name)];
  });
}

const FIELDS = {
  camera: ["cameras", cameraField],
  footprint: ["cameras", cameraField],
  radar: [
    "radars",
    (drawn, near) => [
      el("path", { class: "reach radar", d: path(drawn.reach) }),
      ...drawn.blind.map(([one, other]) => el("polyline", { class: "blind", points: points([one, other]) })),
      ...(near ? rings(drawn) : []),
    ],
  ],
  speaker: ["speakers", (drawn) => [el("path", { class: "reach speaker", d: path(drawn.reach) })]],
};

function field(device) {
  const near = device.id === state.chosen;
  const [sort, draw] = FIELDS[device.drawn.what];
  return el("g", { class: `field ${near ? "chosen" : ""}` }, shown(sort) ? draw(device.drawn, near) : []);
}

function mark(device) {
  const group = el("g", {
    class: `mount ${worst(device.claims) ?? "none"} ${device.id === state.chosen ? "chosen" : ""}`,
    "data-device": device.id,
    tabindex: 0,
    role: "button",
    "aria-label": `${device.code} ${device.name}`,
  });
  group.append(
    el("circle", { class: "catch", r: 8 }),
    el("path", { d: device.drawn?.what === "footprint" ? "M-4-4H4V4H-4Z" : "M0-7 5 4.8H-5Z" }),
    el("text", { x: 6, y: -5 }, device.code),
  );
  // what the chosen one looks along is held at its end, and turned
  if (device.id === state.chosen && data.edits && device.mount.azimuth_deg !== undefined) {
    group.append(
      el(
        "g",
        { class: "turn" },
        el("line", { y1: -8, y2: -26 }),
        el("circle", { cy: -29, r: 3.4 }),
        el("circle", { class: "catch", cy: -29, r: 8, "data-turn": "azimuth" }, el("title", {}, "drag: azimuth")),
      ),
    );
    if (device.drawn?.field) group.append(el("g", { class: "turn edges" }));
  }
  return group;
}

// The edges of a camera's field, by which its focal length is dragged.
function edges(device) {
  return [-1, 1].map((side) =>
    el(
      "g",
      { transform: `rotate(${(side * device.drawn.field) / 2})` },
      el("line", { y1: -8, y2: -44 }),
      el("circle", { cy: -46, r: 2.4 }),
      el("circle", { class: "catch", cy: -46, r: 7, "data-turn": "field" }, el("title", {}, "drag: focal length")),
    ),
  );
}

function moveMark(device, group) {
  group.setAttribute("transform", `translate(${X(device.mount.x_m)} ${Y(device.mount.y_m)})`);
  for (const part of group.querySelectorAll("path, .turn"))
    part.setAttribute("transform", `rotate(${device.mount.azimuth_deg ?? 0})`);
  group.querySelector(".edges")?.replaceChildren(...edges(device));
}

// One device alone, so that sixty of them can stand on the chart while one is dragged.
export function drawMoved(device) {
  const held = nodes.get(device.id);
  if (held) moveMark(device, held.mark);
}

export function drawField(device) {
  const held = nodes.get(device.id);
  if (!held || !device.drawn) return;
  const fresh = field(device);
  if (held.field) held.field.replaceWith(fresh);
  else layer("fields").append(fresh);
  held.field = fresh;
  moveMark(device, held.mark);
  held.mark.setAttribute(
    "class",
    `mount ${worst(device.claims) ?? "none"} ${device.id === state.chosen ? "chosen" : ""}`,
  );
}

export function drawDevices() {
  nodes.clear();
  const mounted = data.devices.filter((device) => device.mount);
  for (const device of mounted) {
    const held = { field: device.drawn ? field(device) : null, mark: mark(device) };
    moveMark(device, held.mark);
    nodes.set(device.id, held);
  }
  const last = (a, b) => Number(a.id === state.chosen) - Number(b.id === state.chosen);
  layer("fields").replaceChildren(
    ...[...mounted]
      .sort(last)
      .map((d) => nodes.get(d.id).field)
      .filter(Boolean),
  );
  layer("marks").replaceChildren(...mounted.map((d) => nodes.get(d.id).mark));
}

export const deviceUnder = ({ target }) => devices.get(Number(target.closest("[data-device]")?.dataset.device));
