// What an import asks: answers are looked at by the server as they are given, and sent when they do.
import { saveText } from "/static/js/export.js";
import { ask, latest } from "/static/js/http.js";
import { el } from "/static/js/svg.js";
import { numberOf } from "/static/js/units.js";

const NUMBERS = ["fps", "width", "height", "scale", "offset"];
const WIDE = 300;
const INKS = ["var(--oxide)", "var(--patina)", "var(--plum)", "var(--brass)"];

document.addEventListener("alpine:init", () => {
  window.Alpine.data("questions", () => ({
    jobId: 0,
    asked: { facts: [], asked: {}, classes: [], guess: {}, kinds: [] },
    choices: { devices: [], device_kinds: [], places: [] },
    info: { name: "", times: "", units: {}, classes: {} },
    device: "",
    fresh: { code: "", name: "", kind: "", place_id: "", place: "" },
    start: "",
    zone: "",
    faults: [],
    lines: [],
    sidecar: null,
    busy: false,

    begin(job) {
      const { asked } = job;
      const asText = (pairs) => pairs.map(([id, words]) => [String(id), words]);
      const choices = { ...job.choices, devices: asText(job.choices.devices), places: asText(job.choices.places) };
      Object.assign(this, { jobId: job.id, asked, choices, zone: choices.zone });
      const guess = asked.guess;
      const known = NUMBERS.map((key) => [key, guess[key] === undefined ? "" : String(guess[key])]);
      this.info = {
        ...Object.fromEntries(known),
        name: guess.name ?? "",
        times: guess.times ?? "",
        units: { ...guess.units },
        classes: { ...guess.classes },
        still: guess.still,
      };
      const wanted = new URLSearchParams(location.search).get("import");
      const byCode = choices.codes[guess.device];
      this.device = choices.devices.some(([id]) => id === wanted)
        ? wanted
        : byCode
          ? String(byCode)
          : choices.devices.length
            ? ""
            : "new";
      if (guess.device && !byCode) this.device = "new";
      this.fresh = {
        code: guess.device ?? "",
        name: "",
        kind: choices.device_kinds[0]?.[0] ?? "",
        place_id: choices.places[0]?.[0] ?? "",
        place: "",
      };
      this.beginsWith(asked.begins?.[this.info.times] ?? asked.begins?.[""]);
      this.faults = job.faults.map((f) => `${f.where}: ${f.what}; expected ${f.expected}`);
      this.look = latest(() => this.preview());
      this.$nextTick(() => this.sketch());
      this.look();
    },
    id(name) {
      return `${name}-${this.jobId}`;
    },
    get kind() {
      return this.asked.kinds[0];
    },
    get describes() {
      return this.asked.needs === "answers";
    },
    get sketched() {
      return this.describes && this.kind in (this.asked.drawn ?? {});
    },
    get times() {
      return this.asked.columns?.times ?? [];
    },
    get readings() {
      return (this.asked.columns?.readings ?? []).filter((name) => name !== this.info.times);
    },
    get wantsRate() {
      return this.wants("fps") || (this.wants("times") && this.info.times === "");
    },
    wants(key) {
      return (this.asked.asked?.[this.kind] ?? []).includes(key);
    },
    // a time with an offset is shown in UTC, where it means the same
    beginsWith(text) {
      if (!text) return;
      const away = /(Z|[+-]\d\d:\d\d)$/.test(text);
      this.start = (away ? new Date(text).toISOString() : text).slice(0, 19);
      if (away) this.zone = "UTC";
    },
    timesChosen() {
      this.beginsWith(this.asked.begins?.[this.info.times]);
      this.look();
    },

    answers() {
      const info = { name: this.info.name, kind: this.kind };
      const number = (key) => {
        const value = numberOf(this.info[key]);
        return Number.isNaN(value) ? this.info[key] : value;
      };
      for (const key of NUMBERS) if (this.wants(key) || (key === "fps" && this.wantsRate)) info[key] = number(key);
      if (this.wants("times")) {
        info.times = this.info.times || null;
        info.units = this.info.units;
      } else if (this.info.times) info.times = this.info.times;
      if (this.wants("classes")) info.classes = this.info.classes;
      if (this.info.still) info.still = this.info.still;
      const out = this.describes ? { info, start: this.start, zone: this.zone } : {};
      if (this.device === "new")
        out.new_device = { ...this.fresh, place_id: this.fresh.place_id === "" ? null : Number(this.fresh.place_id) };
      else out.device_id = this.device === "" ? null : Number(this.device);
      return out;
    },
    look() {},
    async preview() {
      try {
        const { lines, sidecar, faults } = await ask("POST", `/takes/imports/${this.jobId}/preview`, this.answers());
        this.sidecar = sidecar;
        this.lines = [...lines, ...faults.map((f) => `${f.where.replace("answers: ", "")}: ${f.what}`)];
        this.sketch();
      } catch (error) {
        this.faults = error.message.split("\n");
      }
    },
    async send() {
      this.busy = true;
      try {
        this.$dispatch("answered", await ask("POST", `/takes/imports/${this.jobId}/answers`, this.answers()));
      } catch (error) {
        this.faults = error.message.split("\n");
      }
      this.busy = false;
    },
    keep() {
      saveText(JSON.stringify(this.sidecar, null, 2), "application/json", `${this.asked.file}.json`);
    },

    // ---- the sketch ----

    sketch() {
      const drawn = this.asked.drawn?.[this.kind];
      if (!drawn || !this.$refs.sketch) return;
      const sketches = { picture: this.picture, ways: this.ways, columns: this.curves };
      const of = sketches[drawn.as].call(this, drawn);
      this.$refs.sketch.replaceChildren(of);
    },
    curves({ columns: drawn }) {
      const height = 150;
      const all = Object.values(drawn).flat();
      const [low, high] = [Math.min(...all), Math.max(...all)];
      const y = (value) => height - 8 - ((value - low) / (high - low || 1)) * (height - 16);
      const lines = Object.values(drawn).map((values, n) =>
        el("polyline", {
          points: values.map((v, i) => `${(i / Math.max(values.length - 1, 1)) * WIDE},${y(v).toFixed(1)}`).join(" "),
          fill: "none",
          stroke: INKS[n],
          "stroke-width": 1.4,
        }),
      );
      const names = Object.keys(drawn).map((name, n) =>
        el("text", { x: 6, y: 14 + 13 * n, fill: INKS[n], "font-size": 11.5 }, name),
      );
      return el(
        "svg",
        { viewBox: `0 0 ${WIDE} ${height}`, role: "img", "aria-label": "The readings over time" },
        lines,
        names,
      );
    },
    ways(drawn) {
      const [width, height] = [
        drawn.normalised ? drawn.right : Number(this.info.width) || drawn.right,
        drawn.normalised ? drawn.bottom : Number(this.info.height) || drawn.bottom,
      ];
      const lines = drawn.ways.map((points) =>
        el("polyline", {
          points: points.map((p) => p.join(",")).join(" "),
          fill: "none",
          stroke: "var(--patina)",
          "stroke-width": 1.2,
          "vector-effect": "non-scaling-stroke",
          opacity: 0.7,
        }),
      );
      return el(
        "svg",
        { viewBox: `0 0 ${width} ${height}`, role: "img", "aria-label": "Ways of the objects in the picture" },
        el("rect", {
          width,
          height,
          fill: "var(--panel)",
          stroke: "var(--rule)",
          "vector-effect": "non-scaling-stroke",
        }),
        lines,
      );
    },
    picture(drawn) {
      const [height, width] = [drawn.raw.length, drawn.raw[0].length];
      const canvas = Object.assign(document.createElement("canvas"), { width, height, role: "img" });
      canvas.setAttribute("aria-label", "A frame of it");
      const context = canvas.getContext("2d");
      const image = context.createImageData(width, height);
      drawn.raw.flat().forEach((raw, i) => {
        const grey = (255 * (raw - drawn.low)) / (drawn.high - drawn.low || 1);
        image.data.set([grey, grey, grey, 255], 4 * i);
      });
      context.putImageData(image, 0, 0);
      return canvas;
    },
  }));
});
