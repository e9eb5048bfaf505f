// Recording a live device: begun by hand, around events, in set hours, a day wide; what was recorded, the room for it.
import { address, ask } from "/static/js/http.js";
import { numberOf } from "/static/js/units.js";

const LOOK_MS = 1500;
const short = (value) => String(Number(value.toPrecision(3)));

document.addEventListener("alpine:init", () =>
  window.Alpine.data("recording", () => ({
    minutes: "2",
    trouble: "",
    plan: { around: false, before_s: 10, after_s: 20, timetable: "", wide: null },
    timetables: [],
    recordings: [],
    besides: {},
    live: null,
    most: 0,
    usedMb: 0,
    roomMb: 0,

    init() {
      this.device = this.$root.dataset.device;
      this.offsetS = Number(this.$root.dataset.offset);
      this.look();
      setInterval(() => this.look(), LOOK_MS);
    },
    path(more = "") {
      return `/devices/${this.device}/recording${more}`;
    },
    async look() {
      await this.attempt(async () => {
        const told = await ask("GET", this.path());
        this.recordings = told.recordings;
        this.timetables = told.timetables;
        this.live = told.live;
        [this.usedMb, this.roomMb, this.most] = [told.used_mb, told.room_mb, told.most_clock_s];
        if (!this.$root.contains(document.activeElement)) this.plan = told.plan;
      }, false);
    },
    async attempt(work, told = true) {
      try {
        await work();
        if (told) this.trouble = "";
      } catch (error) {
        this.trouble = error.message;
      }
    },
    begin() {
      return this.act("POST", "", { minutes: numberOf(this.minutes) });
    },
    stop() {
      return this.act("DELETE", "");
    },
    act(method, more, body) {
      return this.attempt(async () => {
        await ask(method, this.path(more), body);
        await this.look();
      });
    },
    setNumber(name, text) {
      return this.set(name, numberOf(text));
    },
    async set(name, value) {
      const { around, before_s, after_s, timetable } = { ...this.plan, [name]: value };
      await this.attempt(async () => {
        this.plan = await ask("PUT", this.path("/plan"), { around, before_s, after_s, timetable });
      });
    },
    wide(what) {
      return this.attempt(async () => {
        this.plan = await ask("PUT", this.path("/wide"), { what });
      });
    },
    setRoom(text) {
      return this.attempt(async () => {
        ({ room_mb: this.roomMb } = await ask("PUT", "/recording/room", { mb: numberOf(text) }));
      });
    },

    beside(r) {
      return this.attempt(async () => {
        const told = await ask("GET", this.path(`/${r.id}/live`));
        const words = told.detectors.map((d) => `${d.detector}: ${d.text}`).join(". ");
        this.besides = { ...this.besides, [r.id]: words || "no detector ran" };
      });
    },
    besideOf(r) {
      return this.besides[r.id] ?? "";
    },

    get going() {
      return this.live?.going ?? null;
    },
    get words() {
      if (!this.live) return "the engine does not run this device";
      if (!this.going) return "nothing is recorded now";
      return `${this.going.why}, since ${this.clock(this.going.since)}, ${this.going.samples} samples stored`;
    },
    get full() {
      return this.live?.full ? `Nothing is recorded: ${this.live.full}` : "";
    },
    get clockWords() {
      const s = this.live?.clock_s;
      if (s === null || s === undefined) return "";
      return `The device's clock is ${short(Math.abs(s))} s ${s > 0 ? "ahead of" : "behind"} ours.`;
    },
    get clockOff() {
      return Math.abs(this.live?.clock_s ?? 0) > this.most;
    },
    get wideGoing() {
      return this.plan.wide !== null && !this.plan.wide.over;
    },
    get wideOver() {
      return this.plan.wide !== null && this.plan.wide.over;
    },
    get wideText() {
      const { wide } = this.plan;
      if (!wide || (wide.over && wide.seen)) return "";
      if (wide.over) return "A day was recorded wide: tune on it, then set the hours.";
      return `Recorded wide, around any activity, until ${this.dayOf(wide.until)}; then tune, then set the hours.`;
    },
    get ringText() {
      if (!this.live?.ring_s) return "";
      const mb = this.live.ring_bytes / 1e6;
      return `What came in the last ${this.live.ring_s} s is held in memory: ${short(mb)} MB.`;
    },
    get roomText() {
      return `${this.usedMb} MB of the site's room for recordings are used`;
    },
    clock(at) {
      return new Date((at + this.offsetS) * 1000).toISOString().slice(11, 19);
    },
    dayOf(at) {
      return new Date((at + this.offsetS) * 1000).toISOString().slice(0, 19).replace("T", " ");
    },
    fromText(r) {
      return this.dayOf(r.start);
    },
    endText(r) {
      const lost = r.lost ? `; ${r.lost} samples lost while the store was slow` : "";
      if (r.state === "recording") return `under way${lost}`;
      if (r.state !== "done") return `${r.state}: ${r.ended}${lost}`;
      return `${r.ended}${r.take ? "" : "; its take was deleted"}${lost}`;
    },
    takeLink: (r) => address(`/takes?take=${r.take}#take-${r.take}`),
  })),
);
