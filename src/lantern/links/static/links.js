// Links of one detector, and the timetables of the site: forms and a week to draw on.
import { address, ask, pageData } from "/static/js/http.js";
import { dayAndTime } from "/static/js/svg.js";
import { joined } from "/static/js/parts.js";
import { may } from "/static/js/roles.js";
import { askedOf, begun as begunEffect, given, number } from "./effects.js";
import { sun } from "./sun.js";
import { DAY, DAYS, Week } from "./week.js";
import { drawYear, stretchText, stretches } from "./year.js";

const TEXTS = ["subject", "text"];

document.addEventListener("alpine:init", () => {
  window.Alpine.data("links", () => {
    const data = pageData();
    let week = null;
    let made = 0;
    let begun = ""; // the timetable as it was taken up
    let yearOf = null; // its drawing
    let yearAsked = ""; // the newest question for a year
    return joined(sun(), {
      days: DAYS,
      outputs: data.outputs,
      sorts: data.sorts,
      regions: data.regions,
      lists: data.lists,
      timetables: data.timetables,
      links: data.links.map((link) => ({ ...link, key: `saved-${link.id}`, dirty: false, why: "" })),
      edited: { id: null, name: "", zone: data.zone, hours: [], dates: [], holidays: null, sun: [] },
      countries: data.countries,
      year: new Date().getFullYear(),
      ofYear: null,
      hoursDirty: false,
      hoursWhy: "",
      changes: data.changes,
      read: {}, // by link and effect: how its texts would have read
      trouble: "",
      told: "",
      init() {
        yearOf = this.$refs.year;
        week = new Week(this.$refs.week, may("engineer") ? { change: (hours) => this.setHours(hours) } : {});
        if (this.timetables.length)
          this.edit(this.timetables.find((t) => t.name === this.links[0]?.timetable) ?? this.timetables[0]);
        else this.newTimetable();
        addEventListener("beforeunload", (event) => {
          const hours = JSON.stringify(this.edited) !== begun;
          if (may("engineer") && (hours || this.links.some((l) => l.dirty))) event.preventDefault();
        });
      },
      clock: (min) => `${String(Math.floor(min / 60)).padStart(2, "0")}:${String(min % 60).padStart(2, "0")}`,

      // ---- links ----
      timetableWords(link) {
        return link.timetable ? (this.timetables.find((t) => t.name === link.timetable)?.summary ?? "") : "";
      },
      output(effect) {
        return this.outputs.find((o) => o.name === effect.output);
      },
      contact(effect) {
        return (this.output(effect)?.contact ?? "").replace("_", " ");
      },
      flashes(effect) {
        return this.output(effect)?.flashes === true;
      },
      set(link, key, value) {
        link[key] =
          key === "delay_s" ? this.number(value) : ["timetable", "region"].includes(key) ? value || null : value;
        link.dirty = true;
      },
      setLimit(link, key, value) {
        link[key] = value.trim() === "" ? null : this.number(value);
        link.dirty = true;
      },
      heldBackText: ({ held_back: count }) => `held back ${count} ${count === 1 ? "time" : "times"}`,
      setEffect(link, index, key, value) {
        const effect = link.effects[index];
        effect[key] =
          key === "output" || key === "mode"
            ? value
            : key === "flash_hz" && value.trim() === ""
              ? null
              : this.number(value);
        if (key === "output" && !this.flashes(effect)) effect.flash_hz = null;
        link.dirty = true;
      },
      number,
      // what is no number goes to the server as typed, which says what is wrong
      addEffect(link) {
        const free = this.outputs.find((o) => !link.effects.some((e) => !e.do && e.output === o.name));
        if (!free) {
          this.trouble = "Every output of the site is in this link already.";
          return;
        }
        link.effects.push({ ...data.fresh.effect, output: free.name });
        link.dirty = true;
      },
      switched: (link) => link.effects.map((effect, index) => ({ effect, index })).filter(({ effect }) => !effect.do),
      // What is no output: each sort says what is asked of it, and what of the site may be chosen.
      others(link) {
        return link.effects
          .map((effect, index) => ({ effect, index, sort: data.sorts.find((s) => s.do === effect.do) }))
          .filter(({ sort }) => sort)
          .map(({ effect, index, sort }) => ({
            effect,
            index,
            title: sort.title,
            hasText: TEXTS.some((key) => effect[key]),
            read: this.read[`${link.key} ${index}`] ?? null,
            asked: sort.asked.map((asked) => this.asked(effect, asked)),
          }));
      },
      // As it would have read of the newest event of this cause.
      async readTexts(link, { effect, index }) {
        const texts = Object.fromEntries(TEXTS.filter((key) => effect[key]).map((key) => [key, effect[key]]));
        await this.attempt(async () => {
          const { texts: found, at } = await ask("POST", "/link-text", { cause: data.cause, texts });
          const lines = found ? Object.values(found) : ["Nothing came of this cause yet: once something has."];
          const head = at === null ? "" : `Of ${dayAndTime(at, data.zone)}: `;
          this.read = { ...this.read, [`${link.key} ${index}`]: head + lines.join(" / ") };
        });
      },
      asked: (effect, asked) => askedOf(effect, asked, data),
      setOther(link, index, { key, of }, value) {
        link.effects[index][key] = given(of, value);
        link.dirty = true;
      },
      setMany(link, index, { key, choices, value }, name, on) {
        link.effects[index][key] = choices.filter((each) => (each === name ? on : value.includes(each)));
        link.dirty = true;
      },
      addOther(link, select) {
        const sort = data.sorts.find((each) => each.do === select.value);
        select.value = "";
        if (!sort) return;
        link.effects.push(begunEffect(sort, data));
        link.dirty = true;
      },
      removeEffect(link, index) {
        link.effects.splice(index, 1);
        link.dirty = true;
      },
      // None ticked off: it hears what any list matches, and what none does.
      hears: (link, name) => link.lists.length === 0 || link.lists.includes(name),
      setHears(link, name, on) {
        const heard = this.lists.filter((each) => (each === name ? on : this.hears(link, each)));
        if (!heard.length) {
          this.trouble = "A link hears one list at least.";
          return;
        }
        link.lists = heard.length === this.lists.length ? [] : heard;
        link.dirty = true;
      },
      // Names are of the whole site: another detector's page may have taken some.
      freeName() {
        const taken = new Set([...data.taken, ...this.links.map((link) => link.name)]);
        let number = this.links.length + 1;
        while (taken.has(`Link ${number}`)) number += 1;
        return `Link ${number}`;
      },
      addLink() {
        made += 1;
        const link = {
          key: `new-${made}`,
          id: null,
          name: this.freeName(),
          ...structuredClone(data.fresh.link),
          dirty: true,
          why: "",
        };
        this.links.push(link);
        if (this.outputs.length) this.addEffect(this.links[this.links.length - 1]);
      },
      async save(link) {
        const { name, region, lists, timetable, delay_s, on_repeat, limit_burst, limit_refill_s, effects } = link;
        const limit = { limit_burst: limit_burst ?? null, limit_refill_s: limit_refill_s ?? null };
        const body = { name, detector: "", region, lists, timetable, delay_s, on_repeat, ...limit, effects };
        await this.attempt(async () => {
          const why = `base=${link.revision}&reason=${encodeURIComponent(link.why)}`;
          const changed = `${data.base}/${link.id}?${why}`;
          const saved =
            link.id === null
              ? await ask("POST", data.base, { ...body, input: data.input ?? null })
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
      whenText: (at) => dayAndTime(at, data.zone),
      async readChanges() {
        this.changes = await ask("GET", data.changesAt);
      },
      async restore(change) {
        await this.attempt(async () => {
          await ask("POST", `/revisions/${change.id}/restore?base=${change.newest}`);
          location.reload();
        });
      },

      async attempt(work) {
        this.trouble = "";
        this.told = "";
        try {
          await work();
        } catch (error) {
          this.trouble = error.message;
        }
      },

      // ---- timetables ----
      get summary() {
        if (!this.edited.hours.length && !this.sunHours.length) return "never: this timetable has no hours";
        if (this.hoursDirty) return "changed";
        return this.timetables.find((t) => t.id === this.edited.id)?.summary ?? "";
      },
      edit(timetable) {
        this.edited = { dates: [], holidays: null, sun: [], ...JSON.parse(JSON.stringify(timetable)) };
        begun = JSON.stringify(this.edited);
        this.hoursDirty = false;
        week.draw(this.edited.hours.map((h) => ({ ...h })));
        this.readYear();
      },
      newTimetable() {
        this.edited = { id: null, name: "New hours", zone: data.zone, hours: [], dates: [], holidays: null, sun: [] };
        begun = JSON.stringify(this.edited);
        this.hoursDirty = true;
        week.draw([]);
        this.readYear();
      },
      rename(name) {
        this.edited.name = name;
        this.hoursDirty = true;
      },
      setHours(hours) {
        this.edited.hours = hours.map((h) => ({ ...h }));
        this.hoursDirty = true;
        week.draw(hours.map((h) => ({ ...h })));
        this.readYear();
      },

      // ---- days that are not like their weekday ----
      stretchText,
      get country() {
        return this.edited.holidays?.country ?? "";
      },
      get holidayHours() {
        return stretchText(this.edited.holidays?.hours ?? []);
      },
      get calendarAt() {
        return address(`/timetables/${this.edited.id}.ics`);
      },
      get yearWords() {
        if (!this.ofYear) return "";
        const own = this.ofYear.days.filter((day) => day.why).length;
        const hours = Math.round(this.ofYear.days.reduce((sum, day) => sum + day.min, 0) / 60);
        return `on for ${hours} h of the year; ${own} ${own === 1 ? "day is" : "days are"} not like their weekday`;
      },
      change(work) {
        this.trouble = "";
        try {
          work();
        } catch (error) {
          this.trouble = error.message;
          return;
        }
        this.hoursDirty = true;
        this.readYear();
      },
      setCountry(country) {
        this.change(() => {
          this.edited.holidays = country ? { country, part: null, hours: this.edited.holidays?.hours ?? [] } : null;
        });
      },
      setHolidayHours(text) {
        this.change(() => {
          this.edited.holidays.hours = stretches(text);
        });
      },
      addDate(date, note = "") {
        this.change(() => this.edited.dates.push({ date, hours: [], note }));
      },
      setDate(index, key, value) {
        this.change(() => {
          this.edited.dates[index][key] = key === "hours" ? stretches(value) : value;
        });
      },
      removeDate(index) {
        this.change(() => this.edited.dates.splice(index, 1));
      },
      async bringCalendar(input) {
        if (!input.files.length) return;
        const [file] = input.files;
        await this.attempt(async () => {
          const where = `zone=${encodeURIComponent(this.edited.zone)}&name=${encodeURIComponent(file.name)}`;
          const found = await ask("POST", `/timetables/dates?${where}`, await file.arrayBuffer(), { raw: true });
          const taken = new Set(found.map((each) => each.date));
          const dates = [...this.edited.dates.filter((each) => !taken.has(each.date)), ...found];
          this.change(() => {
            this.edited.dates = dates.sort((a, b) => a.date.localeCompare(b.date));
          });
          this.told = `${found.length} days of ${file.name}; nothing is saved yet.`;
        });
      },
      turnYear(by) {
        this.year += by;
        this.readYear();
      },
      async readYear() {
        const { name, zone, hours, dates, holidays } = this.edited;
        const written = dates.filter((d) => d.date);
        const document = { name: name || "hours", zone, hours, dates: written, holidays, sun: this.sunHours };
        const asked = JSON.stringify([this.year, document]);
        yearAsked = asked;
        const told = await ask("POST", `/timetables/year?year=${this.year}`, document).catch(() => null);
        if (yearAsked !== asked) return; // something newer was asked for
        this.ofYear = told;
        drawYear(yearOf, told, may("engineer") ? (date, why) => this.addDate(date, why) : null);
      },
      typeHours(index, key, text) {
        const parts = text.trim().match(/^(\d{1,2}):(\d{2})$/);
        const value = parts ? Number(parts[1]) * 60 + Number(parts[2]) : -1;
        if (!parts || value > DAY || Number(parts[2]) > 59) {
          this.trouble = `${text}: expected a time such as 05:30, at most 24:00`;
          return;
        }
        this.trouble = "";
        const hours = this.edited.hours.map((h) => ({ ...h }));
        hours[index][key] = value;
        this.setHours(hours);
      },
      removeHours(index) {
        this.setHours(this.edited.hours.filter((_, i) => i !== index));
      },
      wholeWeek() {
        this.setHours(DAYS.map((_, day) => ({ day, start_min: 0, end_min: DAY })));
      },
      likeMonday() {
        const monday = this.edited.hours.filter((h) => h.day === 0);
        this.setHours(DAYS.flatMap((_, day) => monday.map((h) => ({ ...h, day }))));
      },
      clearWeek() {
        this.setHours([]);
      },
      async saveTimetable() {
        const { id, revision, name, zone, hours, dates, holidays } = this.edited;
        const document = { name, zone, hours, dates, holidays, sun: this.sunHours };
        await this.attempt(async () => {
          const before = this.timetables.find((t) => t.id === id);
          const why = `base=${revision}&reason=${encodeURIComponent(this.hoursWhy)}`;
          const saved =
            id === null
              ? await ask("POST", "/timetables", document)
              : await ask("PUT", `/timetables/${id}?${why}`, document);
          if (before) for (const link of this.links) if (link.timetable === before.name) link.timetable = saved.name;
          this.timetables = [...this.timetables.filter((t) => t.id !== saved.id), saved].sort((a, b) =>
            a.name.localeCompare(b.name),
          );
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
          if (this.timetables.length) this.edit(this.timetables[0]);
          else this.newTimetable();
        });
      },
    });
  });
});
