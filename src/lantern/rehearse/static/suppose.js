// What if: what is supposed is put together here; the server plays it beside the site as it is, and says what differs.
import { ask } from "/static/js/http.js";
import { numberOf } from "/static/js/units.js";

const MINUTE_S = 60;

export const suppose = (data) => ({
  supposed: { down: [], away: [], revisions: {} },
  late: "0",
  later: "0",
  guards: "1",
  device: data.devices[0]?.code ?? "",
  how: "down",
  awayAt: "",
  awayFor: "10",
  detector: data.detectors[0]?.name ?? "",
  revision: "",
  then: null, // what came of it
  asIs: null, // the site as it is, while what is supposed is drawn
  supposing: false,
  supposeFault: "",

  get supposedChips() {
    const { down, away, revisions } = this.supposed;
    return [
      ...down.map((code) => ({
        key: `down ${code}`,
        text: `${code} is down`,
        drop: { down: down.filter((each) => each !== code) },
      })),
      ...away.map((each) => ({
        key: `away ${each.device} ${each.at}`,
        text: `${each.device} is away ${each.length_s / MINUTE_S} min from ${each.at}`,
        drop: { away: away.filter((one) => one !== each) },
      })),
      ...Object.entries(revisions).map(([name, number]) => ({
        key: `revision ${name}`,
        text: `${name} as in revision ${number}`,
        drop: { revisions: Object.fromEntries(Object.entries(revisions).filter(([other]) => other !== name)) },
      })),
    ];
  },
  dropSupposed({ drop }) {
    this.supposed = { ...this.supposed, ...drop };
  },
  get revisionsOf() {
    const newest = data.detectors.find(({ name }) => name === this.detector)?.revision ?? 0;
    return Array.from({ length: Math.max(newest - 1, 0) }, (_, n) => String(newest - 1 - n));
  },
  supposeDevice() {
    const { down, away } = this.supposed;
    this.supposeFault = "";
    if (this.how === "down") {
      this.supposed = { ...this.supposed, down: [...down.filter((each) => each !== this.device), this.device] };
      return;
    }
    const [at, minutes] = [this.awayAt.trim().padStart(5, "0"), numberOf(this.awayFor)];
    if (!/^\d{2}:\d{2}(:\d{2})?$/.test(at) || minutes === null) {
      this.supposeFault = "From when it is away is a time such as 22:14, and for how long a number of minutes.";
      return;
    }
    const one = { device: this.device, at, length_s: minutes * MINUTE_S };
    this.supposed = { ...this.supposed, away: [...away, one] };
  },
  supposeRevision() {
    const number = numberOf(this.revision || (this.revisionsOf[0] ?? ""));
    if (number === null) return;
    this.supposed = { ...this.supposed, revisions: { ...this.supposed.revisions, [this.detector]: number } };
  },

  async playSupposed() {
    const numbers = { late_s: this.late, later_h: this.later, guards: this.guards };
    const given = Object.fromEntries(Object.entries(numbers).map(([key, text]) => [key, numberOf(text) ?? text]));
    this.supposeFault = "";
    this.supposing = true;
    try {
      this.showAsIs();
      this.then = await ask("POST", `/rehearsal/suppose?${this.asLaid}`, { ...this.supposed, ...given });
    } catch (error) {
      this.supposeFault = error.message;
    } finally {
      this.supposing = false;
    }
  },
  showThen() {
    this.asIs ??= this.done;
    this.picked = null;
    this.done = { ...this.then.run, since: this.asIs.since };
    this.draw();
  },
  showAsIs() {
    if (this.asIs === null) return;
    this.done = this.asIs;
    this.asIs = null;
    this.picked = null;
    this.draw();
  },
  get thenText() {
    if (!this.then) return "";
    const { differences, otherwise: count } = this.then;
    if (!differences.length && !count) return "Nothing comes out otherwise.";
    return `${count} ${count === 1 ? "order comes" : "orders come"} out otherwise.`;
  },
  // A line a thing: all that is another of it.
  get thenLines() {
    const lines = new Map();
    for (const { name, what, before, after, worse } of this.then?.differences ?? []) {
      const line = lines.get(name) ?? { key: name, name, texts: [], worse: [] };
      line.texts.push(`${what} ${before} → ${after}`);
      line.worse.push(worse);
      lines.set(name, line);
    }
    const differences = [...lines.values()].map(({ texts, worse, ...line }) => ({
      ...line,
      text: texts.join(", "),
      class: worse.includes(true) ? "lost" : worse.includes(false) ? "kept" : "",
    }));
    const orders = (this.then?.orders ?? []).map(({ on, words, times, first_s: first }, n) => ({
      key: `o${n}`,
      name: on,
      text: `${words}${times > 1 ? `, ${times} times, first` : ""} at ${this.clock(first)}`,
      class: "",
    }));
    return [...differences, ...orders];
  },
  get thenLoad() {
    const [before, after] = this.then?.load ?? [null, null];
    if (!after || after.per_10_min === null || before.count === after.count) return "";
    const [was, is] = [before, after].map(({ per_10_min: mean }) => mean.toFixed(1));
    return `Alarms for each guard in ten minutes: ${was} → ${is}, at worst ${before.worst} → ${after.worst}.`;
  },
});
