// A camera from the side, along its axis: what it sees of the ground and of who stands there. Its height and tilt are
// dragged here.
import { el } from "../svg.js";
import { short } from "./parts.js";
import { data, find } from "./state.js";

const SIDE = { width: 690, height: 150, left: 34, bottom: 22, top: 14, right: 10 };
const now = { device: null, scale: null, at: null }; // `at`: the share of the length at which somebody stands

const within = (value, low, high) => Math.min(Math.max(value, low), high);

function scales(told) {
  const [wide, high] = [SIDE.width - SIDE.left - SIDE.right, SIDE.height - SIDE.bottom - SIDE.top];
  const tall = Math.max(told.height * 1.25, 3, ...told.walls.map((wall) => wall[2]));
  return { x: (m) => SIDE.left + (m / told.length) * wide, y: (m) => SIDE.height - SIDE.bottom - (m / tall) * high,
    metres: (px, py) => [((px - SIDE.left) / wide) * told.length, ((SIDE.height - SIDE.bottom - py) / high) * tall] };
}

export function sideView(device) {
  const part = find("side-part");
  const told = device?.side;
  part.hidden = !told;
  if (!told) return;
  find("side-title").textContent = `${device.code} from the side, along its axis, metres`;
  const svg = find("side");
  svg.setAttribute("viewBox", `0 0 ${SIDE.width} ${SIDE.height}`);
  const scale = now.scale && now.held ? now.scale : scales(told); // while it is dragged, the drawing keeps its scale
  if (now.device !== device) now.at = null;
  Object.assign(now, { device, scale });
  svg.replaceChildren(...ground(told, scale), ...standing(told, scale), ...camera(told, scale), ...someone(told, scale),
    ...axis(told, scale));
}

function ground(told, { x, y }) {
  const far = told.far === null ? told.length : Math.min(told.far, told.length);
  const near = Math.max(told.near ?? 0, 0);
  const parts = [];
  const horizonY = told.far === null ? y(told.height) : y(0);
  parts.push(el("polygon", { class: "seen", points: `${x(0)},${y(told.height)} ${x(near)},${y(0)} ${x(far)},${y(0)}
    ${told.far === null ? `${x(told.length)},${horizonY}` : ""}` }));
  if (near > 0) parts.push(el("polygon", { class: "beneath", points: `${x(0)},${y(told.height)} ${x(near)},${y(0)}
    ${x(0)},${y(0)}` }));
  if (told.far === null) parts.push(el("line", { class: "horizon", x1: x(0), x2: SIDE.width - SIDE.right, y1: horizonY,
    y2: horizonY }), el("text", { class: "side-word quiet-word", x: SIDE.width - SIDE.right, y: horizonY - 3,
    "text-anchor": "end" }, "horizon"));
  if (told.sharp) parts.push(el("rect", { class: "sharp", x: x(Math.min(told.sharp[0], told.length)), y: y(0) - 3,
    height: 3,
    width: Math.max(x(Math.min(told.sharp[1] ?? told.length, told.length)) - x(Math.min(told.sharp[0], told.length)),
      0) },
  el("title", {}, "sharp")));
  return parts;
}

function standing(told, { x, y }) {
  const parts = [];
  for (const [from, to] of told.hidden) parts.push(el("rect", { class: "hidden-ground", x: x(from), y: y(0) - 4,
    width: Math.max(x(Math.min(to, told.length)) - x(from), 0), height: 4 }));
  for (const [name, at, high] of told.walls) {
    const box = { x: x(at) - 1.5, y: y(high), width: 3, height: y(0) - y(high) };
    parts.push(el("rect", { class: "wall-side", ...box }, el("title", {}, name)));
    // the sight line over its top, down to where the ground is seen again
    if (high < told.height) parts.push(el("line", { class: "sight over", x1: x(0), y1: y(told.height),
      x2: x(Math.min((at * told.height) / (told.height - high), told.length)), y2: y(0) }));
  }
  for (const [name, px, at] of told.grades) if (at < told.length) parts.push(el("line", { class: "contour", x1: x(at),
    x2: x(at), y1: SIDE.top, y2: y(0) }), el("text", { class: "side-word grade", x: x(at) + 3, y: SIDE.top + 9 },
    `${short(px)} ${name}`));
  return parts;
}

function camera(told, { x, y }) {
  const parts = [];
  const before = told.aims.filter((aim) => aim[1] > 0 && aim[1] < told.length);
  for (const [n, [name, at, high]] of before.entries()) {
    parts.push(el("line", { class: "sight", x1: x(0), y1: y(told.height), x2: x(at), y2: y(high) }));
    parts.push(el("rect", { class: "target", x: x(at) - 2.5, y: y(high) - 6, width: 5, height: 6 }));
    parts.push(el("text", { class: "side-word", x: x(at) + 5, y: y(high) - 7 - 11 * n }, name));
  }
  const away = reachOfAxis(told);
  const end = [x(away), y(told.height - away * Math.tan((told.tilt * Math.PI) / 180))];
  parts.push(el("line", { class: "optical-axis", x1: x(0), y1: y(told.height), x2: end[0], y2: end[1] }), el("line", {
    class: "pole", x1: x(0), x2: x(0), y1: y(told.height), y2: y(0) }), el("rect", { class: "eye", x: x(0) - 4,
    y: y(told.height) - 4, width: 10, height: 7 }));
  if (data.edits) parts.push(el("circle", { class: "side-grip", cx: x(0), cy: y(told.height), r: 8, "data-grip":
    "height" },
    el("title", {}, "drag: height")), el("circle", { class: "side-grip axis-grip", cx: end[0], cy: end[1], r: 5,
    "data-grip": "tilt" }, el("title", {}, "drag: tilt")));
  return parts;
}

// As far along the axis as the drawing shows it, so that there is something to hold.
const reachOfAxis = (told) => {
  const fall = Math.tan((told.tilt * Math.PI) / 180);
  return fall > 0 ? Math.min((told.height / fall) * 0.85, told.length * 0.6) : told.length * 0.6;
};

function someone(told, { x, y }) {
  if (!told.someone.length) return [];
  const first = told.aims.find((aim) => aim[1] > 0 && aim[1] < told.length)?.[1] ?? told.length * 0.55;
  now.at ??= within(first / told.length + 0.12, 0.05, 0.97);
  const wanted = now.at * told.length;
  const [at, density, tall, words] = told.someone.reduce((best, each) =>
    (Math.abs(each[0] - wanted) < Math.abs(best[0] - wanted)
    ? each : best));
  const range = find("side-range");
  range.value = String(Math.round(now.at * 100));
  find("side-told").textContent = `${short(at)} m away: ${short(density)} px/m, ${words}; ${told.upright} m are ${
    tall === null ? "not in front of it" : `${short(tall, 0)} px`}`;
  const [foot, head] = [y(0), y(told.upright)];
  const high = foot - head;
  return [el("g", { class: "someone", "data-grip": "someone" },
    el("rect", { class: "someone-catch", x: x(at) - 9, y: head - 4, width: 18, height: high + 8 }),
    el("circle", { cx: x(at), cy: head + high * 0.12, r: high * 0.12 }),
    el("path", { d:
      `M${x(at) - high * 0.15} ${head + high * 0.28}h${high * 0.3}l${-high * 0.04} ${high * 0.72}h${-high * 0.22}Z`
        }))];
}

function axis(told, { x, y }) {
  const parts = [el("line", { class: "ground-line", x1: 0, x2: SIDE.width, y1: y(0), y2: y(0) })];
  const step = [1, 2, 5, 10, 20, 50].find((each) => told.length / each <= 9) ?? 100;
  for (let at = 0; at <= told.length; at += step) parts.push(el("text", { class: "side-word tick", x: x(at),
    y: SIDE.height - 6 }, at), el("line", { class: "ground-line", x1: x(at), x2: x(at), y1: y(0), y2: y(0) + 4 }));
  return parts;
}

// ---- dragged ----

export function setUpSide(acts) {
  const svg = find("side");
  const stand = (share) => { now.at = within(share, 0.01, 1); sideView(now.device); };
  find("side-range").addEventListener("input", (event) => stand(Number(event.target.value) / 100));
  const place = (event) => {
    const box = svg.getBoundingClientRect();
    const k = SIDE.width / box.width;
    return now.scale.metres((event.clientX - box.left) * k, (event.clientY - box.top) * k);
  };
  const moved = {
    someone: ([at]) => stand(at / now.device.side.length),
    height: ([, high]) => acts.change(now.device, { height_m: within(Math.round(high * 20) / 20, 0.3, 100) }, true),
    tilt: ([at, high]) => {
      const fall = now.device.mount.height_m - high;
      acts.change(now.device, { tilt_deg: within(Math.round((Math.atan2(fall, Math.max(at,
        0.1)) * 1800) / Math.PI) / 10, -30, 89) },
        true);
    },
  };
  svg.addEventListener("pointerdown", (event) => {
    const grip = event.target.closest("[data-grip]")?.dataset.grip;
    if (!grip) return;
    svg.setPointerCapture(event.pointerId);
    now.held = grip;
  });
  svg.addEventListener("pointermove", (event) => { if (now.held) moved[now.held](place(event)); });
  svg.addEventListener("pointerup", () => {
    const held = now.held;
    now.held = null;
    if (held && held !== "someone") acts.change(now.device, {});
  });
}
