// What an import asks: answers are looked at by the server as they are given, and sent when they do.
import { saveText } from "/static/js/export.js";
import { ask, latest } from "/static/js/http.js";
import { numberOf } from "/static/js/units.js";

document.addEventListener("alpine:init", () => {
  window.Alpine.data("questions", () => ({
    jobId: 0,
    asked: { facts: [], asked: {}, guess: {}, kinds: [] },
    choices: { devices: [], device_kinds: [], places: [] },
    info: { name: "" }, // answers by key of the sidecar; of names each, an object
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
      this.info = { name: guess.name ?? "" };
      for (const { key, sort } of this.questions)
        this.info[key] = sort === "each" ? { ...guess[key] } : guess[key] == null ? "" : String(guess[key]);
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
      this.faults = job.faults.map(this.placed);
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
    get questions() {
      return this.asked.asked?.[this.kind] ?? [];
    },
    // those that the other answers leave open
    get open() {
      return this.questions.filter(({ only }) => !only || this.info[only[0]] === only[1]);
    },
    get single() {
      return this.open.filter(({ sort }) => sort !== "each");
    },
    get each() {
      return this.open.filter(({ sort }) => sort === "each");
    },
    named({ names, but }) {
      return names.filter((name) => name !== this.info[but]);
    },
    // a time with an offset is shown in UTC, where it means the same
    beginsWith(text) {
      if (!text) return;
      const away = /(Z|[+-]\d\d:\d\d)$/.test(text);
      this.start = (away ? new Date(text).toISOString() : text).slice(0, 19);
      if (away) this.zone = "UTC";
    },
    chosen({ key }) {
      if (key === "times") this.beginsWith(this.asked.begins?.[this.info.times]);
      this.look();
    },

    answers() {
      const info = { ...this.asked.given, name: this.info.name, kind: this.kind };
      for (const { key, sort } of this.open) {
        const value = sort === "number" ? numberOf(this.info[key]) : this.info[key];
        info[key] = Number.isNaN(value) ? this.info[key] : value === "" ? null : value;
      }
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
    // where, without the word that all of them begin with
    placed: ({ where, what, expected }) => `${where.replace(/^answers: /, "")}: ${what}; expected ${expected}`,
    async send() {
      this.busy = true;
      try {
        this.$dispatch("answered", await ask("POST", `/takes/imports/${this.jobId}/answers`, this.answers()));
      } catch (error) {
        this.faults = error.faults?.length ? error.faults.map(this.placed) : error.message.split("\n");
      }
      this.busy = false;
    },
    keep() {
      saveText(JSON.stringify(this.sidecar, null, 2), "application/json", `${this.asked.file}.json`);
    },

    // ---- the sketch ----

    async sketch() {
      const drawn = this.asked.drawn?.[this.kind];
      if (!drawn || !this.$refs.sketch) return;
      const { look } = await import(drawn.script);
      this.$refs.sketch.replaceChildren(look(drawn, this.info));
    },
  }));
});
