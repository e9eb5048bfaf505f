// Counts against counts by hand: intervals, errors with their intervals, a tally made while the take plays, where the line should lie.
import { saveCsv, savePng, saveSvg } from "/static/js/export.js";
import { ask } from "/static/js/http.js";
import { el, redraw, short, ticks } from "/static/js/svg.js";
import { copy } from "/static/js/bench/dials.js";

const WIDTH = 332;

export const counting = ({ data, drawn }) => ({
  counts: null,
  everyS: 60,
  who: null,
  tally: null, // { who, passages, saved }

  countsRenewed() { if (this.tab === "counts") this.fetchCounts(); },
  async fetchCounts() {
    if (!data.counts) return;
    try {
      ({ counts: this.counts } = await this.post(["counts"], { also: { every_s: this.everyS, who: this.who } }));
      this.who = this.counts.who;
      this.$nextTick(() => this.drawCounts());
    } catch (error) { this.explain(error); }
  },
  setEvery(text) { this.everyS = Number(text); this.fetchCounts(); },
  setWho(text) { this.who = Number(text); this.fetchCounts(); },
  get countCautions() { return this.counts?.cautions ?? []; },
  get observers() { return this.counts?.observers ?? []; },
  percentText(value) { return value === null || value === undefined ? "nobody passed" : `${(100 * value).toFixed(1)} %`;
    },
  signed(value) { return value === null || value === undefined
    ? "nobody passed" : `${value > 0 ? "+" : ""}${(100 * value).toFixed(1)} %`; },
  biasText(way) { const a = this.counts?.audit[way]; return !a ? "" : a.bias_low === null
    ? this.signed(a.bias) : `${this.signed(a.bias)} (${this.signed(a.bias_low)} to ${this.signed(a.bias_high)})`; },
  caughtText(way) { const a = this.counts?.audit[way]; return !a || a.caught_low === null
    ? "" : `${a.caught} of ${a.by_hand} (${Math.round(100 * a.caught_low)} to ${Math.round(100 * a.caught_high)} %), ${a.extra} extra`; },
  way(way, key) { return this.counts?.audit[way]?.[key] ?? ""; },
  get sureText() {
    const c = this.counts;
    if (!c || !c.needs) return c && this.observers.length === 0
      ? "Nobody has counted this take by hand yet: make a tally, or bring a file start_s,end_s,in,out." : "";
    const enough = c.needs.enough ? "enough" : "too few";
    const differ = c.differ === null ? "" : ` Two people differ by ${(100 * c.differ).toFixed(1)} %.`;
    return `${c.needs.has} passages: ${enough}; ${c.needs.passages} would show the caught share to within ${100 * c.needs.error} %.${differ}`;
  },
  get occupancyText() {
    const c = this.counts;
    if (!c) return "";
    const drift = c.drift ? ` After ${c.drift.visitors} visitors it would be ${c.drift.mean > 0 ? "+" : ""}${c.drift.mean} ± ${c.drift.deviation} off.` : "";
    return `${c.inside} inside at the end${c.clamped ? `, ${c.clamped} left who had never come in` : ""}.${drift}`;
  },
  get heightText() {
    const h = this.counts?.height;
    return h ? `Heights at ${h.at_m} m are good to ${(100 * h.error_m).toFixed(1)} cm${h.too_coarse ? ": too coarse for a height filter" : ""}. Two who follow 0.8 m apart are ${h.headway_s} s or ${h.headway_frames} frames apart.` : "";
  },
  drawCounts() {
    const svg = this.$refs.counts;
    const lines = this.counts?.audit.intervals ?? [];
    if (!svg || lines.length === 0) return;
    const HEIGHT = 132;
    const base = 62;
    const most = Math.max(...lines.map((l) => Math.max(l.in, l.in_by_hand, l.out, l.out_by_hand)), 1);
    const end = lines[lines.length - 1].end_s;
    const x = (t) => 26 + (t / end) * (WIDTH - 32);
    const h = (n) => (n / most) * 52;
    svg.setAttribute("viewBox", `0 0 ${WIDTH} ${HEIGHT}`);
    svg.style.height = `${HEIGHT}px`;
    const parts = [];
    for (const n of ticks(0, most, 2)) for (const sign of n ? [1, -1] : [1]) parts.push(el("line", { class: "grid",
      x1: 26, x2: WIDTH - 6, y1: base - sign * h(n), y2: base - sign * h(n) }), el("text", { class: "tick", x: 22,
        y: base - sign * h(n) + 3, "text-anchor": "end" }, short(n)));
    for (const l of lines) {
      const [a, b] = [x(l.start_s), x(l.end_s)];
      const w = Math.max(b - a - 1.5, 1);
      for (const [way, sign] of [["in", 1], ["out", -1]]) {
        const [n, truth] = [l[way], l[`${way}_by_hand`]];
        parts.push(el("rect", { class: `count-${way}`, x: a + 0.75, width: w, y: sign > 0 ? base - h(n) : base,
          height: h(n) }, el("title", {}, `${way}: ${n} counted, ${truth} by hand`)));
        if (this.observers.length) parts.push(el("path", { class: n === truth ? "by-hand" : "by-hand differs",
          d: `M${a} ${base - sign * h(truth)}H${b}` }));
      }
    }
    parts.push(el("line", { class: "axis-line", x1: 26, x2: WIDTH - 6, y1: base, y2: base }), el("text", {
      class: "name", x: 30, y: 11, "text-anchor": "start" }, "in"), el("text", { class: "name", x: 30, y: HEIGHT - 14,
        "text-anchor": "start" }, "out"));
    for (const t of ticks(0, end / 60, 5)) parts.push(el("text", { class: "tick", x: x(t * 60), y: HEIGHT - 1,
      "text-anchor": "middle" }, `${short(t)} min`));
    redraw(svg, parts);
  },
  exportCounts(as) {
    if (as !== "csv") return (as === "svg" ? saveSvg : savePng)(this.$refs.counts, "counts");
    return saveCsv([["start_s", "end_s", "in", "in_by_hand", "out", "out_by_hand"],
      ...this.counts.audit.intervals.map((l) => [l.start_s, l.end_s, l.in, l.in_by_hand, l.out, l.out_by_hand])],
        "counts");
  },
  // the error as it is handed to whoever asked for the counts
  exportAudit() {
    const who = this.observers.find((o) => o.id === this.who);
    const rows = ["in", "out"].map((way) => { const a = this.counts.audit[way]; return [way, a.counted, a.by_hand,
      a.bias, a.bias_low, a.bias_high, a.wape, a.caught, a.caught_low, a.caught_high, a.extra, this.everyS,
        who?.who ?? ""]; });
    saveCsv([["direction", "counted", "by_hand", "error", "error_low", "error_high", "interval_by_interval", "caught",
      "caught_low", "caught_high", "extra", "interval_s", "counted_by"], ...rows], "counting-error");
  },
  async importCounts(files) {
    if (!files.length) return;
    try { await ask("PUT", `/takes/${data.take.id}/counts.csv?who=${encodeURIComponent(files[0].name)}`,
      await files[0].arrayBuffer(), { raw: true }); this.who = null; await this.fetchCounts(); } catch (error) {
        this.explain(error); }
  },
  async removeCounts() {
    if (this.who === null) return;
    try { await ask("DELETE", `/counts/${this.who}`); this.who = null; await this.fetchCounts(); } catch (error) {
      this.explain(error); }
  },

  // ---- a tally: blind to what the device counts ----

  startTally() {
    this.tally = { who: data.user, passages: [], saved: false };
    this.blind(true);
    drawn.view.setObject(-1);
    this.life = null;
    drawn.view.drawTracks();
    this.seek(0, true);
  },
  endTally() { this.tally = null; this.playing = false; this.blind(false); drawn.view.drawTracks(); },
  // who counts must not see what the device made of it: no verdicts, no score, no curve
  blind(on) { drawn.view.hideTracks = drawn.view.blind = on; this.$root.classList.toggle("blind", on); },
  tallied(way) { return this.tally.passages.filter((p) => p[1] === way).length; },
  countPassage(way) { if (this.tally) this.tally.passages.push([Number(this.t.toFixed(2)), way]); },
  takeBack() { this.tally?.passages.pop(); },
  tallyKey(event) {
    const keys = { i: () => this.countPassage("in"), o: () => this.countPassage("out"), u: () => this.takeBack(),
      " ": () => this.play(), b: () => this.seek(this.t - 5, true), ArrowLeft: () => this.step(-1), ArrowRight: () =>
        this.step(1) };
    if (!keys[event.key]) return;
    event.preventDefault();
    keys[event.key]();
  },
  get lastTallied() { const last = this.tally?.passages.at(-1); return last
    ? `last: ${last[1]} at ${short(last[0], 5)} s` : ""; },
  async saveTally() {
    try {
      const made = await ask("POST", `/takes/${data.take.id}/tallies`, { who: this.tally.who,
        passages: copy(this.tally.passages) });
      this.endTally();
      this.who = made.id;
      this.tab = "counts";
      await this.fetchCounts();
    } catch (error) { this.explain(error); }
  },
  get hidesCounts() { return this.tally !== null; },

  // ---- where the line should lie ----

  get lineMap() { const s = this.studies.line; return s?.state === "done" ? s.result : null; },
  async askLine() { await this.askStudy("line"); this.$nextTick(() => this.drawLineMap()); },
  lineText() {
    const m = this.lineMap;
    if (!m) return "";
    if (m.pick === null) return "No line in this picture leaves room enough to its edges.";
    return `${(100 * m.now).toFixed(1)} % of ${m.passages} passages are wrong now; the pick: ${(100 * m.error[m.pick[0]][m.pick[1]]).toFixed(1)} %, the middle of the widest stretch that is as good. ${m.validation[0].toUpperCase()}${m.validation.slice(1)}.${m.caution ? ` ${m.caution}.` : ""}`;
  },
  drawLineMap() {
    const m = this.lineMap;
    const svg = this.$refs.lineMap;
    if (!m || !svg) return;
    const HEIGHT = 132;
    const [left, top] = [34, 6];
    const [w, h] = [(WIDTH - left - 4) / m.offsets_px.length, (HEIGHT - top - 26) / m.angles_deg.length];
    svg.setAttribute("viewBox", `0 0 ${WIDTH} ${HEIGHT}`);
    const known = m.error.flat().filter((v) => v !== null);
    const [best, worst] = [Math.min(...known), Math.max(...known)];
    const parts = [el("rect", { class: "frame", x: left, y: top, width: w * m.offsets_px.length,
      height: h * m.angles_deg.length })];
    m.error.forEach((row, r) => row.forEach((v, c) => {
      const cell = el("rect", { class: v === null ? "cell-out" : "cell-error", x: left + c * w, y: top + r * h,
        width: w + 0.3, height: h + 0.3, "fill-opacity": v === null
          ? null : (0.08 + 0.92 * (v - best) / Math.max(worst - best, 1e-9)).toFixed(3), "data-row": r,
            "data-column": c });
      cell.append(el("title", {}, v === null
        ? "no room to the picture's edge" : `${short(m.offsets_px[c], 3)} px, ${short(m.angles_deg[r], 3)}°: ${(100 * v).toFixed(1)} % wrong`));
      parts.push(cell);
    }));
    if (m.pick) parts.push(el("rect", { class: "picked", x: left + m.pick[1] * w, y: top + m.pick[0] * h, width: w,
      height: h }));
    for (const px of ticks(m.offsets_px[0], m.offsets_px.at(-1), 4)) parts.push(el("text", { class: "tick",
      x: left + ((px - m.offsets_px[0]) / (m.offsets_px.at(-1) - m.offsets_px[0])) * w * m.offsets_px.length,
        y: HEIGHT - 13, "text-anchor": "middle" }, short(px)));
    for (const deg of [-30, 0, 30]) parts.push(el("text", { class: "tick", x: left - 4,
      y: top + ((deg + 30) / 60) * h * m.angles_deg.length + 4, "text-anchor": "end" }, `${deg}°`));
    parts.push(el("text", { class: "name", x: left, y: HEIGHT - 2 }, "moved by px towards B, turned by degrees"));
    redraw(svg, parts);
  },
  // a click on the map tries that line; the server says where it lies
  async pickLine(event) {
    const cell = event.target.closest("[data-row]");
    if (cell) await this.tryLine(Number(cell.dataset.row), Number(cell.dataset.column));
  },
  async tryLine(row, column) {
    const m = this.lineMap;
    const { points } = await ask("POST", `/bench/${data.detectorId}/line`, { take: data.take.id,
      detector: this.studies.line.asked.detector, offset_px: m.offsets_px[column], angle_deg: m.angles_deg[row] });
    const index = this.regions.findIndex((r) => r.shape === "line" && (r.role ?? "watch") === "watch");
    this.setRegion(index, { points });
  },
  takeLine() { const m = this.lineMap; if (m?.pick) return this.tryLine(...m.pick); },
  exportLineMap(as) {
    const m = this.lineMap;
    if (as !== "csv") return (as === "svg" ? saveSvg : savePng)(this.$refs.lineMap, "line-search");
    return saveCsv([["offset_px", "angle_deg", "wrong"], ...m.error.flatMap((row, r) => row.map((v, c) =>
      [m.offsets_px[c], m.angles_deg[r], v]))], "line-search");
  },
});
