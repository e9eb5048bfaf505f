// One axis for a take: marks, readings with the threshold, events, effects, timetables; a shared cursor. `named`: what
// it is called, its unit, and the name of its traces.
import { clock, el, redraw, short } from "/static/js/svg.js";
import { RIGHT, laneParts } from "./timelanes.js";
import { PLAIN } from "/static/js/units.js";

// The lanes of a kind, and those that a page adds.
export const lanesOf = ({ raises, truth }, more = []) => [
  ...(truth.includes("marks") ? ["marks"] : []),
  "reading",
  ...(raises ? ["events", ...more] : []),
];

// `lanes`: names from top to bottom out of marks, reading, events, armed, effects:NAME. `on`: cursor, level,
// levelDone, mark, markDone, pick.
export class TimeAxis {
  constructor(svg, take, { lanes, readingHeight = 104, left = 214, quantity = PLAIN, named, on = {} }) {
    Object.assign(this, { svg, take, lanes, readingHeight, left, quantity, named, on });
    this.cursor = 0;
    this.data = {
      readings: {},
      events: [],
      marks: [],
      effects: [],
      armed: {},
      light: [],
      held: [],
      level: null,
      relaxed: null,
      missed: [],
      unknown: [],
      chosenMark: null,
      chosen: null,
    };
    this.view = [0, take.lengthS];
    this.#listen();
    new ResizeObserver(() => this.draw()).observe(svg.parentElement);
  }

  set(data) {
    Object.assign(this.data, data);
    this.draw();
  }

  get timed() {
    return this.named.unit === "s";
  }

  // A place on the axis in words: the time of day, or its number.
  said(t, exact) {
    return this.timed ? clock(this.take, t, exact) : `${short(t)} ${this.named.unit}`.trim();
  }

  setCursor(t) {
    this.cursor = Math.min(Math.max(t, 0), this.take.lengthS);
    const at = this.x(this.cursor);
    if (Math.abs(at - this.shownAt) < 0.5) return; // not to be seen, and moving it draws the lanes again
    this.shownAt = at;
    this.svg.querySelectorAll(".cursor").forEach((line) => {
      line.setAttribute("x1", at);
      line.setAttribute("x2", at);
    });
  }

  x(t) {
    return this.left + ((t - this.view[0]) / (this.view[1] - this.view[0])) * (this.width - this.left - RIGHT);
  }
  t(x) {
    return Math.min(
      Math.max(this.view[0] + ((x - this.left) / (this.width - this.left - RIGHT)) * (this.view[1] - this.view[0]), 0),
      this.take.lengthS,
    );
  }

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
      const name = this.#nameOf(lane);
      parts.push(
        el("text", { class: "name", x: this.left - (lane === "reading" ? 44 : 12), y: y + height / 2 + 4 }, name),
      );
      parts.push(...laneParts(this, lane, y, height));
    }
    const cursor = this.x(this.cursor);
    parts.push(
      el("line", { class: "cursor", x1: cursor, x2: cursor, y1: 2, y2: this.height - 2, "pointer-events": "none" }),
    );
    redraw(this.svg, parts);
    this.shownAt = cursor;
  }

  // What one of the kind draws has the kind's name for it; anything else that is drawn there is a reading.
  #nameOf(lane) {
    if (lane === "reading") return this.data.lane ?? this.named.lane;
    if (lane.startsWith("effects:")) return lane.slice(8);
    return lane.startsWith("armed:") ? `armed: ${lane.slice(6)}` : lane;
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
      const struck = event.target.closest(
        "[data-level], [data-edge], [data-mark], [data-event], [data-effect], [data-lane]",
      );
      const data = struck?.dataset ?? {};
      this.svg.setPointerCapture(event.pointerId);
      if (data.level && this.on.level) {
        drag = { what: "level" };
        this.frozen = this.span;
        return;
      }
      const group = event.target.closest("[data-mark]");
      if (group) {
        const mark = this.data.marks.find((m) => m.id === Number(group.dataset.mark));
        this.on.mark?.(mark);
        if (this.on.markDone)
          drag = {
            what: "mark",
            mark,
            edge: event.target.dataset.edge ?? "both",
            from: this.t(px),
            start: mark.start_s,
            end: mark.end_s,
            moved: false,
          };
        return;
      }
      if (data.event !== undefined) return this.on.pick?.(Number(data.event));
      if (data.effect !== undefined) return this.on.pick?.(Number(data.effect));
      if (data.lane === "marks" && this.on.newMark) {
        drag = { what: "new", from: this.t(px) };
        return;
      }
      if (px >= this.left - 6 && py >= 0) {
        drag = { what: "cursor" };
        this.setCursor(this.t(px));
        this.on.cursor?.(this.cursor);
      }
    });
    this.svg.addEventListener("pointermove", (event) => {
      if (!drag) return;
      const [px, py] = at(event);
      const t = this.t(px);
      if (drag.what === "cursor") {
        this.setCursor(t);
        this.on.cursor?.(this.cursor);
      }
      if (drag.what === "level") this.on.level(this.fromY(py));
      if (drag.what === "new") {
        this.draft = [drag.from, t];
        this.draw();
      }
      if (drag.what === "mark") {
        const moved = t - drag.from;
        drag.moved = drag.moved || Math.abs(this.x(t) - this.x(drag.from)) > 2;
        const length = this.take.lengthS;
        if (drag.edge === "start") drag.mark.start_s = Math.min(Math.max(drag.start + moved, 0), drag.end - 0.1);
        else if (drag.edge === "end") drag.mark.end_s = Math.max(Math.min(drag.end + moved, length), drag.start + 0.1);
        else {
          const by = Math.min(Math.max(moved, -drag.start), length - drag.end);
          drag.mark.start_s = drag.start + by;
          drag.mark.end_s = drag.end + by;
        }
        this.draw();
      }
    });
    this.svg.addEventListener("pointerup", () => {
      const done = drag;
      drag = null;
      if (!done) return;
      if (done.what === "level") {
        this.frozen = null;
        this.on.levelDone?.();
        this.draw();
      }
      if (done.what === "mark" && done.moved) this.on.markDone(done.mark, done.edge);
      if (done.what === "new") {
        const [a, b] = this.draft ?? [done.from, done.from];
        this.draft = null;
        if (Math.abs(b - a) > 0.5) this.on.newMark(Math.min(a, b), Math.max(a, b));
        else {
          this.setCursor(done.from);
          this.on.cursor?.(this.cursor);
          this.draw();
        }
      }
    });
  }
}
