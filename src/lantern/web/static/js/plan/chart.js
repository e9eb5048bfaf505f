// The plan as a chart: draws what the server worked out and what was drawn by hand. It knows no rule of the job.
import { address } from "../http.js";
import { el } from "../svg.js";
import { short } from "./parts.js";
import { data, devices, draft, state, thingAt, things, unsaved } from "./state.js";
import { X, Y, at, chart, fit, path, points, scale, sheet } from "./view.js";

const NAME_FROM = 26; // units of the chart: a building that wide has room for its name
export const WORST = ["fail", "marginal", "pass"];
export const worst = (claims) => WORST.find((word) => claims.some((claim) => claim.verdict === word));
const shown = (layer) => !state.hidden.has(layer);
const nodes = new Map(); // of each device: its field and its mark

const LAYERS = ["ground", "beneath", "over", "fields", "aims", "marks", "grips", "handles", "frame"];
const layer = (name) => chart.querySelector(`[data-layer="${name}"]`);

// ---- the ground ----

// The ground picture that the drawing names, if it is here.
export const pictureOf = () => data.pictures[draft.plan.picture] ?? null;

// Where the picture lies: its lower left corner at the plan's origin, turned so that north is up.
export function placed() {
  const picture = pictureOf();
  const { metres_per_px: metres, origin = [0, 0], north_deg: north = 0, width_m: width } = draft.plan;
  return { origin, north, metres: metres ?? (width ?? data.size[0]) / picture.width_px };
}

function picture() {
  if (!pictureOf() || !shown("picture")) return [];
  const { origin, north, metres } = placed();
  const { width_px: width, height_px: height, name } = pictureOf();
  const k = metres * scale();
  return [el("image", { href: address(`/plan/pictures/${encodeURIComponent(name)}`), width, height, y: -height,
    class: "ground-picture", preserveAspectRatio: "none",
    transform: `translate(${X(origin[0])} ${Y(origin[1])}) rotate(${-north}) scale(${k})` })];
}

// What is drawn of a thing says of which, so that it can be moved without all the rest being drawn again.
const of = (list, n, corners) => ({ "data-of": `${list}/${n}`, points: points(corners) });

function water(each, n) {
  const layerOf = (name, width) => el("polygon", { class: name, ...of("outlines", n, each.points), "stroke-width":
    width });
  const shoals = [44, 32, 21, 11].map((width) => layerOf("shoal", width * scale()));
  return [el("clipPath", { id: `water-${n}` }, el("polygon", of("outlines", n, each.points))),
    el("g", { "clip-path": `url(#water-${n})` }, layerOf("water"), ...shoals, layerOf("shore", 1.6))];
}

const OUTLINES = {
  water,
  road: (each, n) => [["road-edge", 9], ["road", 8]].map(([name, width]) => el("polyline", { class: name,
    ...of("outlines", n, each.points), "stroke-width": width * scale() })),
  pier: (each, n) => [el("polygon", { class: "pier", ...of("outlines", n, each.points) })],
  line: (each, n) => [el("polyline", { class: "plan-line", ...of("outlines", n, each.points) })],
};

function ground() {
  const [width, height] = sheet();
  const { outlines = [] } = draft.plan;
  const drawn = outlines.map((each, n) => [each, n]).sort(([a], [b]) => (b.what === "water") - (a.what === "water"));
  return [el("rect", { class: "land", width, height }), ...picture(),
    ...(shown("outlines") ? drawn.flatMap(([each, n]) => OUTLINES[each.what](each, n)) : [])];
}

function beneath() {
  const out = [];
  if (shown("loud")) for (const band of data.loud) out.push(el("path", { class: "loud", d: path(band.path) },
    el("title", {}, `at least ${short(band.level)} dB(A)`)), el("text", { class: "loud-word", x: X(band.at[0]),
    y: Y(band.at[1]) + 1 }, `${short(band.level)} dB`));
  if (shown("unseen")) out.push(el("path", { class: "unseen", d: path(data.unseen.path) }));
  if (shown("twice")) out.push(el("path", { class: "twice", d: path(data.twice.path) }));
  return out;
}

// ---- what devices cover ----

function cameraField(drawn, near) {
  const parts = drawn.bands.map((band) => {
    const rank = data.grades.findIndex(([name]) => name === band.grade);
    return el("path", { class: `band band-${rank < 0 ? 2 : rank}`, d: path(band.path) });
  });
  if (drawn.shadow && shown("shadow")) parts.push(el("path", { class: "in-shadow", d: path(drawn.shadow) }));
  if (!near) return parts;
  for (const line of drawn.contours) {
    const [[x1, y1], [x2, y2]] = [at(line.from), at(line.to)];
    parts.push(el("line", { class: "contour", x1, y1, x2, y2 }), el("text", { class: "contour-word", x: (x1 + x2) / 2,
      y: (y1 + y2) / 2 + 1.5 }, short(line.px)));
  }
  return [...parts, ...rings(drawn)];
}

const rings = (drawn) => (drawn.rings ?? []).flatMap((ring) => [el("path", { class: "ring", d: path(ring.path) },
  el("title", {}, ring.name)), el("text", { class: "ring-word", x: X(drawn.from[0]) + ring.range * scale() * 0.71,
  y: Y(drawn.from[1]) - ring.range * scale() * 0.71 }, ring.name)]);

const FIELDS = {
  camera: ["cameras", cameraField],
  footprint: ["cameras", cameraField],
  radar: ["radars", (drawn, near) => [el("path", { class: "reach radar", d: path(drawn.reach) }),
    ...drawn.blind.map(([one, other]) => el("polyline", { class: "blind", points: points([one, other]) })),
    ...(near ? rings(drawn) : [])]],
  speaker: ["speakers", (drawn) => [el("path", { class: "reach speaker", d: path(drawn.reach) })]],
};

function field(device) {
  const near = device.id === state.chosen;
  const [sort, draw] = FIELDS[device.drawn.what];
  return el("g", { class: `field ${near ? "chosen" : ""}` }, shown(sort) ? draw(device.drawn, near) : []);
}

function mark(device) {
  const group = el("g", { class:
    `mount ${worst(device.claims) ?? "none"} ${device.id === state.chosen ? "chosen" : ""}`,
    "data-device": device.id, tabindex: 0, role: "button", "aria-label": `${device.code} ${device.name}` });
  group.append(el("circle", { class: "catch", r: 8 }), el("path", {
    d: device.drawn?.what === "footprint" ? "M-4-4H4V4H-4Z" : "M0-7 5 4.8H-5Z" }), el("text", { x: 6, y: -5 },
    device.code));
  // what the chosen one looks along is held at its end, and turned
  if (device.id === state.chosen && data.edits && device.mount.azimuth_deg !== undefined) {
    group.append(el("g", { class: "turn" }, el("line", { y1: -8, y2: -26 }), el("circle", { cy: -29, r: 3.4 }),
      el("circle", { class: "catch", cy: -29, r: 8, "data-turn": "azimuth" }, el("title", {}, "drag: azimuth"))));
    if (device.drawn?.field) group.append(el("g", { class: "turn edges" }));
  }
  return group;
}

// The edges of a camera's field, by which its focal length is dragged.
function edges(device) {
  return [-1, 1].map((side) => el("g", { transform: `rotate(${(side * device.drawn.field) / 2})` },
    el("line", { y1: -8, y2: -44 }), el("circle", { cy: -46, r: 2.4 }), el("circle", { class: "catch", cy: -46, r: 7,
      "data-turn": "field" }, el("title", {}, "drag: focal length"))));
}

function moveMark(device, group) {
  group.setAttribute("transform", `translate(${X(device.mount.x_m)} ${Y(device.mount.y_m)})`);
  for (const part of group.querySelectorAll("path, .turn")) part.setAttribute("transform",
    `rotate(${device.mount.azimuth_deg ?? 0})`);
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
  if (held.field) held.field.replaceWith(fresh); else layer("fields").append(fresh);
  held.field = fresh;
  moveMark(device, held.mark);
  held.mark.setAttribute("class",
    `mount ${worst(device.claims) ?? "none"} ${device.id === state.chosen ? "chosen" : ""}`);
}

function drawDevices() {
  nodes.clear();
  const mounted = data.devices.filter((device) => device.mount);
  for (const device of mounted) {
    const held = { field: device.drawn ? field(device) : null, mark: mark(device) };
    moveMark(device, held.mark);
    nodes.set(device.id, held);
  }
  const last = (a, b) => Number(a.id === state.chosen) - Number(b.id === state.chosen);
  layer("fields").replaceChildren(...[...mounted].sort(last).map((d) => nodes.get(d.id).field).filter(Boolean));
  layer("marks").replaceChildren(...mounted.map((d) => nodes.get(d.id).mark));
}

// ---- what is drawn over them ----

function over() {
  const [out, words] = [[], []];
  if (shown("places")) for (const [n, place] of draft.places.entries()) if (place.polygon) {
    const [x, y] = [0, 1].map((k) => Math.min(...place.polygon.map((point) => at(point)[k])));
    out.push(el("polygon", { class: "place-outline", ...of("places", n, place.polygon) }));
    words.push(el("text", { class: "place-word", x: x + 2, y: y - 2 }, place.name));
  }
  for (const [n, each] of (draft.plan.occluders ?? []).entries()) {
    const kind = each.closed ? "polygon" : "polyline";
    out.push(el(kind, { class: `occluder ${each.closed ? "" : "wall"}`, ...of("occluders", n, each.points) },
      el("title", {}, `${each.name}, ${each.height_m} m, ${each.material ?? "concrete"}`)));
    if (!each.closed) continue;
    const [xs, ys] = [0, 1].map((k) => each.points.map((point) => at(point)[k]));
    const [left, right] = [Math.min(...xs), Math.max(...xs)];
    if (right - left > NAME_FROM) out.push(el("text", { class: "place-name", x: (left + right) / 2,
      y: (Math.min(...ys) + Math.max(...ys)) / 2 + 1.6 }, each.name));
  }
  return [...out, ...words];
}

function aims() {
  if (!shown("aims")) return [];
  return (draft.plan.aims ?? []).flatMap((aim) => {
    const device = data.devices.find((each) => each.code === aim.device);
    const found = (device?.claims ?? []).filter((claim) => claim.aim === aim.name);
    const word = worst(found) ?? "pass";
    const own = device?.id === state.chosen ? " chosen" : "";
    const kind = data.offers.aims[aim.what].shape;
    const out = [];
    if (aim.points.length > 1) out.push(el(kind === "area" && aim.points.length > 2 ? "polygon" : "polyline", {
      class: `${kind === "area" ? "wished-area" : "way"}${own}`, points: points(aim.points) }));
    const worstAt = found.find((claim) => claim.verdict === word && claim.at)?.at;
    const middle = [0, 1].map((n) => (aim.points[0][n] + aim.points.at(-1)[n]) / 2);
    const [x, y] = at(worstAt ?? (kind === "way" ? middle : aim.points[0]));
    out.push(el("g", { class: `aim ${word}`, transform: `translate(${x} ${y}) scale(0.55)` }, word === "fail"
      ? el("path", { d: "M-5-5 5 5M-5 5 5-5" }) : el("path", { d: "M0-6 6 0 0 6-6 0Z" }), el("title", {}, aim.name)));
    return out;
  });
}

// ---- the frame ----

function frame() {
  const [width, height] = sheet();
  const bar = [500, 200, 100, 50, 20, 10, 5, 2].find((length) => length * scale() < width / 4) ?? 1;
  const [y, long] = [height - 7, bar * scale()];
  const word = (x, text) => el("text", { class: "scale-word", x, y: y - 4 }, text);
  const parts = [el("rect", { class: "scale-ground", x: 4, y: y - 12, width: long + 22, height: 16 }), word(8, "0"),
    word(8 + long, `${bar} m`)];
  for (let n = 0; n < 5; n += 1) parts.push(el("rect", { class: n % 2 ? "scale-pale" : "scale-dark",
    x: 8 + (n * long) / 5, y: y - 2.4, width: long / 5, height: 2.4 }));
  parts.push(el("path", { class: "north", d: "M15 12 L19 27 L15 23.5 L11 27 Z" }));
  parts.push(el("text", { class: "scale-word", x: 15, y: 10.5, "text-anchor": "middle" }, "N"));
  return parts;
}

// ---- handles of what is being drawn ----

function drawGrips() {
  const grip = (thing) => el(thing.closed ? "polygon" : "polyline", { class: `grip ${thing.closed ? "closed" : ""} ${
    isChosen(thing) ? "chosen" :
      ""}`, ...of(thing.list, thing.n, thing.corners), "data-thing": `${thing.list}/${thing.n}` },
  el("title", {}, thing.object.name));
  layer("grips").replaceChildren(...(state.drawing ? things().map(grip) : []));
}

export function drawHandles(sketch = null) {
  const parts = [];
  const chosen = state.drawing && !sketch && state.thing ? thingAt(state.thing) : null;
  if (chosen) {
    const ends = chosen.closed ? [...chosen.corners, chosen.corners[0]] : chosen.corners;
    const between = ends.slice(1).map((corner, n) => [0, 1].map((k) => (corner[k] + ends[n][k]) / 2));
    parts.push(...between.map(([x, y], n) => el("circle", { class: "handle between", cx: X(x), cy: Y(y), r: 2,
      "data-between": n })));
    parts.push(...chosen.corners.map(([x, y], n) => el("rect", { class: "handle", x: X(x) - 2.4, y: Y(y) - 2.4,
      width: 4.8, height: 4.8, "data-corner": n, tabindex: 0, role: "button",
      "aria-label": `Corner ${n + 1} of ${chosen.object.name || "the line"}` })));
  }
  if (sketch?.corners.length) {
    const [last, before] = [sketch.corners.at(-1), sketch.corners.at(-2)];
    parts.push(el("polyline", { class: "sketch", points: points(sketch.corners) }));
    if (before) parts.push(el("text", { class: "sketch-word", x: X(last[0]) + 5, y: Y(last[1]) - 4 },
      `${Math.hypot(last[0] - before[0], last[1] - before[1]).toFixed(1)} m`));
  }
  if (sketch?.snapped) parts.push(el("circle", { class: "snapped", cx: X(sketch.snapped[0]), cy: Y(sketch.snapped[1]),
    r: 4 }));
  layer("handles").replaceChildren(...parts);
}

const isChosen = (thing) => state.thing !== null && thing.list === state.thing[0] && thing.n === state.thing[1];

// ---- all of it ----

export function drawAll() {
  fit();
  layer("ground").replaceChildren(...ground());
  layer("beneath").replaceChildren(...beneath());
  layer("over").replaceChildren(...over());
  drawDevices();
  layer("aims").replaceChildren(...aims());
  layer("frame").replaceChildren(...frame());
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

export function drawAims() { layer("aims").replaceChildren(...aims()); }

export function setUp() {
  chart.replaceChildren(...LAYERS.map((name) => el("g", { "data-layer": name })));
}

export const deviceUnder = ({ target }) => devices.get(Number(target.closest("[data-device]")?.dataset.device));
