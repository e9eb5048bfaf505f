// A timetable drawn as a week: hours are made, moved and ended by dragging, and by keys.
import { el, redraw } from "/static/js/svg.js";

export const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const LEFT = 44;
const TOP = 18;
const ROW = 27;
const STEP = 15;
export const DAY = 1440;

export class Week {
  constructor(svg, on) {
    Object.assign(this, { svg, on, hours: [], chosen: -1 });
    svg.setAttribute("viewBox", `0 0 1100 ${TOP + 7 * ROW + 4}`);
    if (!on.change) return; // it is only looked at
    let drag = null;
    svg.addEventListener("pointerdown", (event) => {
      const at = this.#at(event);
      if (!at) return;
      svg.setPointerCapture(event.pointerId);
      const index = event.target.dataset.hours;
      drag =
        index === undefined
          ? { what: "new", day: at.day, from: at.min }
          : {
              what: event.target.dataset.edge ?? "move",
              index: Number(index),
              from: at.min,
              old: { ...this.hours[Number(index)] },
            };
      if (index !== undefined) {
        this.chosen = Number(index);
        this.draw(this.hours);
      }
    });
    svg.addEventListener("pointermove", (event) => {
      const at = drag && this.#at(event, true);
      if (!at) return;
      if (drag.what === "new")
        this.draft = { day: drag.day, a: Math.min(drag.from, at.min), b: Math.max(drag.from, at.min) };
      else {
        const [now, by] = [this.hours[drag.index], at.min - drag.from];
        if (drag.what === "start") now.start_min = Math.min(Math.max(drag.old.start_min + by, 0), DAY - STEP);
        if (drag.what === "end") now.end_min = Math.min(Math.max(drag.old.end_min + by, STEP), DAY);
        if (drag.what === "move") {
          const safe = Math.min(
            Math.max(by, -drag.old.start_min),
            DAY - Math.max(drag.old.end_min, drag.old.start_min + STEP),
          );
          now.start_min = drag.old.start_min + safe;
          now.end_min = drag.old.end_min + safe;
        }
        if (now.start_min === now.end_min) now.end_min = Math.min(now.end_min + STEP, DAY);
      }
      this.draw(this.hours);
    });
    svg.addEventListener("pointerup", () => {
      const made = this.draft;
      this.draft = null;
      if (drag?.what === "new" && made && made.b > made.a)
        this.on.change([...this.hours, { day: made.day, start_min: made.a, end_min: made.b }]);
      else if (drag && drag.what !== "new") this.on.change(this.hours);
      drag = null;
    });
  }

  #at(event, loose = false) {
    const box = this.svg.getBoundingClientRect();
    const factor = 1100 / box.width;
    const [x, y] = [(event.clientX - box.left) * factor, (event.clientY - box.top) * factor];
    const day = Math.floor((y - TOP) / ROW);
    if (!loose && (day < 0 || day > 6 || x < LEFT)) return null;
    return { day, min: Math.min(Math.max(Math.round((((x - LEFT) / (1100 - LEFT - 8)) * DAY) / STEP) * STEP, 0), DAY) };
  }

  draw(hours) {
    this.hours = hours;
    const x = (min) => LEFT + (min / DAY) * (1100 - LEFT - 8);
    const parts = [];
    for (let h = 0; h <= 24; h += 2)
      parts.push(
        el("text", { class: "hour", x: x(h * 60), y: 12, "text-anchor": "middle" }, String(h).padStart(2, "0")),
      );
    DAYS.forEach((name, day) => {
      const y = TOP + day * ROW;
      parts.push(
        el("text", { class: "day", x: 4, y: y + 17 }, name),
        el("rect", { class: "cell", x: LEFT, y, width: x(DAY) - LEFT, height: ROW - 3 }),
      );
    });
    hours.forEach((h, index) => {
      const y = TOP + h.day * ROW + 2;
      const crosses = h.end_min < h.start_min;
      const pieces = crosses
        ? [
            [h.day, h.start_min, DAY],
            [(h.day + 1) % 7, 0, h.end_min],
          ]
        : [[h.day, h.start_min, h.end_min]];
      for (const [day, a, b] of pieces)
        parts.push(
          el("rect", {
            class: `span ${index === this.chosen ? "chosen" : ""}`,
            x: x(a),
            y: TOP + day * ROW + 2,
            width: Math.max(x(b) - x(a), 2),
            height: ROW - 7,
            "data-hours": index,
            "data-edge": crosses && day !== h.day ? "end" : null,
          }),
        );
      parts.push(
        el("rect", {
          class: "edge",
          x: x(h.start_min) - 4,
          y,
          width: 9,
          height: ROW - 7,
          "data-hours": index,
          "data-edge": "start",
        }),
      );
      if (!crosses)
        parts.push(
          el("rect", {
            class: "edge",
            x: x(h.end_min) - 5,
            y,
            width: 9,
            height: ROW - 7,
            "data-hours": index,
            "data-edge": "end",
          }),
        );
    });
    if (this.draft)
      parts.push(
        el("rect", {
          class: "draft",
          x: x(this.draft.a),
          y: TOP + this.draft.day * ROW + 2,
          width: x(this.draft.b) - x(this.draft.a),
          height: ROW - 7,
        }),
      );
    redraw(this.svg, parts);
  }
}
