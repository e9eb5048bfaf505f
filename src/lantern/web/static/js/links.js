// Links of one detector, and the timetables of the site: forms and a week to draw on.
import { ask, pageData } from "./http.js";
import { el, redraw } from "./svg.js";

const DAYS = ["Mon", "Tue", "Wed", "Thu", "Fri", "Sat", "Sun"];
const LEFT = 44;
const TOP = 18;
const ROW = 27;
const STEP = 15;
const DAY = 1440;

class Week {
  constructor(svg, on) {
    Object.assign(this, { svg, on, hours: [], chosen: -1 });
    svg.setAttribute("viewBox", `0 0 1100 ${TOP + 7 * ROW + 4}`);
    let drag = null;
    svg.addEventListener("pointerdown", (event) => {
      const at = this.#at(event);
      if (!at) return;
      svg.setPointerCapture(event.pointerId);
      const index = event.target.dataset.hours;
      drag = index === undefined ? { what: "new", day: at.day, from: at.min } : {
        what: event.target.dataset.edge ?? "move", index: Number(index), from: at.min, old: {
          ...this.hours[Number(index)] } };
      if (index !== undefined) { this.chosen = Number(index); this.draw(this.hours); }
    });
    svg.addEventListener("pointermove", (event) => {
      const at = drag && this.#at(event, true);
      if (!at) return;
      if (drag.what === "new") this.draft = { day: drag.day, a: Math.min(drag.from, at.min), b: Math.max(drag.from,
        at.min) };
      else {
        const [now, by] = [this.hours[drag.index], at.min - drag.from];
        if (drag.what === "start") now.start_min = Math.min(Math.max(drag.old.start_min + by, 0), DAY - STEP);
        if (drag.what === "end") now.end_min = Math.min(Math.max(drag.old.end_min + by, STEP), DAY);
        if (drag.what === "move") { const safe = Math.min(Math.max(by, -drag.old.start_min),
          DAY - Math.max(drag.old.end_min, drag.old.start_min + STEP)); now.start_min = drag.old.start_min + safe;
            now.end_min = drag.old.end_min + safe; }
        if (now.start_min === now.end_min) now.end_min = Math.min(now.end_min + STEP, DAY);
      }
      this.draw(this.hours);
    });
    svg.addEventListener("pointerup", () => {
      const made = this.draft;
      this.draft = null;
      if (drag?.what === "new" && made && made.b > made.a) this.on.change([...this.hours, { day: made.day,
        start_min: made.a, end_min: made.b }]);
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
    for (let h = 0; h <= 24; h += 2) parts.push(el("text", { class: "hour", x: x(h * 60), y: 12,
      "text-anchor": "middle" }, String(h).padStart(2, "0")));
    DAYS.forEach((name, day) => {
      const y = TOP + day * ROW;
      parts.push(el("text", { class: "day", x: 4, y: y + 17 }, name), el("rect", { class: "cell", x: LEFT, y,
        width: x(DAY) - LEFT, height: ROW - 3 }));
    });
    hours.forEach((h, index) => {
      const y = TOP + h.day * ROW + 2;
      const crosses = h.end_min < h.start_min;
      const pieces = crosses ? [[h.day, h.start_min, DAY], [(h.day + 1) % 7, 0, h.end_min]] : [[h.day, h.start_min,
        h.end_min]];
      for (const [day, a, b] of pieces) parts.push(el("rect", { class: `span ${index === this.chosen ? "chosen" : ""}`,
        x: x(a), y: TOP + day * ROW + 2, width: Math.max(x(b) - x(a), 2), height: ROW - 7, "data-hours": index,
          "data-edge": crosses && day !== h.day ? "end" : null }));
      parts.push(el("rect", { class: "edge", x: x(h.start_min) - 4, y, width: 9, height: ROW - 7, "data-hours": index,
        "data-edge": "start" }));
      if (!crosses) parts.push(el("rect", { class: "edge", x: x(h.end_min) - 5, y, width: 9, height: ROW - 7,
        "data-hours": index, "data-edge": "end" }));
    });
    if (this.draft) parts.push(el("rect", { class: "draft", x: x(this.draft.a), y: TOP + this.draft.day * ROW + 2,
      width: x(this.draft.b) - x(this.draft.a), height: ROW - 7 }));
    redraw(this.svg, parts);
  }
}

document.addEventListener("alpine:init", () => {
  window.Alpine.data("links", () => {
    const data = pageData();
    let week = null;
    let made = 0;
    return {
      days: DAYS,
      outputs: data.outputs,
      regions: data.regions,
      lists: data.lists,
      timetables: data.timetables,
      links: data.links.map((link) => ({ ...link, key: `saved-${link.id}`, dirty: false, why: "" })),
      edited: { id: null, name: "", zone: data.zone, hours: [] },
      hoursDirty: false,
      hoursWhy: "",
      changes: data.changes,
      trouble: "",
      told: "",
      init() {
        week = new Week(this.$refs.week, { change: (hours) => this.setHours(hours) });
        if (this.timetables.length) this.edit(this.timetables.find((t) =>
          t.name === this.links[0]?.timetable) ?? this.timetables[0]);
        else this.newTimetable();
        addEventListener("beforeunload", (event) => { if (this.hoursDirty || this.links.some((l) =>
          l.dirty)) event.preventDefault(); });
      },
      clock: (min) => `${String(Math.floor(min / 60)).padStart(2, "0")}:${String(min % 60).padStart(2, "0")}`,

      // ---- links ----
      timetableWords(link) { return link.timetable ? (this.timetables.find((t) =>
        t.name === link.timetable)?.summary ?? "") : ""; },
      output(effect) { return this.outputs.find((o) => o.name === effect.output); },
      contact(effect) { return (this.output(effect)?.contact ?? "").replace("_", " "); },
      isBeacon(effect) { return this.output(effect)?.what === "beacon"; },
      set(link, key, value) { link[key] = key === "delay_s" ? this.number(value) : ["timetable", "region"].includes(key)
        ? value || null : value; link.dirty = true; },
      setEffect(link, index, key, value) {
        const effect = link.effects[index];
        effect[key] = key === "output" || key === "mode" ? value : key === "flash_hz" && value.trim() === ""
          ? null : this.number(value);
        if (key === "output" && !this.isBeacon(effect)) effect.flash_hz = null;
        link.dirty = true;
      },
      number(text) { const value = Number(text); return text.trim() === "" || !Number.isFinite(value) ? text : value; },
        // what is no number goes to the server as typed, which says what is wrong
      addEffect(link) {
        const free = this.outputs.find((o) => !link.effects.some((e) => e.output === o.name));
        if (!free) { this.trouble = "Every output of the site is in this link already."; return; }
        link.effects.push({ output: free.name, mode: "pulse", length_s: 5, flash_hz: null, expire_s: 60 });
        link.dirty = true;
      },
      removeEffect(link, index) { link.effects.splice(index, 1); link.dirty = true; },
      // None ticked off: it hears what any list matches, and what none does.
      hears: (link, name) => link.lists.length === 0 || link.lists.includes(name),
      setHears(link, name, on) {
        const heard = this.lists.filter((each) => (each === name ? on : this.hears(link, each)));
        if (!heard.length) { this.trouble = "A link hears one list at least."; return; }
        link.lists = heard.length === this.lists.length ? [] : heard;
        link.dirty = true;
      },
      addLink() {
        made += 1;
        const link = { key: `new-${made}`, id: null, name: `Link ${this.links.length + 1}`, region: null, lists: [],
          timetable: null, delay_s: 0, on_repeat: true, effects: [], dirty: true, why: "" };
        this.links.push(link);
        this.addEffect(this.links[this.links.length - 1]);
      },
      async save(link) {
        const { name, region, lists, timetable, delay_s, on_repeat, effects } = link;
        const body = { name, detector: "", region, lists, timetable, delay_s, on_repeat, effects };
        await this.attempt(async () => {
          const why = `base=${link.revision}&reason=${encodeURIComponent(link.why)}`;
          const changed = `${data.base}/${link.id}?${why}`;
          const saved = link.id === null ? await ask("POST", data.base, { ...body, input: data.input ?? null })
            : await ask("PUT", changed, body);
          Object.assign(link, saved, { dirty: false, why: "" });
          await this.readChanges();
          this.told = `Saved ${saved.name}. The live engine takes it up within a second.`;
        });
      },
      async removeLink(link) {
        await this.attempt(async () => {
          if (link.id !== null) await ask("DELETE", `${data.base}/${link.id}?base=${link.revision}`);
          this.links = this.links.filter((l) => l !== link && l.key !== link.key);
          await this.readChanges();
        });
      },

      // ---- what was changed ----
      whenText: (at) => new Date(at * 1000).toLocaleString("en-GB", { timeZone: data.zone, day: "numeric",
        month: "short", hour: "2-digit", minute: "2-digit" }),
      async readChanges() { this.changes = await ask("GET", data.changesAt); },
      async restore(change) {
        await this.attempt(async () => {
          await ask("POST", `/revisions/${change.id}/restore?base=${change.newest}`);
          location.reload();
        });
      },

      async attempt(work) {
        this.trouble = "";
        this.told = "";
        try { await work(); } catch (error) { this.trouble = error.message; }
      },

      // ---- timetables ----
      get summary() {
        if (!this.edited.hours.length) return "never: this timetable has no hours";
        if (this.hoursDirty) return "changed";
        return this.timetables.find((t) => t.id === this.edited.id)?.summary ?? "";
      },
      edit(timetable) { this.edited = JSON.parse(JSON.stringify(timetable)); this.hoursDirty = false;
        week.draw(this.edited.hours.map((h) => ({ ...h }))); },
      newTimetable() { this.edited = { id: null, name: "New hours", zone: data.zone, hours: [] };
        this.hoursDirty = true; week.draw([]); },
      rename(name) { this.edited.name = name; this.hoursDirty = true; },
      setHours(hours) { this.edited.hours = hours.map((h) => ({ ...h })); this.hoursDirty = true;
        week.draw(hours.map((h) => ({ ...h }))); },
      typeHours(index, key, text) {
        const parts = text.trim().match(/^(\d{1,2}):(\d{2})$/);
        const value = parts ? Number(parts[1]) * 60 + Number(parts[2]) : -1;
        if (!parts || value > DAY || Number(parts[2]) > 59) {
          this.trouble = `${text}: expected a time such as 05:30, at most 24:00`; return; }
        this.trouble = "";
        const hours = this.edited.hours.map((h) => ({ ...h }));
        hours[index][key] = value;
        this.setHours(hours);
      },
      removeHours(index) { this.setHours(this.edited.hours.filter((_, i) => i !== index)); },
      wholeWeek() { this.setHours(DAYS.map((_, day) => ({ day, start_min: 0, end_min: DAY }))); },
      likeMonday() { const monday = this.edited.hours.filter((h) => h.day === 0); this.setHours(DAYS.flatMap((_, day) =>
        monday.map((h) => ({ ...h, day })))); },
      clearWeek() { this.setHours([]); },
      async saveTimetable() {
        const { id, revision, name, zone, hours } = this.edited;
        await this.attempt(async () => {
          const before = this.timetables.find((t) => t.id === id);
          const saved = id === null ? await ask("POST", "/timetables", { name, zone, hours }) : await ask("PUT",
            `/timetables/${id}?base=${revision}&reason=${encodeURIComponent(this.hoursWhy)}`, { name, zone, hours });
          if (before) for (const link of this.links) if (link.timetable === before.name) link.timetable = saved.name;
          this.timetables = [...this.timetables.filter((t) => t.id !== saved.id), saved].sort((a, b) =>
            a.name.localeCompare(b.name));
          this.edit(saved);
          this.hoursWhy = "";
          await this.readChanges();
          this.told = `Saved ${saved.name}: ${saved.summary}.`;
        });
      },
      async deleteTimetable() {
        await this.attempt(async () => {
          await ask("DELETE", `/timetables/${this.edited.id}?base=${this.edited.revision}`);
          await this.readChanges();
          this.timetables = this.timetables.filter((t) => t.id !== this.edited.id);
          if (this.timetables.length) this.edit(this.timetables[0]); else this.newTimetable();
        });
      },
    };
  });
});
