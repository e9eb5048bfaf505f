// Studies: long work in the worker, followed by its row; a map of two dials, and revisions judged on a later take.
import { ask } from "/static/js/http.js";
import { saveCsv, savePng, saveSvg } from "/static/js/export.js";
import { PairMap } from "/static/tune/pairmap.js";
import { told } from "/static/tune/measures.js";
import { short } from "/static/js/svg.js";
import { show } from "/static/js/units.js";

const LOOK_MS = 300;

export const studies = ({ data, infos, drawn }) => ({
  studies: data.studies,
  pair: { x: data.pair[0], y: data.pair[1] },
  pairRead: "",

  get pairDials() {
    return data.dials.filter((d) => d.numeric && this.matters.includes(d.name) && this.dials[d.name] !== null);
  },
  startStudies() {
    drawn.map = new PairMap(this.$refs.map, {
      read: (cell) => this.readCell(cell),
      pick: (cell) => this.pickCell(cell),
    });
    this.$watch("tab", (tab) => {
      if (tab === "map") this.$nextTick(() => this.drawMap());
      if (tab === "regions") this.$nextTick(() => this.drawLineMap?.());
    });
    for (const what of Object.keys(this.studies)) if (this.studies[what]?.open) this.follow(what);
    this.$nextTick(() => this.drawMap());
  },
  study(what) {
    return this.studies[what] ?? null;
  },
  isOpen(what) {
    return this.studies[what]?.open === true;
  },
  isDone(what) {
    return this.studies[what]?.state === "done";
  },
  progressOf(what) {
    const s = this.studies[what];
    return s && s.total ? Math.round((100 * s.done) / s.total) : 0;
  },
  progressText(what) {
    const s = this.studies[what];
    return !s ? "" : s.state === "waiting" ? "waiting for the worker" : `${s.done} of ${s.total}`;
  },
  studyFaults(what) {
    return (this.studies[what]?.faults ?? []).map((f) => `${f.where}: ${f.what}; expected ${f.expected}`).join(". ");
  },
  async askStudy(what, extra = {}) {
    try {
      this.studies[what] = await ask("POST", `/bench/${data.detectorId}/studies`, {
        take: data.take.id,
        detector: this.draft,
        together: this.together,
        wishes: this.wished,
        what,
        ...extra,
      });
      this.trouble = "";
      await this.follow(what);
    } catch (error) {
      this.explain(error);
    }
  },
  async follow(what) {
    while (this.studies[what]?.open) {
      await new Promise((done) => setTimeout(done, LOOK_MS));
      this.studies[what] = await ask("GET", `/studies/${this.studies[what].id}`);
    }
    if (what === "map") this.$nextTick(() => this.drawMap());
    if (what === "line") this.$nextTick(() => this.drawLineMap());
    if (what === "rejudge" && this.tab === "takes") this.fetchTakes();
  },
  async cancelStudy(what) {
    this.studies[what] = await ask("POST", `/studies/${this.studies[what].id}/cancel`);
  },

  // ---- the map ----

  askMap() {
    return this.askStudy("map", { dial_x: this.pair.x, dial_y: this.pair.y });
  },
  get map() {
    const s = this.studies.map;
    return s?.state === "done" ? s.result : null;
  },
  drawMap() {
    const map = this.map;
    if (!map || this.tab !== "map") return;
    const [qx, qy] = [infos[map.dial_x].shown, infos[map.dial_y].shown];
    drawn.map.draw(map, {
      qx,
      qy,
      at: { x: this.dials[map.dial_x] ?? map.x[0], y: this.dials[map.dial_y] ?? map.y[0] },
      labels: { x: `${infos[map.dial_x].label}, ${qx.unit}`, y: `${infos[map.dial_y].label}, ${qy.unit}` },
    });
  },
  cellText({ row, column }) {
    const map = this.map;
    const at = (name, value) => `${infos[name].label} ${short(show(infos[name].shown, value))}`;
    const pair = `${at(map.dial_x, map.x[column])}, ${at(map.dial_y, map.y[row])}`;
    return `${pair}: ${told(
      map.measures,
      map.measures.map((m) => map.values[m.name][row][column]),
    )}`;
  },
  readCell(cell) {
    this.pairRead = cell && this.map ? this.cellText(cell) : "";
  },
  pickCell({ row, column }) {
    const map = this.map;
    this.remember();
    this.dials[map.dial_x] = map.x[column];
    this.dials[map.dial_y] = map.y[row];
    this.resetTexts();
    this.refresh();
    this.drawMap();
  },
  get front() {
    return (this.map?.front ?? [])
      .slice(0, 8)
      .map(([row, column]) => ({ row, column, key: `${row}-${column}`, text: this.cellText({ row, column }) }));
  },
  get robustText() {
    const map = this.map;
    return map ? this.cellText({ row: map.robust[0], column: map.robust[1] }) : "";
  },
  pickRobust() {
    this.pickCell({ row: this.map.robust[0], column: this.map.robust[1] });
  },
  exportMap(as) {
    const map = this.map;
    if (as !== "csv") return (as === "svg" ? saveSvg : savePng)(this.$refs.map, "map");
    const [qx, qy] = [infos[map.dial_x].shown, infos[map.dial_y].shown];
    const names = map.measures.map((m) => m.name);
    const rows = map.y.flatMap((y, r) =>
      map.x.map((x, c) => [show(qx, x), show(qy, y), ...names.map((name) => map.values[name][r][c])]),
    );
    return saveCsv([[map.dial_x, map.dial_y, ...names], ...rows], "map");
  },

  // ---- what a later take said ----

  get rejudged() {
    const s = this.studies.rejudge;
    return s?.state === "done" ? s.result : null;
  },
});
