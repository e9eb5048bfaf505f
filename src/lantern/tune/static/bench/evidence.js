// Evidence: what is asked of the server after a change, all takes side by side, wishes.
import { ask } from "/static/js/http.js";
import { numberOf } from "/static/js/units.js";

const SCORE_MS = 400; // so long at most the score may lag behind a picture that is dragged

export const evidence = ({ data, infos }) => ({
  before: data.saved.card,
  now: data.saved.card,
  nuisance: data.saved.nuisance ?? [],
  ofNote: "", // strips count the false alarms of this note alone
  // What is counted stays, even once none is left of it.
  get noted() {
    const gone = this.ofNote && !this.nuisance.some(([note]) => note === this.ofNote);
    const counts = gone ? [...this.nuisance, [this.ofNote, 0]] : this.nuisance;
    return counts.map(([note, count]) => ({ note, text: `${count} ${note}` }));
  },
  countOnly(note) {
    this.ofNote = this.ofNote === note ? "" : note;
    this.stripsSoon();
  },
  judged: data.saved,
  judgedMs: null,
  judging: null,
  scoredAt: 0,
  moved: false, // a region is being dragged
  together: false,
  wishes: Object.fromEntries(data.wishes.map((name) => [name, ""])),
  takes: null,
  aside: {}, // what was ticked here, by take
  page: Math.random().toString(36).slice(2), // the server may stop what it works out for an earlier turn of this page
  turn: 0,

  get events() {
    return this.judged.events ?? []; // of a kind that raises
  },
  get draft() {
    return { ...data.detector, dials: this.dials, regions: this.regions, timetable: this.timetable, ...this.own };
  },
  get wished() {
    return Object.fromEntries(Object.entries(this.wishes).map(([name, text]) => [name, numberOf(text)]));
  },
  refresh() {
    this.drawView();
    this.judgeSoon();
    this.readingsSoon();
    this.stripsSoon();
    this.writeAddress();
  },
  async post(parts, extra = {}) {
    return ask("POST", `/bench/${data.detectorId}/judge`, {
      take: data.take.id,
      detector: this.draft,
      parts,
      together: this.together,
      page: this.page,
      turn: this.turn,
      ...extra,
    });
  },
  async judge(superseded) {
    const began = performance.now();
    let done;
    this.judging = new Promise((resolve) => {
      done = resolve;
    });
    try {
      await this.judgeFirst?.();
      if (this.judgeFirst && superseded() && began - this.scoredAt < SCORE_MS) return;
      // the hand still moves: the picture first
      const { judged } = await this.post(["judged"]);
      this.judged = judged;
      this.scoredAt = performance.now();
      this.now = judged.card;
      this.nuisance = judged.nuisance ?? [];
      this.matters = judged.matters;
      if (this.chosenEvent !== null && this.chosenEvent >= this.events.length) this.chosenEvent = null;
      this.trouble = "";
      this.faults = {};
      if (!this.moved) this.drawAxis();
      // a line that is dragged: the picture and the score follow it, the axis once it is let go
      this.judgedMs = performance.now() - began;
    } catch (error) {
      this.explain(error);
    } finally {
      done();
    }
  },
  async fetchReadings() {
    if (!data.frame.axis) return this.drawView();
    await this.judging; // the score and the picture come first: one processor works all of it out
    try {
      const { readings } = await this.post(["readings"]);
      this.showReadings(readings);
      this.drawView();
    } catch (error) {
      this.explain(error);
    }
  },
  // Evidence is worked out for what can be seen: some dials, the shutter's above all, want every frame looked at anew.
  dialsInSight() {
    if (!data.frame.evidence.includes("strips")) return [];
    const names = [...this.$root.querySelectorAll("[data-dial]")]
      .filter((dial) => !dial.closest("details:not([open])"))
      .map((dial) => dial.dataset.dial);
    const soon = (name) => (name === this.chosenDial ? 2 : 0) + (this.judged.exact.includes(name) ? 1 : 0);
    return names
      .filter((name) => this.dials[name] !== null && this.matters.includes(name))
      .sort((a, b) => soon(b) - soon(a));
  },
  // Dial by dial, the chosen one first, then those that are worked out in one go: on a long take a step of a dial must
  // not wait for the evidence of all the others.
  async fetchStrips(superseded) {
    try {
      let fresh = {};
      for (const [place, name] of this.dialsInSight().entries()) {
        await this.judging;
        if (superseded()) return;
        const { strips, ...beside } = await this.post(place === 0 ? this.stripParts : ["strips"], {
          wishes: this.wished,
          of_note: this.ofNote,
          strips: [name],
        });
        this.restPosts(beside);
        fresh = { ...fresh, ...strips };
        this.strips = { ...this.strips, ...strips };
        this.$nextTick(() => this.drawStrip(name));
      }
      this.strips = fresh; // those that play no part any more are gone
      if (this.tab === "takes") await this.fetchTakes();
      await this.evidenceRenewed?.();
    } catch (error) {
      this.explain(error);
    }
  },
  explain(error) {
    if (error.name === "AbortError" || error.superseded) return;
    for (const fault of error.faults ?? []) {
      const name = fault.where.replace(/^dials\./, "");
      if (infos[name]) this.faults[name] = `${fault.what}; expected ${fault.expected}`;
    }
    this.trouble = error.message;
  },

  get cautionText() {
    return this.judged.cautions.join(". ");
  },

  // ---- all takes ----

  setTogether(on) {
    this.together = on;
    this.stripsSoon();
    this.writeAddress();
  },
  setWish(name, text) {
    this.wishes[name] = text;
    this.stripsSoon();
    this.writeAddress();
  },
  async fetchTakes() {
    try {
      ({ takes: this.takes } = await this.post(["takes"]));
    } catch (error) {
      this.explain(error);
    }
  },
  async setAside(id, aside) {
    this.aside = { ...this.aside, [id]: aside }; // follows the hand at once
    try {
      await ask("PUT", `/takes/${id}/aside`, { aside });
      await this.fetchTakes();
      this.stripsSoon();
    } catch (error) {
      this.aside = { ...this.aside, [id]: !aside };
      this.explain(error);
    }
  },
  isAside(one) {
    return this.aside[one.id] ?? one.aside;
  },
  get validationText() {
    return this.takes?.validation.text ?? "";
  },
  get validationBad() {
    return this.takes?.validation.verdict === "over-tuned";
  },
});
