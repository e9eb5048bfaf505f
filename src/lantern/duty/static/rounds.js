// The rounds of a sheet: stops, sweeps, chains, ways that were driven; each change is one state that can be taken back.
import { numberOf } from "/static/js/units.js";
import { lasting } from "./charts.js";

const WAYS = [
  ["round", "one after another"],
  ["to_and_fro", "to and fro"],
];
const OTHER = { sweep: "a sweep", chain: "a chain", driven: "as it was driven" };
const copy = (value) => JSON.parse(JSON.stringify(value));
const without = (list, n) => list.filter((_, other) => other !== n);

export const rounds = () => ({
  changeRound(n, part) {
    const next = copy(this.sheet.rounds);
    Object.assign(next[n], part);
    this.change({ rounds: next });
  },
  // What goes by its name goes by the new one.
  renameRound(n, name) {
    const old = this.sheet.rounds[n].name;
    const renamed = (word) => (word === old ? name : word);
    const next = copy(this.sheet);
    next.rounds.forEach((each) => {
      each.rounds = each.rounds.map(renamed);
    });
    next.rounds[n].name = name;
    next.hours.forEach((row) => {
      row.do = renamed(row.do);
    });
    next.idle = next.idle === null ? null : renamed(next.idle);
    this.became(next);
  },
  dropRound(n) {
    this.change({ rounds: without(this.sheet.rounds, n) });
  },
  addRound() {
    const first = this.presets[0];
    if (!first) {
      this.trouble = "It has no preset yet: keep one where it is steered.";
      return;
    }
    this.addOne("Round", { stops: [{ preset: this.numberIn(first[0]), stay_s: 10, speed: 1 }] });
  },
  addSweep() {
    const sweep = { pan_from_deg: 270, pan_to_deg: 90, tilt_deg: 8, zoom: 1, speed_deg_s: 5 };
    this.addOne("Sweep", { way: "sweep", sweep });
  },
  addChain() {
    this.addOne("Chain", { way: "chain", rounds: [this.sheet.rounds[0].name] });
  },
  addOne(word, part) {
    const names = this.sheet.rounds.map(({ name }) => name);
    let n = names.length + 1;
    while (names.includes(`${word} ${n}`)) n += 1;
    const whole = { name: `${word} ${n}`, way: "round", stops: [], sweep: null, rounds: [], driven: [], ...part };
    this.change({ rounds: [...this.sheet.rounds, whole] });
  },

  // ---- stops ----

  changeStop(n, stop, part) {
    const { stops } = copy(this.sheet.rounds[n]);
    Object.assign(stops[stop], part);
    this.changeRound(n, { stops });
  },
  dropStop(n, stop) {
    this.changeRound(n, { stops: without(this.sheet.rounds[n].stops, stop) });
  },
  moveStop(n, stop) {
    const { stops } = copy(this.sheet.rounds[n]);
    [stops[stop - 1], stops[stop]] = [stops[stop], stops[stop - 1]];
    this.changeRound(n, { stops });
  },
  addStop(n) {
    const { stops } = copy(this.sheet.rounds[n]);
    stops.push({ preset: this.numberIn(this.presets[0][0]), stay_s: 10, speed: 1 });
    this.changeRound(n, { stops });
  },

  // ---- sweeps and chains ----

  sweepsOf({ sweep }) {
    return sweep ? [sweep] : [];
  },
  changeSweep(n, key, text) {
    const value = numberOf(text);
    if (value !== null) this.changeRound(n, { sweep: { ...this.sheet.rounds[n].sweep, [key]: value } });
  },
  changeLink(n, place, name) {
    this.changeRound(n, { rounds: this.sheet.rounds[n].rounds.map((each, at) => (at === place ? name : each)) });
  },
  dropLink(n, place) {
    this.changeRound(n, { rounds: without(this.sheet.rounds[n].rounds, place) });
  },
  addLink(n) {
    const other = this.sheet.rounds.find((_, at) => at !== n);
    if (other) this.changeRound(n, { rounds: [...this.sheet.rounds[n].rounds, other.name] });
  },
  othersOf({ name }) {
    return this.sheet.rounds.map((each) => each.name).filter((other) => other !== name);
  },

  // ---- words ----

  isWay({ way }, word) {
    return way === word;
  },
  waysOf({ way }) {
    return way in OTHER ? [[way, OTHER[way]]] : WAYS;
  },
  hasStops({ way }) {
    return !(way in OTHER);
  },
  hasMoreStops({ stops }) {
    return stops.length > 1;
  },
  cycleText({ name }) {
    const found = this.judged.rounds?.[name];
    return found?.cycle_s ? `once round in ${lasting(found.cycle_s)}` : "";
  },
  drivenText({ driven }) {
    return driven.length ? `${driven.length} moments in ${lasting(driven.at(-1)[0] - driven[0][0])}` : "";
  },
  takeAwayText({ name }) {
    return `Take ${name} away`;
  },
  tryLabel({ name }) {
    return `try it: ${name}`;
  },
});
