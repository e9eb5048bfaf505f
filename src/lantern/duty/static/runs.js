// What is really run: a round tried at the device, a night on the stand-in, and the ways that somebody drove.
import { ask } from "/static/js/http.js";
import { short } from "/static/js/svg.js";
import { lasting } from "./charts.js";

const LOOK_MS = 700;
const CLOSED = { open: false, done: 0, of: 0, found: [], said: "" };
const pause = () => new Promise((done) => setTimeout(done, LOOK_MS));

export const runs = (at) => ({
  trying: CLOSED,
  tried: "", // the round's name
  night: CLOSED,
  ways: [],
  noWays: false,

  async attemptRun(work) {
    try {
      await work();
      this.trouble = "";
    } catch (error) {
      this.trouble = error.message;
    }
  },
  async follow(key, path) {
    while (this[key].open) {
      await pause();
      await this.attemptRun(async () => {
        this[key] = await ask("GET", `${at}/${path}`);
      });
      if (this.trouble) return;
    }
  },
  async resume() {
    await this.attemptRun(async () => {
      [this.trying, this.night] = await Promise.all([ask("GET", `${at}/try`), ask("GET", `${at}/night`)]);
    });
    this.follow("trying", "try");
    this.follow("night", "night");
  },

  // ---- a round, once ----

  tryRound({ name }) {
    return this.attemptRun(async () => {
      this.tried = name;
      this.trying = await ask("POST", `${at}/try`, { sheet: this.sheet, name });
      this.follow("trying", "try");
    });
  },
  stopTrying() {
    return this.attemptRun(async () => {
      this.trying = await ask("DELETE", `${at}/try`);
    });
  },
  isTried({ name }) {
    return this.tried === name;
  },
  get triedText() {
    const { open, done, of, found, said } = this.trying;
    if (said) return said;
    if (open) return `${done} of ${of}`;
    if (!found.length) return "";
    const stops = found.map(([name, took, should]) => `${name} in ${short(took, 3)} s (${short(should, 3)})`);
    const off = Math.max(...found.map((each) => each[3]));
    return `There: ${stops.join(", ")}; ${short(off, 2)}° off at most.`;
  },

  // ---- a night ----

  runNight() {
    return this.attemptRun(async () => {
      this.night = await ask("POST", `${at}/night`, { sheet: this.sheet });
      this.follow("night", "night");
    });
  },
  stopNight() {
    return this.attemptRun(async () => {
      this.night = await ask("DELETE", `${at}/night`);
    });
  },
  get hasNight() {
    return !this.night.open && this.night.found.length > 0;
  },
  get nightRows() {
    return this.night.found.filter(([, , , share, sums]) => share > 0 || sums > 0);
  },
  nightText([, ran, sums]) {
    return `${lasting(ran)}, by the sums ${lasting(sums)}`;
  },

  // ---- ways that somebody drove ----

  showWays() {
    return this.attemptRun(async () => {
      this.ways = await ask("GET", `${at}/driven`);
      this.noWays = this.ways.length === 0;
    });
  },
  wayText({ who, at: began, length_s: length, moments }) {
    return `${who}, ${began}, ${lasting(length)}, ${moments.length} moments`;
  },
  takeWay({ moments }) {
    this.addOne("Drive", { way: "driven", driven: moments });
    this.ways = [];
  },
});
