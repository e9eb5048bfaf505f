// A camera that looks straight down, across its azimuth, in true proportion: how wide it sees at the floor and at a
// shoulder, which ways it is for, and whether who stands there is in the picture.
import { el } from "/static/js/svg.js";
import { short } from "./parts.js";
import { axis, nearestTo, person } from "./side_parts.js";

const [WIDTH, HEIGHT, TOP, BOTTOM, SIDES] = [690, 210, 14, 22, 250];
const [HIGH, MIDDLE] = [HEIGHT - TOP - BOTTOM, WIDTH / 2];

export const size = [WIDTH, HEIGHT];
export const title = (device) => `${device.code} from the side, across its azimuth, metres`;

export function scales(told) {
  const k = Math.min(HIGH / Math.max(told.height * 1.05, told.upright * 1.1), (WIDTH - SIDES) / (2 * told.half));
  const [x, y] = [(m) => MIDDLE + m * k, (m) => HEIGHT - BOTTOM - m * k];
  return { x, y, metres: (px, py) => [(px - MIDDLE) / k, (HEIGHT - BOTTOM - py) / k] };
}

export function draw(told, scale, grips) {
  const { x, y } = scale;
  const [eye, foot] = [[x(0), y(told.height)], told.floor.map((end) => `${x(end)},${y(0)}`)];
  const parts = [el("polygon", { class: "seen", points: `${eye} ${foot.join(" ")}` })];
  parts.push(...width(told, told.floor, 0, "at the floor", scale));
  if (told.shoulder !== null) {
    const words = `at a shoulder, ${short(told.shoulder_at, 2)} m up`;
    parts.push(...width(told, told.shoulder, told.shoulder_at, words, scale));
  }
  for (const [n, lane] of told.lanes.entries()) parts.push(...way(told, lane, n, scale));
  parts.push(
    el("line", { class: "pole", x1: x(-0.3), x2: x(0.3), y1: eye[1] - 4, y2: eye[1] - 4 }),
    el("rect", { class: "eye", x: eye[0] - 5, y: eye[1] - 4, width: 10, height: 7 }),
  );
  if (grips)
    parts.push(
      el(
        "circle",
        { class: "side-grip", cx: eye[0], cy: eye[1], r: 10, "data-grip": "height" },
        el("title", {}, "drag: height"),
      ),
    );
  return [...parts, ...axis(-told.half, told.half, scale, size)];
}

// How wide it sees at a height, with the figure beside it.
function width(told, [from, to], above, words, { x, y }) {
  const said = `${short(to - from, 2)} m ${words}`;
  return [
    el("line", { class: "contour", x1: x(from), x2: x(to), y1: y(above), y2: y(above) }),
    el("text", { class: "side-word grade", x: x(told.half) + 6, y: y(above) - 3 }, said),
  ];
}

// A way that must be seen: what lies within the picture at a shoulder, and what does not.
function way(told, [name, begins, ends, ...seen], n, { x, y }) {
  const missed =
    seen[1] > seen[0]
      ? [
          [begins, seen[0]],
          [seen[1], ends],
        ]
      : [[begins, ends]];
  const at = y(told.shoulder_at) + 5 + 14 * n;
  const line = (kind, from, to) =>
    to > from ? [el("line", { class: kind, x1: x(from), x2: x(to), y1: at, y2: at })] : [];
  return [
    ...[begins, ends].map((end) => el("line", { class: "sight", x1: x(end), x2: x(end), y1: y(0), y2: at - 8 })),
    ...missed.flatMap((part) => line("way-missed", ...part)),
    ...line("way-seen", ...seen),
    el("text", { class: "side-word", x: x(-told.half) - 6, y: at + 3, "text-anchor": "end" }, name),
  ];
}

export const firstAt = () => 0.62;
export const placeOf = (told, share) => (2 * share - 1) * told.half;
export const shareOf = (told, [at]) => (at / told.half + 1) / 2;

export function someone(told, share, { x, y }) {
  if (!told.someone.length) return null;
  const [at, words] = nearestTo(placeOf(told, share), told.someone);
  return { drawn: person(x(at), y(0), y(told.upright)), words: `${short(Math.abs(at), 2)} m aside: ${words}` };
}
