// A camera from the side, along its axis: what it sees of the ground and of who stands there, and what hides it.
import { el } from "/static/js/svg.js";
import { short } from "./parts.js";
import { axis, nearestTo, person, within } from "./side_parts.js";

const SIDE = { width: 690, height: 150, left: 34, bottom: 22, top: 14, right: 10 };

export const size = [SIDE.width, SIDE.height];
export const title = (device) => `${device.code} from the side, along its axis, metres`;

export function scales(told) {
  const [wide, high] = [SIDE.width - SIDE.left - SIDE.right, SIDE.height - SIDE.bottom - SIDE.top];
  const tall = Math.max(told.height * 1.25, 3, ...told.walls.map((wall) => wall[2]));
  return {
    x: (m) => SIDE.left + (m / told.length) * wide,
    y: (m) => SIDE.height - SIDE.bottom - (m / tall) * high,
    metres: (px, py) => [((px - SIDE.left) / wide) * told.length, ((SIDE.height - SIDE.bottom - py) / high) * tall],
  };
}

export function draw(told, scale, grips) {
  return [
    ...ground(told, scale),
    ...standing(told, scale),
    ...lookedAt(told, scale),
    ...camera(told, scale, grips),
    ...axis(0, told.length, scale, size),
  ];
}

function ground(told, { x, y }) {
  const eye = `${x(0)},${y(told.height)}`;
  const far = Math.min(told.far ?? told.length, told.length);
  const near = Math.max(told.near ?? 0, 0);
  const level = y(told.height);
  const above = told.far === null ? `${x(told.length)},${level}` : "";
  const parts = [el("polygon", { class: "seen", points: `${eye} ${x(near)},${y(0)} ${x(far)},${y(0)} ${above}` })];
  if (near > 0) parts.push(el("polygon", { class: "beneath", points: `${eye} ${x(near)},${y(0)} ${x(0)},${y(0)}` }));
  if (told.far === null) {
    const end = SIDE.width - SIDE.right;
    parts.push(
      el("line", { class: "horizon", x1: x(0), x2: end, y1: level, y2: level }),
      el("text", { class: "side-word quiet-word", x: end, y: level - 3, "text-anchor": "end" }, "horizon"),
    );
  }
  if (told.sharp) {
    const [from, to] = told.sharp.map((at) => x(Math.min(at ?? told.length, told.length)));
    parts.push(
      el(
        "rect",
        { class: "sharp", x: from, y: y(0) - 3, height: 3, width: Math.max(to - from, 0) },
        el("title", {}, "sharp"),
      ),
    );
  }
  return parts;
}

function standing(told, { x, y }) {
  const parts = [];
  for (const [from, to] of told.hidden) {
    const width = Math.max(x(Math.min(to, told.length)) - x(from), 0);
    parts.push(el("rect", { class: "hidden-ground", x: x(from), y: y(0) - 4, width, height: 4 }));
  }
  for (const [name, at, high, again] of told.walls) {
    parts.push(
      el(
        "rect",
        { class: "wall-side", x: x(at) - 1.5, y: y(high), width: 3, height: y(0) - y(high) },
        el("title", {}, name),
      ),
    );
    if (again === null) continue;
    // the sight line over its top, down to where the ground is seen again
    parts.push(el("line", { class: "sight over", x1: x(0), y1: y(told.height), x2: x(again), y2: y(0) }));
  }
  for (const [name, px, at] of told.grades.filter((grade) => grade[2] < told.length)) {
    parts.push(
      el("line", { class: "contour", x1: x(at), x2: x(at), y1: SIDE.top, y2: y(0) }),
      el("text", { class: "side-word grade", x: x(at) + 3, y: SIDE.top + 9 }, `${short(px)} ${name}`),
    );
  }
  return parts;
}

const before = (told) => told.aims.filter((aim) => aim[1] > 0 && aim[1] < told.length);

function lookedAt(told, { x, y }) {
  return before(told).flatMap(([name, at, high], n) => [
    el("line", { class: "sight", x1: x(0), y1: y(told.height), x2: x(at), y2: y(high) }),
    el("rect", { class: "target", x: x(at) - 2.5, y: y(high) - 6, width: 5, height: 6 }),
    el("text", { class: "side-word", x: x(at) + 5, y: y(high) - 7 - 11 * n }, name),
  ]);
}

function camera(told, { x, y }, grips) {
  const away = reachOfAxis(told);
  const [eye, foot] = [[x(0), y(told.height)], y(0)];
  const end = [x(away), y(told.height - away * Math.tan((told.tilt * Math.PI) / 180))];
  const parts = [
    el("line", { class: "optical-axis", x1: eye[0], y1: eye[1], x2: end[0], y2: end[1] }),
    el("line", { class: "pole", x1: eye[0], x2: eye[0], y1: eye[1], y2: foot }),
    el("rect", { class: "eye", x: eye[0] - 4, y: eye[1] - 4, width: 10, height: 7 }),
  ];
  if (!grips) return parts;
  return [
    ...parts,
    el(
      "circle",
      { class: "side-grip", cx: eye[0], cy: eye[1], r: 8, "data-grip": "height" },
      el("title", {}, "drag: height"),
    ),
    el(
      "circle",
      { class: "side-grip axis-grip", cx: end[0], cy: end[1], r: 5, "data-grip": "tilt" },
      el("title", {}, "drag: tilt"),
    ),
  ];
}

// As far along the axis as the drawing shows it, so that there is something to hold.
const reachOfAxis = (told) => {
  const fall = Math.tan((told.tilt * Math.PI) / 180);
  return fall > 0 ? Math.min((told.height / fall) * 0.85, told.length * 0.6) : told.length * 0.6;
};

// ---- somebody ----

// Where they stand at first: a little beyond what it looks at.
export const firstAt = (told) => within((before(told)[0]?.[1] ?? told.length * 0.55) / told.length + 0.12, 0.05, 0.97);
export const shareOf = (told, [at]) => at / told.length;

export function someone(told, share, { x, y }) {
  if (!told.someone.length) return null;
  const [at, density, tall, words] = nearestTo(share * told.length, told.someone);
  const high = tall === null ? "not in front of it" : `${short(tall, 0)} px`;
  return {
    drawn: person(x(at), y(0), y(told.upright)),
    words: `${short(at)} m away: ${short(density)} px/m, ${words}; ${told.upright} m are ${high}`,
  };
}
