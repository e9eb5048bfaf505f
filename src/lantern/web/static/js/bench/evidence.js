// Evidence: what is asked of the server after a change, all takes side by side, wishes, noise, the people of a screening.
import { saveCsv, savePng, saveSvg } from "../export.js";
import { ask } from "../http.js";
import { drawPeople, drawRoc } from "../roc.js";
import { short } from "../svg.js";
import { fixed, show, width } from "../units.js";

export const evidence = ({ data, infos, drawn }) => ({
  before: data.saved.card,
  now: data.saved.card,
  judged: data.saved,
  judgedMs: null,
  together: false,
  wishes: { false_per_day: "", delay_s: "", misses: "" },
  takes: null,
  noise: null,
  people: null,

  get draft() { return { ...data.detector, dials: this.dials, regions: this.regions }; },
  get wished() {
    const number = (text) => (String(text).trim() === "" ? null : Number(String(text).replace(",", ".")));
    return { false_per_day: number(this.wishes.false_per_day), delay_s: number(this.wishes.delay_s), misses: number(this.wishes.misses) ?? 0 };
  },
  refresh() {
    this.drawView();
    this.judgeSoon();
    this.readingsSoon();
    this.stripsSoon();
    this.writeAddress();
  },
  async post(parts, extra = {}) {
    return ask("POST", `/bench/${data.detectorId}/judge`, { take: data.take.id, detector: this.draft, parts, together: this.together, ...extra });
  },
  async judge() {
    const began = performance.now();
    try {
      const { judged } = await this.post(["judged"]);
      this.judged = judged;
      this.now = judged.card;
      this.matters = judged.matters;
      if (this.chosenEvent !== null && this.chosenEvent >= judged.events.length) this.chosenEvent = null;
      this.trouble = "";
      this.faults = {};
      this.drawAxis();
      this.judgedMs = performance.now() - began;
    } catch (error) { this.explain(error); }
  },
  async fetchReadings() {
    try {
      const { readings } = await this.post(["readings"]);
      drawn.axis.quantity = this.readingQuantity(readings);
      drawn.axis.set({ readings });
      this.drawView();
    } catch (error) { this.explain(error); }
  },
  // Evidence is worked out for what can be seen: some dials, the shutter's above all, want every frame looked at anew.
  dialsInSight() { return [...this.$root.querySelectorAll("[data-dial]")].filter((dial) => !dial.closest("details:not([open])")).map((dial) => dial.dataset.dial); },
  async fetchStrips() {
    try {
      const { strips, noise } = await this.post(["strips", "noise"], { wishes: this.wished, strips: this.dialsInSight() });
      this.strips = strips;
      this.noise = noise;
      this.$nextTick(() => { for (const name of Object.keys(strips)) this.drawStrip(name); });
      if (this.tab === "takes") await this.fetchTakes();
      if (this.tab === "people") await this.fetchPeople();
    } catch (error) { this.explain(error); }
  },
  explain(error) {
    if (error.name === "AbortError") return;
    for (const fault of error.faults ?? []) {
      const name = fault.where.replace(/^dials\./, "");
      if (infos[name]) this.faults[name] = `${fault.what}; expected ${fault.expected}`;
    }
    this.trouble = error.message;
  },

  // ---- all takes ----

  setTogether(on) { this.together = on; this.stripsSoon(); this.writeAddress(); },
  setWish(name, text) { this.wishes[name] = text; this.stripsSoon(); this.writeAddress(); },
  async fetchTakes() { try { ({ takes: this.takes } = await this.post(["takes"])); } catch (error) { this.explain(error); } },
  async setAside(id, aside) {
    try { await ask("PUT", `/takes/${id}/aside`, { aside }); await this.fetchTakes(); this.stripsSoon(); } catch (error) { this.explain(error); }
  },
  get validationText() { return this.takes?.validation.text ?? ""; },
  get validationBad() { return this.takes?.validation.verdict === "over-tuned"; },
  cardLine(card) { return `${this.share(card)} caught, ${card.false_alarms} false in ${short(card.exposure_h, 2)} h, delay ${this.delay(card)}`; },
  get noiseText() {
    if (!this.noise?.sigma_c) return "";
    const words = { window: "against the window", points: "two points", slope: "slope", level: "this level" };
    const by = Object.entries(this.noise.by).map(([way, n]) => `${words[way]} ${n < 0.001 ? "under 0.001" : short(n, 2)}`);
    return `noise ${fixed(width(data.scale.level), this.noise.sigma_c, 3)}${by.length ? `; it alone would raise a day: ${by.join(", ")}` : ""}`;
  },

  // ---- the people of a screening ----

  async fetchPeople() {
    if (data.detector.kind !== "skin") return;
    try {
      this.people = await ask("POST", `/bench/${data.detectorId}/people`, { take: data.take.id, detector: this.draft });
      this.$nextTick(() => {
        drawPeople(this.$refs.people, this.people.people, this.people.people.at(-1)?.threshold_c ?? this.dials.threshold_c, data.scale.level);
        const { sensitivity, specificity } = this.people.shares;
        if (this.people.roc) drawRoc(this.$refs.roc, this.people.roc, sensitivity === null || specificity === null ? null : { sensitivity, false_share: 1 - specificity });
      });
    } catch (error) { this.explain(error); }
  },
  exportPeople(as) {
    if (as !== "csv") return (as === "svg" ? saveSvg : savePng)(this.$refs.people, "people");
    const q = data.scale.level;
    return saveCsv([["from_s", "to_s", `temperature ${q.unit}`, `threshold ${q.unit}`, "asked_aside", "marked_warm"], ...this.people.people.map((p) => [p.start_s, p.end_s, show(q, p.c), show(q, p.threshold_c), p.beyond, p.warm])], "people");
  },
  exportRoc(as) {
    if (as !== "csv") return (as === "svg" ? saveSvg : savePng)(this.$refs.roc, "roc");
    const { roc } = this.people;
    return saveCsv([[`threshold ${data.scale.level.unit}`, "sensitivity", "1 - specificity"], ...roc.thresholds.map((c, i) => [c === null ? "" : show(data.scale.level, c), roc.sensitivity[i], roc.false_share[i]])], "roc");
  },
  percent(value) { return value === null || value === undefined ? "nobody" : `${Math.round(1000 * value) / 10} %`; },
  interval(pair) { return pair ? `${Math.round(100 * pair[0])} to ${Math.round(100 * pair[1])} %` : ""; },
  get refusedText() { return Object.entries(this.people?.refused ?? {}).map(([why, n]) => `${why} ${n}`).join(", ") || "none"; },
  get peopleText() { const p = this.people; return p ? `${p.people.length} measured, ${p.people.filter((v) => v.beyond).length} asked aside` : ""; },
  get rocText() { const roc = this.people?.roc; return roc ? `area ${roc.area.toFixed(3)}; best by Youden at ${fixed(data.scale.level, roc.youden_c, 2)} (J ${roc.youden_j.toFixed(2)})` : "no mark says who is too warm"; },
});
