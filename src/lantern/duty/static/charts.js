// Drawings of a head's duty: the plan with its gaps, the directions of its rounds, the lanes of a day, strips of its
// numbers.
import { plainPlan } from "/static/js/plain_plan.js";
import { el, redraw, ticks } from "/static/js/svg.js";

const HOUR_S = 3600;
// So long a stretch at most has its time written every so many seconds.
const AXIS = [
  [HOUR_S, 600],
  [4 * HOUR_S, 1800],
  [12 * HOUR_S, HOUR_S],
  [Infinity, 3 * HOUR_S],
];
const LANES = [
  ["manual", "by hand"],
  ["call", "calls"],
  ["timetable", "hours"],
  ["idle", "idle"],
];
const [LEFT, RIGHT, LANE, TOP] = [128, 12, 15, 16];
const WORDS_PX = [58, 12];
const LONG_S = 300; // unseen for longer is drawn as long, where nobody wished for less

// "40 s", "3 min 20 s", "2 h 5 min".
export function lasting(s) {
  const whole = Math.round(s);
  if (whole < 100) return `${whole} s`;
  if (whole < 3600) return `${Math.floor(whole / 60)} min ${whole % 60} s`;
  const minutes = Math.round(whole / 60);
  return `${Math.floor(minutes / 60)} h ${minutes % 60} min`;
}

export const oclock = (s) =>
  `${String(Math.floor(s / 3600) % 24).padStart(2, "0")}:${String(Math.floor((s % 3600) / 60)).padStart(2, "0")}`;

export function wordOf(spot) {
  if (!spot.times) return "never";
  if (spot.word === "fail") return "bad";
  if (spot.word === "pass") return "good";
  return spot.longest_s > LONG_S ? "long" : "good";
}

export function drawPlan(svg, plan, judged, name, choose) {
  const { width_m: width, height_m: height } = plan;
  const { at, parts, unit } = plainPlan(svg, plan);
  if (judged.head) {
    const [hx, hy] = at(judged.head);
    const long = Math.min(width, height) / 5;
    for (const round of Object.values(judged.rounds ?? {}))
      round.looks
        .filter(([, , settled]) => settled)
        .forEach(([pan], n) => {
          const [dx, dy] = [Math.sin((pan * Math.PI) / 180), -Math.cos((pan * Math.PI) / 180)];
          const [x, y] = [hx + dx * long, hy + dy * long];
          parts.push(
            el("line", { class: "look", x1: hx, y1: hy, x2: x, y2: y }),
            el(
              "text",
              {
                x: x + dx * 8 * unit,
                y: y + dy * 8 * unit + 4 * unit,
                "font-size": 12 * unit,
                "text-anchor": "middle",
              },
              n + 1,
            ),
          );
        });
    parts.push(el("circle", { class: "head", cx: hx, cy: hy, r: 5 * unit }));
  }
  const written = []; // where words stand: beside them is no room for others
  (judged.places ?? []).forEach((place, n) => {
    const [x, y] = at([place[1], place[2]]);
    const spot = judged.spots[n];
    const chosen = place[0] === name ? " chosen" : "";
    const mark = el(
      "circle",
      { class: `spot ${wordOf(spot)}${chosen}`, cx: x, cy: y, r: 6 * unit, "data-spot": place[0] },
      el("title", {}, `${place[0]}: unseen for ${lasting(spot.longest_s)} at most`),
    );
    mark.addEventListener("click", () => choose(place[0]));
    parts.push(mark);
    const words = spot.times ? lasting(spot.longest_s) : "never";
    const font = { "font-size": 11 * unit, "stroke-width": 2.4 * unit };
    const isFree = written.every(
      ([a, b]) => Math.abs(a - x) > WORDS_PX[0] * unit || Math.abs(b - y) > WORDS_PX[1] * unit,
    );
    if (chosen || (spot.times && isFree)) {
      written.push([x, y]);
      parts.push(el("text", { x: x + 8 * unit, y: y + 4 * unit, ...font }, words));
    }
  });
  redraw(svg, parts);
}

// Pan along, tilt down: where it looks, in order, the shorter way from each to the next.
export function drawSphere(svg, rounds) {
  const [width, height] = [540, 96];
  svg.setAttribute("viewBox", `0 0 ${width} ${height}`);
  const settled = Object.values(rounds ?? {}).flatMap(({ looks }) => looks);
  const most = Math.max(30, ...settled.map(([, tilt]) => tilt));
  const x = (pan) => (pan / 360) * width;
  const y = (tilt) => 12 + (Math.max(tilt, 0) / most) * (height - 30);
  const parts = ["N", "E", "S", "W"].map((word, n) =>
    el(
      "g",
      {},
      el("line", { class: "grid", x1: x(n * 90), x2: x(n * 90), y1: 0, y2: height - 12 }),
      el("text", { x: x(n * 90) + 3, y: height - 2 }, `${word} ${n * 90}°`),
    ),
  );
  for (const { looks } of Object.values(rounds ?? {})) {
    looks.forEach(([pan, tilt], n) => {
      const [next, nextTilt] = looks[(n + 1) % looks.length];
      const turn = ((next - pan + 540) % 360) - 180;
      for (const shift of [0, pan + turn < 0 ? 360 : pan + turn > 360 ? -360 : null])
        if (shift !== null)
          parts.push(
            el("line", { class: "way", x1: x(pan + shift), y1: y(tilt), x2: x(pan + turn + shift), y2: y(nextTilt) }),
          );
    });
    const stops = looks.filter((look) => look[2]);
    stops.forEach(([pan, tilt], n) => {
      parts.push(
        el("circle", { class: "stop", cx: x(pan), cy: y(tilt), r: 4 }),
        el("text", { x: x(pan) + 6, y: y(tilt) + 4 }, n + 1),
      );
    });
  }
  redraw(svg, parts);
}

export function drawLanes(svg, judged, name) {
  const width = svg.clientWidth || 1000;
  const spots = judged.spots.filter(({ times }) => times);
  const height = TOP + (LANES.length + spots.length) * LANE + 8;
  svg.setAttribute("viewBox", `0 0 ${width} ${height}`);
  svg.style.height = `${height}px`;
  const [known, ends] = judged.span;
  const [first, last] = [Math.floor(known / HOUR_S) * HOUR_S, Math.ceil(ends / HOUR_S) * HOUR_S]; // of a day that was
  const x = (s) => LEFT + ((s - first) / (last - first)) * (width - LEFT - RIGHT);
  const every = AXIS.find(([most]) => last - first <= most)[1];
  const parts = [];
  for (let s = first; s <= last; s += every)
    parts.push(
      el("line", { class: "hour", x1: x(s), x2: x(s), y1: TOP - 3, y2: height - 4 }),
      el("text", { x: x(s), y: 11, "text-anchor": "middle" }, oclock(s)),
    );
  for (const [from, to] of [
    [first, known],
    [ends, last],
  ])
    if (to - from > 1)
      parts.push(
        el(
          "rect",
          { class: "unknown", x: x(from), y: TOP, width: x(to) - x(from), height: height - TOP - 4 },
          el("title", {}, "Nothing is known of this time"),
        ),
      );
  LANES.forEach(([by, words], lane) => {
    const y = TOP + lane * LANE;
    parts.push(el("text", { x: 8, y: y + 11 }, words));
    for (const [from, to, held, what] of judged.lanes)
      if (held === by)
        parts.push(
          el(
            "rect",
            { class: `by-${by}`, x: x(from), y: y + 2, width: Math.max(x(to) - x(from), 0.6), height: LANE - 4 },
            el("title", {}, `${what ?? ""} ${oclock(from)}, ${lasting(to - from)}`),
          ),
        );
  });
  spots.forEach((spot, n) => {
    const y = TOP + (LANES.length + n) * LANE;
    const word = wordOf(spot);
    parts.push(
      el("text", { x: 8, y: y + 11, "font-weight": spot.name === name ? 700 : 500 }, spot.name.slice(0, 22)),
      el(
        "rect",
        {
          class: `gap ${word === "good" ? "kept" : ""}`,
          x: x(spot.from_s),
          y: y + 3,
          width: Math.max(x(spot.to_s) - x(spot.from_s), 2),
          height: LANE - 6,
        },
        el("title", {}, `${spot.name}: unseen from ${oclock(spot.from_s)} for ${lasting(spot.longest_s)}`),
      ),
    );
  });
  redraw(svg, parts);
}

// The longest time unseen by each value of one number: a stair, the wish across it, a pin at what it is.
export function strip(svg, { title, points, now }, wish, set) {
  const [width, height, left, top, bottom] = [380, 74, 58, 16, 15];
  svg.setAttribute("viewBox", `0 0 ${width} ${height}`);
  const most = Math.max(...points.map(([, gap]) => gap), wish ?? 0, 1);
  const x = (at) => left + (at / (points.length - 1)) * (width - left - 10);
  const y = (gap) => height - bottom - (gap / most) * (height - top - bottom);
  const line = points.map(([, gap], at) => `${x(at)},${y(gap)}`);
  const near = points.reduce(
    (best, [value], at) => (Math.abs(value - now) < Math.abs(points[best][0] - now) ? at : best),
    0,
  );
  const parts = [
    el("text", { class: "title", x: left, y: 11 }, title),
    el("polygon", { class: "area", points: `${x(0)},${y(0)} ${line.join(" ")} ${x(points.length - 1)},${y(0)}` }),
    ...points.map(([value], at) =>
      at % 2 && points.length > 8 ? null : el("text", { x: x(at), y: height - 3, "text-anchor": "middle" }, value),
    ),
    ...ticks(0, most, 2).map((tick) =>
      el("text", { x: left - 4, y: y(tick) + 4, "text-anchor": "end" }, lasting(tick)),
    ),
    wish ? el("line", { class: "wish", x1: left, x2: width - 10, y1: y(wish), y2: y(wish) }) : null,
    now === null ? null : el("line", { class: "pin", x1: x(near), x2: x(near), y1: top - 4, y2: height - bottom }),
  ];
  redraw(
    svg,
    parts.filter((part) => part !== null),
  );
  svg.onclick = (event) => {
    const box = svg.getBoundingClientRect();
    const share = (((event.clientX - box.left) / box.width) * width - left) / (width - left - 10);
    const at = Math.round(Math.min(Math.max(share, 0), 1) * (points.length - 1));
    set(points[at][0]);
  };
}
