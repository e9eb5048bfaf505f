// The lanes of a time axis: what each draws of its data, from y downwards. A lane of one output or timetable has its
// name behind a colon.
import { el, glyph, short, ticks } from "/static/js/svg.js";
import { show } from "/static/js/units.js";

export const RIGHT = 66; // px that the level's grip takes

function reading(axis, y, height) {
  const { readings, level, relaxed } = axis.data;
  const all = Object.values(readings)
    .flatMap((r) => r.x)
    .filter((v) => Math.abs(v) < 1e6);
  let low = Math.min(...all, level ?? Infinity);
  let high = Math.max(...all, level ?? -Infinity);
  if (!Number.isFinite(low)) [low, high] = [0, 1];
  const pad = Math.max((high - low) * 0.07, 0.5);
  [low, high] = axis.frozen ?? [low - pad, high + pad];
  if (Object.values(readings).some((r) => r.as === "stems")) low = Math.min(low + pad, 0);
  axis.span = [low, high];
  axis.y = (v) => y + height - ((v - low) / (high - low)) * height;
  axis.fromY = (py) => low + ((y + height - py) / height) * (high - low);
  const parts = [
    el("rect", {
      class: "frame",
      x: axis.left,
      y,
      width: axis.width - axis.left - RIGHT,
      height,
      "data-lane": "reading",
    }),
  ];
  const { step, ticks: times } = axisTicks(axis);
  for (const t of times)
    parts.push(
      el("line", { class: "grid", x1: axis.x(t), x2: axis.x(t), y1: y, y2: y + height }),
      el("text", { class: "tick", x: axis.x(t) + 3, y: y + height + 12 }, axis.said(t, step < 60)),
    );
  const q = axis.quantity;
  for (const shown of ticks(show(q, low), show(q, high), 3).slice(0, 5)) {
    const at = axis.y((shown - q.offset) / q.factor);
    if (at > y + 9)
      parts.push(
        el("text", { class: "tick", x: axis.left - 4, y: at + 3, "text-anchor": "end", opacity: 0.85 }, short(shown)),
      );
  }
  for (const [a, b, why] of axis.data.unknown)
    parts.push(
      el(
        "rect",
        { class: "unknown", x: axis.x(a), y, width: Math.max(axis.x(b) - axis.x(a), 1.5), height },
        el("title", {}, `unknown: ${why}`),
      ),
    );
  Object.entries(readings).forEach(([, r], index) =>
    parts.push(
      el("path", {
        class: r.as === "stems" ? "reading stems" : `reading reading-${index % 3}`,
        d: path(axis, r, high, low),
        "pointer-events": "none",
      }),
    ),
  );
  if (relaxed !== null && relaxed > low && relaxed < high)
    parts.push(
      el("line", {
        class: "relaxed",
        x1: axis.left,
        x2: axis.width - RIGHT,
        y1: axis.y(relaxed),
        y2: axis.y(relaxed),
        "pointer-events": "none",
      }),
    );
  if (level !== null && level !== undefined) {
    const py = Math.min(Math.max(axis.y(level), y), y + height);
    const end = axis.width - RIGHT;
    parts.push(
      el("line", { class: "level", x1: axis.left, x2: end, y1: py, y2: py }),
      el("line", { class: "level-zone", x1: axis.left, x2: end, y1: py, y2: py, "data-level": "1" }),
      el("rect", { class: "level-grip", x: end, y: py - 9, width: 60, height: 18, "data-level": "1" }),
      el(
        "text",
        { class: "level-text", x: end + 6, y: py + 4 },
        `${short(show(axis.quantity, level))} ${axis.quantity.unit}`,
      ),
    );
  }
  return parts;
}

// How dark it was: [from, to, 0 bright to 1 dark, in words] each.
function light(axis, y, height) {
  return [
    ...axis.data.light.map(([a, b, dark, words]) =>
      el(
        "rect",
        {
          class: "dark",
          x: axis.x(a),
          y: y + 4,
          width: Math.max(axis.x(b) - axis.x(a), 1),
          height: height - 8,
          "shape-rendering": "crispEdges",
          "fill-opacity": dark.toFixed(2),
        },
        el("title", {}, words),
      ),
    ),
    el("rect", {
      class: "light-frame",
      x: axis.left,
      y: y + 4,
      width: axis.width - axis.left - RIGHT,
      height: height - 8,
    }),
  ];
}

function path(axis, reading, high, low) {
  const margin = (high - low) * 0.02;
  let d = "";
  if (reading.as === "stems") {
    const foot = axis.y(low).toFixed(1);
    reading.t_s.forEach((t, i) => {
      d += `M${axis.x(t).toFixed(1)} ${foot}V${axis.y(reading.x[i]).toFixed(1)}`;
    });
    return d;
  }
  for (let i = 0; i < reading.t_s.length; i++)
    d +=
      `${i ? "L" : "M"}${axis.x(reading.t_s[i]).toFixed(1)} ` +
      `${axis.y(Math.min(Math.max(reading.x[i], low - margin), high + margin)).toFixed(1)}`;
  return d;
}

function axisTicks(axis) {
  if (!axis.timed) return { step: 1, ticks: ticks(...axis.view, 10) };
  const span = axis.view[1] - axis.view[0];
  const step = [5, 10, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200].find((s) => span / s <= 11) ?? 14400;
  const began = axis.take.start + axis.take.offsetS;
  const times = [];
  for (let t = Math.ceil((began + axis.view[0]) / step) * step - began; t <= axis.view[1]; t += step) times.push(t);
  return { step, ticks: times };
}

function marks(axis, y, height) {
  const parts = [
    el("rect", {
      x: axis.left,
      y,
      width: axis.width - axis.left - RIGHT,
      height,
      fill: "transparent",
      "data-lane": "marks",
    }),
  ];
  for (const mark of axis.data.marks) {
    const [x0, x1] = [axis.x(mark.start_s), axis.x(mark.end_s)];
    const open = mark.lead_s ? axis.x(mark.start_s - mark.lead_s) : x0; // nobody said when it began
    const missed = axis.data.missed.includes(mark.id);
    const other = axis.own && mark.detector && mark.detector !== axis.own; // speaks of another detector
    const group = el("g", {
      "data-mark": mark.id,
      opacity: other ? 0.3 : null,
      role: "button",
      "aria-label": `${mark.label} mark ${axis.said(mark.start_s, true)} ${mark.note}`,
    });
    if (open < x0)
      group.append(
        el(
          "rect",
          { class: "mark mark-open", x: open, y: y + 2, width: x0 - open, height: height - 4 },
          el("title", {}, "Nobody said when it began: a raise from here on finds it. Drag its beginning to say so."),
        ),
      );
    group.append(
      el(
        "rect",
        {
          class:
            `mark mark-${mark.label} ${missed ? "mark-missed" : ""} ` +
            `${mark.id === axis.data.chosenMark ? "chosen" : ""}`,
          x: x0,
          y: y + 2,
          width: Math.max(x1 - x0, 3),
          height: height - 4,
        },
        el("title", {}, `${mark.label}${mark.note ? `: ${mark.note}` : ""}`),
      ),
    );
    if (missed) group.append(glyph("miss", (x0 + x1) / 2, y + height / 2, 5));
    if (axis.on.markDone)
      group.append(
        el("rect", { class: "grip", x: x0 - 3, y, width: 7, height, "data-edge": "start" }),
        el("rect", { class: "grip", x: Math.max(x1, x0 + 3) - 3, y, width: 7, height, "data-edge": "end" }),
      );
    parts.push(group);
  }
  if (axis.draft)
    parts.push(
      el("rect", {
        class: "draft",
        x: axis.x(Math.min(...axis.draft)),
        y,
        width: Math.abs(axis.x(axis.draft[1]) - axis.x(axis.draft[0])),
        height,
      }),
    );
  return parts;
}

const WORDS = { false: "false alarm", plain: "began" };

function events(axis, y, height) {
  return axis.data.events.map((event, index) => {
    const mark = glyph(event.verdict, axis.x(event.raised_s), y + height / 2, index === axis.data.chosen ? 7.5 : 6);
    return el(
      "g",
      { class: "event", "data-event": index },
      el("rect", { x: axis.x(event.raised_s) - 8, y, width: 16, height, fill: "transparent" }),
      mark,
      el("title", {}, `${WORDS[event.verdict] ?? event.verdict} at ${axis.said(event.raised_s, true)}`),
    );
  });
}

function armed(axis, y, height, name) {
  const parts = [
    el("rect", { class: "asleep", x: axis.left, y: y + 5, width: axis.width - axis.left - RIGHT, height: height - 10 }),
  ];
  for (const [a, b] of axis.data.armed[name] ?? [])
    parts.push(
      el("rect", { class: "armed", x: axis.x(a), y: y + 5, width: axis.x(b) - axis.x(a), height: height - 10 }),
    );
  return parts;
}

function effects(axis, y, height, name) {
  return axis.data.effects
    .filter((e) => e.output === name)
    .map((e) => {
      const end = Math.min(e.off_s ?? axis.take.lengthS, axis.take.lengthS);
      return el(
        "rect",
        {
          class: e.off_s === null ? "effect latched" : "effect",
          x: axis.x(e.on_s),
          y: y + 4,
          width: Math.max(axis.x(end) - axis.x(e.on_s), 2),
          height: height - 8,
          "data-effect": e.events[0],
        },
        el("title", {}, e.off_s === null ? "latched until acknowledged" : `${short(end - e.on_s)} s`),
      );
    });
}

// How long each raise keeps others back: [from, to, in words] each.
function heldOff(axis, y, height) {
  return axis.data.held.map(([a, b, words]) =>
    el(
      "rect",
      { class: "held-off", x: axis.x(a), y: y + 5, width: Math.max(axis.x(b) - axis.x(a), 1.5), height: height - 10 },
      el("title", {}, words),
    ),
  );
}

const LANES = { reading, light, marks, events, armed, effects, "held off": heldOff };

export function laneParts(axis, lane, y, height) {
  const [sort, name] = lane.split(/:(.*)/, 2);
  return LANES[sort](axis, y, height, name);
}
