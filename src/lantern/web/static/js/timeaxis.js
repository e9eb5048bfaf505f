// One time axis for a take: marks, readings with the threshold, events, effects, timetables; a shared cursor.
import { clock, el, glyph, redraw, short, ticks } from "./svg.js";
import { PLAIN, show } from "./units.js";

const RIGHT = 66;

// `lanes`: names from top to bottom out of marks, reading, events, armed, effects:NAME. `on`: cursor, level,
// levelDone, mark, markDone, pick.
export class TimeAxis {
  constructor(svg, take, { lanes, readingHeight = 104, left = 214, quantity = PLAIN, on = {} }) {
    Object.assign(this, { svg, take, lanes, readingHeight, left, quantity, on });
    this.cursor = 0;
    this.data = { readings: {}, events: [], marks: [], effects: [], armed: {}, light: [], level: null, relaxed: null, missed: [],
      unknown: [], chosenMark: null, chosen: null };
    this.view = [0, take.lengthS];
    this.#listen();
    new ResizeObserver(() => this.draw()).observe(svg.parentElement);
  }

  set(data) {
    Object.assign(this.data, data);
    this.draw();
  }

  setCursor(t) {
    this.cursor = Math.min(Math.max(t, 0), this.take.lengthS);
    const at = this.x(this.cursor);
    if (Math.abs(at - this.shownAt) < 0.5) return; // not to be seen, and moving it draws the lanes again
    this.shownAt = at;
    this.svg.querySelectorAll(".cursor").forEach((line) => { line.setAttribute("x1", at); line.setAttribute("x2", at);
      });
  }

  x(t) { return this.left + ((t - this.view[0]) / (this.view[1] - this.view[0])) * (this.width - this.left - RIGHT); }
  t(x) { return Math.min(Math.max(this.view[0] + ((x - this.left) / (this.width - this.left - RIGHT)) * (this.view[1] - this.view[0]), 0), this.take.lengthS); }

  #heights() {
    const out = {};
    let y = 4;
    for (const lane of this.lanes) {
      const height = lane === "reading" ? this.readingHeight : lane === "marks" ? 19 : 18;
      out[lane] = [y, height];
      y += height + (lane === "reading" ? 16 : 1);
    }
    this.height = y + 1;
    return out;
  }

  draw() {
    this.width = Math.max(this.svg.parentElement.clientWidth, 480);
    const at = this.#heights();
    this.at = at;
    this.svg.setAttribute("viewBox", `0 0 ${this.width} ${this.height}`);
    this.svg.style.height = `${this.height}px`;
    const parts = [];
    for (const lane of this.lanes) {
      const [y, height] = at[lane];
      const traces = Object.keys(this.data.readings);
      const name = lane === "reading" && traces.length === 1 && ["in view", "inside", "passages"].includes(traces[0])
        ? traces[0] : lane.startsWith("effects:") ? lane.slice(8) : lane.startsWith("armed:")
          ? `armed: ${lane.slice(6)}` : lane;
      parts.push(el("text", { class: "name", x: this.left - (lane === "reading" ? 44 : 12), y: y + height / 2 + 4 },
        name));
      if (lane === "reading") parts.push(...this.#reading(y, height));
      else if (lane === "marks") parts.push(...this.#marks(y, height));
      else if (lane === "events") parts.push(...this.#events(y, height));
      else if (lane === "light") parts.push(...this.#light(y, height));
      else if (lane.startsWith("armed:")) parts.push(...this.#armed(lane.slice(6), y, height));
      else if (lane.startsWith("effects:")) parts.push(...this.#effects(lane.slice(8), y, height));
    }
    const cursor = this.x(this.cursor);
    parts.push(el("line", { class: "cursor", x1: cursor, x2: cursor, y1: 2, y2: this.height - 2,
      "pointer-events": "none" }));
    redraw(this.svg, parts);
    this.shownAt = cursor;
  }

  #reading(y, height) {
    const { readings, level, relaxed } = this.data;
    const all = Object.values(readings).flatMap((r) => r.x).filter((v) => Math.abs(v) < 1e6);
    let low = Math.min(...all, level ?? Infinity);
    let high = Math.max(...all, level ?? -Infinity);
    if (!Number.isFinite(low)) [low, high] = [0, 1];
    const pad = Math.max((high - low) * 0.07, 0.5);
    [low, high] = this.frozen ?? [low - pad, high + pad];
    if (Object.values(readings).some((r) => r.as === "stems")) low = Math.min(low + pad, 0);
    this.span = [low, high];
    this.y = (v) => y + height - ((v - low) / (high - low)) * height;
    this.fromY = (py) => low + ((y + height - py) / height) * (high - low);
    const parts = [el("rect", { class: "frame", x: this.left, y, width: this.width - this.left - RIGHT, height,
      "data-lane": "reading" })];
    const { step, ticks: times } = this.#timeTicks();
    for (const t of times) parts.push(el("line", { class: "grid", x1: this.x(t), x2: this.x(t), y1: y,
      y2: y + height }), el("text", { class: "tick", x: this.x(t) + 3, y: y + height + 12 },
      clock(this.take, t, step < 60)));
    const q = this.quantity;
    for (const shown of ticks(show(q, low), show(q, high), 3).slice(0, 5)) {
      const at = this.y((shown - q.offset) / q.factor);
      if (at > y + 9) parts.push(el("text", { class: "tick", x: this.left - 4, y: at + 3, "text-anchor": "end",
        opacity: 0.85 }, short(shown)));
    }
    for (const [a, b, why] of this.data.unknown) parts.push(el("rect", { class: "unknown", x: this.x(a), y,
      width: Math.max(this.x(b) - this.x(a), 1.5), height }, el("title", {}, `unknown: ${why}`)));
    Object.entries(readings).forEach(([, r], index) => parts.push(el("path", { class: r.as === "stems" ? "reading stems" : `reading reading-${index % 3}`,
      d: this.#path(r, high, low), "pointer-events": "none" })));
    if (relaxed !== null && relaxed > low && relaxed < high) parts.push(el("line", { class: "relaxed", x1: this.left,
      x2: this.width - RIGHT, y1: this.y(relaxed), y2: this.y(relaxed), "pointer-events": "none" }));
    if (level !== null && level !== undefined) {
      const py = Math.min(Math.max(this.y(level), y), y + height);
      const end = this.width - RIGHT;
      parts.push(el("line", { class: "level", x1: this.left, x2: end, y1: py, y2: py }), el("line", {
        class: "level-zone", x1: this.left, x2: end, y1: py, y2: py, "data-level": "1" }), el("rect", {
          class: "level-grip", x: end, y: py - 9, width: 60, height: 18, "data-level": "1" }), el("text", {
            class: "level-text", x: end + 6, y: py + 4 },
              `${short(show(this.quantity, level))} ${this.quantity.unit}`));
    }
    return parts;
  }

  // How dark it was: [from, to, 0 bright to 1 dark, in words] each.
  #light(y, height) {
    return [...this.data.light.map(([a, b, dark, words]) => el("rect", { class: "dark", x: this.x(a), y: y + 4,
      width: Math.max(this.x(b) - this.x(a), 1), height: height - 8, "shape-rendering": "crispEdges", "fill-opacity": dark.toFixed(2) }, el("title",
      {}, words))), el("rect", { class: "light-frame", x: this.left, y: y + 4, width: this.width - this.left - RIGHT,
        height: height - 8 })];
  }

  #path(reading, high, low) {
    const margin = (high - low) * 0.02;
    let d = "";
    if (reading.as === "stems") {
      const foot = this.y(low).toFixed(1);
      reading.t_s.forEach((t, i) => { d += `M${this.x(t).toFixed(1)} ${foot}V${this.y(reading.x[i]).toFixed(1)}`; });
      return d;
    }
    for (let i = 0; i < reading.t_s.length;
      i++) d += `${i ? "L" : "M"}${this.x(reading.t_s[i]).toFixed(1)} ${this.y(Math.min(Math.max(reading.x[i], low - margin), high + margin)).toFixed(1)}`;
    return d;
  }

  #timeTicks() {
    const span = this.view[1] - this.view[0];
    const step = [5, 10, 30, 60, 120, 300, 600, 900, 1800, 3600, 7200].find((s) => span / s <= 11) ?? 14400;
    const began = this.take.start + this.take.offsetS;
    const times = [];
    for (let t = Math.ceil((began + this.view[0]) / step) * step - began; t <= this.view[1]; t += step) times.push(t);
    return { step, ticks: times };
  }

  #marks(y, height) {
    const parts = [el("rect", { x: this.left, y, width: this.width - this.left - RIGHT, height, fill: "transparent",
      "data-lane": "marks" })];
    for (const mark of this.data.marks) {
      const [x0, x1] = [this.x(mark.start_s), this.x(mark.end_s)];
      const missed = this.data.missed.includes(mark.id);
      const other = this.own && mark.detector && mark.detector !== this.own; // speaks of another detector
      const group = el("g", { "data-mark": mark.id, opacity: other ? 0.3 : null, role: "button",
        "aria-label": `${mark.label} mark ${clock(this.take, mark.start_s, true)} ${mark.note}` });
      group.append(el("rect", {
        class: `mark mark-${mark.label} ${missed ? "mark-missed" : ""} ${mark.id === this.data.chosenMark ? "chosen" : ""}`, x: x0, y: y + 2, width: Math.max(x1 - x0, 3), height: height - 4 }, el("title", {}, `${mark.label}${mark.note ? `: ${mark.note}` : ""}`)));
      if (missed) group.append(glyph("miss", (x0 + x1) / 2, y + height / 2, 5));
      if (this.on.markDone) group.append(el("rect", { class: "grip", x: x0 - 3, y, width: 7, height,
        "data-edge": "start" }), el("rect", { class: "grip", x: Math.max(x1, x0 + 3) - 3, y, width: 7, height,
          "data-edge": "end" }));
      parts.push(group);
    }
    if (this.draft) parts.push(el("rect", { class: "draft", x: this.x(Math.min(...this.draft)), y,
      width: Math.abs(this.x(this.draft[1]) - this.x(this.draft[0])), height }));
    return parts;
  }

  #events(y, height) {
    return this.data.events.map((event, index) => {
      const mark = glyph(event.verdict === "false" ? "false" : event.verdict, this.x(event.raised_s), y + height / 2,
        index === this.data.chosen ? 7.5 : 6);
      return el("g", { class: "event", "data-event": index }, el("rect", { x: this.x(event.raised_s) - 8, y, width: 16,
        height, fill: "transparent" }), mark, el("title", {},
          `${event.verdict === "false" ? "false alarm" : event.verdict} at ${clock(this.take, event.raised_s, true)}`));
    });
  }

  #armed(name, y, height) {
    const parts = [el("rect", { class: "asleep", x: this.left, y: y + 5, width: this.width - this.left - RIGHT,
      height: height - 10 })];
    for (const [a, b] of this.data.armed[name] ?? []) parts.push(el("rect", { class: "armed", x: this.x(a), y: y + 5,
      width: this.x(b) - this.x(a), height: height - 10 }));
    return parts;
  }

  #effects(name, y, height) {
    return this.data.effects.filter((e) => e.output === name).map((e) => {
      const end = Math.min(e.off_s ?? this.take.lengthS, this.take.lengthS);
      return el("rect", { class: e.off_s === null ? "effect latched" : "effect", x: this.x(e.on_s), y: y + 4,
        width: Math.max(this.x(end) - this.x(e.on_s), 2), height: height - 8, "data-effect": e.events[0] }, el("title",
          {}, e.off_s === null ? "latched until acknowledged" : `${short(end - e.on_s)} s`));
    });
  }

  // ---- pointer ----

  #listen() {
    let drag = null;
    const at = (event) => {
      const box = this.svg.getBoundingClientRect();
      const factor = this.width / box.width;
      return [(event.clientX - box.left) * factor, (event.clientY - box.top) * factor];
    };
    this.svg.addEventListener("pointerdown", (event) => {
      if (event.button !== 0) return;
      const [px, py] = at(event);
      const struck = event.target.closest("[data-level], [data-edge], [data-mark], [data-event], [data-effect], [data-lane]");
      const data = struck?.dataset ?? {};
      this.svg.setPointerCapture(event.pointerId);
      if (data.level && this.on.level) { drag = { what: "level" }; this.frozen = this.span; return; }
      const group = event.target.closest("[data-mark]");
      if (group) {
        const mark = this.data.marks.find((m) => m.id === Number(group.dataset.mark));
        this.on.mark?.(mark);
        if (this.on.markDone) drag = { what: "mark", mark, edge: event.target.dataset.edge ?? "both", from: this.t(px),
          start: mark.start_s, end: mark.end_s, moved: false };
        return;
      }
      if (data.event !== undefined) return this.on.pick?.(Number(data.event));
      if (data.effect !== undefined) return this.on.pick?.(Number(data.effect));
      if (data.lane === "marks" && this.on.newMark) { drag = { what: "new", from: this.t(px) }; return; }
      if (px >= this.left - 6 && py >= 0) { drag = { what: "cursor" }; this.setCursor(this.t(px));
        this.on.cursor?.(this.cursor); }
    });
    this.svg.addEventListener("pointermove", (event) => {
      if (!drag) return;
      const [px, py] = at(event);
      const t = this.t(px);
      if (drag.what === "cursor") { this.setCursor(t); this.on.cursor?.(this.cursor); }
      if (drag.what === "level") this.on.level(this.fromY(py));
      if (drag.what === "new") { this.draft = [drag.from, t]; this.draw(); }
      if (drag.what === "mark") {
        const moved = t - drag.from;
        drag.moved = drag.moved || Math.abs(this.x(t) - this.x(drag.from)) > 2;
        const length = this.take.lengthS;
        if (drag.edge === "start") drag.mark.start_s = Math.min(Math.max(drag.start + moved, 0), drag.end - 0.1);
        else if (drag.edge === "end") drag.mark.end_s = Math.max(Math.min(drag.end + moved, length), drag.start + 0.1);
        else { const by = Math.min(Math.max(moved, -drag.start), length - drag.end);
          drag.mark.start_s = drag.start + by; drag.mark.end_s = drag.end + by; }
        this.draw();
      }
    });
    this.svg.addEventListener("pointerup", () => {
      const done = drag;
      drag = null;
      if (!done) return;
      if (done.what === "level") { this.frozen = null; this.on.levelDone?.(); this.draw(); }
      if (done.what === "mark" && done.moved) this.on.markDone(done.mark);
      if (done.what === "new") {
        const [a, b] = this.draft ?? [done.from, done.from];
        this.draft = null;
        if (Math.abs(b - a) > 0.5) this.on.newMark(Math.min(a, b), Math.max(a, b));
        else { this.setCursor(done.from); this.on.cursor?.(this.cursor); this.draw(); }
      }
    });
  }
}
