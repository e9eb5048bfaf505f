// Dials: typed, nudged, dragged; what each strip says; what differs from what is saved.
import { Strip } from "/static/tune/strip.js";
import { saveCsv, savePng, saveSvg } from "/static/js/export.js";
import { fixed, numberOf, read, show, typed, width } from "/static/js/units.js";
import { short } from "/static/js/svg.js";

export const copy = (value) => JSON.parse(JSON.stringify(value));
export const same = (a, b) => JSON.stringify(a) === JSON.stringify(b);
// What only detectors of its family hold.
const EVERY = ["format", "name", "kind", "device", "regions", "dials", "timetable"];
export const ownOf = (detector) =>
  Object.fromEntries(Object.entries(copy(detector)).filter(([key]) => !EVERY.includes(key)));

export const dials = ({ data, infos, filled, drawn, keys }) => {
  Object.assign(keys, {
    ",": (page, step) => page.nudge(page.chosenDial, -step),
    "<": (page) => page.nudge(page.chosenDial, -10),
    ".": (page, step) => page.nudge(page.chosenDial, step),
    ">": (page) => page.nudge(page.chosenDial, 10),
  });
  return {
    saved: {
      dials: filled(data.detector.dials),
      regions: copy(data.detector.regions),
      timetable: data.detector.timetable ?? null,
      own: ownOf(data.detector),
    },
    dials: filled(data.detector.dials),
    matters: data.saved.matters,
    strips: {},
    texts: {},
    faults: {},
    chosenDial: data.saved.line?.dial ?? data.pair[0],

    get changes() {
      const count = Object.keys(this.dials).filter((name) => !same(this.dials[name], this.saved.dials[name])).length;
      const others = [
        same(this.regions, this.saved.regions),
        this.timetable === this.saved.timetable,
        same(this.own, this.saved.own),
      ];
      return count + others.filter((alike) => !alike).length;
    },
    get changesText() {
      if (this.trouble) return this.trouble;
      if (this.changes === 0) return "";
      const parting = data.measures.filter((m) => m.parts);
      const moved = parting.some((m) => this.before[m.name] !== this.now[m.name]);
      const effect = moved
        ? parting.map((m) => `${m.label} ${short(this.before[m.name])} → ${short(this.now[m.name])}`).join(", ")
        : "no change in the score";
      return `${this.changes} unsaved ${this.changes === 1 ? "change" : "changes"}: ${effect}`;
    },
    shows(name) {
      return this.matters.includes(name);
    },
    hasStrip(name) {
      return this.strips[name] !== undefined && this.dials[name] !== null;
    },
    dialClass(name) {
      return { chosen: this.chosenDial === name, changed: !same(this.dials[name], this.saved.dials[name]) };
    },
    choiceOf(name) {
      return this.dials[name];
    },
    flagOf(name) {
      return this.dials[name] ? "yes" : "no";
    },
    fault(name) {
      return this.faults[name] ?? "";
    },
    stripHelps(name) {
      return this.chosenDial === name ? (this.strips[name]?.helps ?? []) : [];
    },
    offerOf(name) {
      return this.faults[name] ? "" : (this.strips[name]?.offer ?? "");
    },
    restOf(name) {
      return this.strips[name]?.rest ?? "";
    },
    rowOf(card, key) {
      return card.rows.find((row) => row.key === key);
    },
    level(c) {
      return fixed(data.scale.level, c, 1);
    },
    difference(k) {
      return fixed(width(data.scale.level), k, 2);
    },

    startStrips() {
      this.$root.querySelectorAll("svg[data-strip]").forEach((svg) => {
        const name = svg.dataset.strip;
        const move = (value, done) => {
          this.chosenDial = name;
          this.setDial(name, this.onStep(name, value), !done);
          if (done) this.settle();
        };
        drawn.strips[name] = new Strip(svg, { move }, infos[name].shown);
      });
    },
    drawStrip(name) {
      if (this.strips[name] && drawn.strips[name] && this.dials[name] !== null)
        drawn.strips[name].draw(this.strips[name], this.dials[name]);
    },
    exportStrip(name, as) {
      const strip = drawn.strips[name];
      if (as === "csv") saveCsv(strip.rows(), `evidence-${name}`);
      else (as === "svg" ? saveSvg : savePng)(strip.svg, `evidence-${name}`);
    },

    resetTexts() {
      for (const name of Object.keys(this.dials))
        this.texts[name] = typeof this.dials[name] === "number" ? typed(infos[name].shown, this.dials[name]) : "";
    },
    onStep(name, value) {
      const { step, low, high, low_excluded: excluded } = infos[name];
      const least = excluded ? low + step : low;
      return Math.min(Math.max(Number((Math.round(value / step) * step).toFixed(6)), least), high);
    },
    // `loose`: part of a drag; one undo step for all of it
    setDial(name, value, loose = false) {
      if (!this.dragged) this.remember();
      this.dragged = loose;
      this.dials[name] = value;
      this.texts[name] = value === null ? "" : typed(infos[name].shown, value);
      delete this.faults[name];
      this.drawStrip(name);
      if (name === this.judged.line?.dial) this.drawAxis();
      this.judgeSoon();
      if (!loose) {
        this.readingsSoon();
        this.stripsSoon();
        this.writeAddress();
      }
    },
    settle() {
      this.dragged = false;
      this.judgeSoon();
      this.readingsSoon();
      this.stripsSoon();
      this.writeAddress();
    },
    typeDial(name, text) {
      this.texts[name] = text;
      if (text.trim() === "" && infos[name].optional) return this.setDial(name, null);
      const value = numberOf(text);
      if (value === null || !Number.isFinite(value)) {
        this.faults[name] = `${text || "empty"}: expected ${infos[name].allowed}`;
        return;
      }
      this.setDial(name, read(infos[name].shown, value));
    },
    nudge(name, by) {
      if (!infos[name].numeric) return;
      this.chosenDial = name;
      this.setDial(name, this.onStep(name, (this.dials[name] ?? infos[name].low ?? 0) + by * infos[name].step));
    },
    choose(name) {
      this.chosenDial = name;
    },
    setChoice(name, value) {
      this.remember();
      this.dials[name] = value;
      this.refresh();
    },
    // a list of names, typed with commas
    listOf(name) {
      return (this.dials[name] ?? []).join(", ");
    },
    typeList(name, text) {
      const names = text
        .split(",")
        .map((word) => word.trim())
        .filter(Boolean);
      this.setChoice(name, names.length ? names : infos[name].optional ? null : []);
    },
    setFlag(name, value) {
      this.setChoice(name, value === "yes");
    },
    takeProposal(name) {
      this.setDial(name, this.strips[name].proposed);
    },
    shownValue(name) {
      return typeof this.dials[name] === "number"
        ? short(show(infos[name].shown, this.dials[name]))
        : String(this.dials[name]);
    },
  };
};
